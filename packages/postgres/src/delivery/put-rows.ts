import {
  contentOf,
  copyCells,
  copyLines,
  chunkEncodings,
  quoteName as q,
  REVISION_FIELDS,
  type Delivered,
  type DeliveryMode,
  type Part,
  type Rejection,
} from '@versicle/core';
import { keysName } from '../names.ts';
import type { Session } from '../session.ts';
import { refusalOf, type DatabaseRefusal } from './refusal.ts';

/**
 * Savepoints that were released stay locked until the transaction ends, and a server has room for some thousands: after so
 * many, what was taken so far is put in once more as a whole.
 */
const PARTS_AT_ONCE = 400;
/** Refused rows of a chunk from which on each row is tried by itself. */
const MANY = 40;

/** One part of a chunk on its way into a table. */
export interface PartRows {
  readonly source: string;
  readonly mode: DeliveryMode;
  readonly part: Part;
  /** Its place among the chunk's parts. */
  readonly number: number;
}

/** What the table is like, as far as the way into it depends on it. */
interface TableFacts {
  /** COPY goes into tables only, and not where row-level security speaks. */
  readonly copies: boolean;
  /** Types without length or precision: a cast to these cuts nothing, and what is assigned then is checked. */
  readonly types: ReadonlyMap<string, string>;
  /** Columns whose type knows no equality: compared by their text. */
  readonly byText: ReadonlySet<string>;
  /** Columns whose values may be equal although their texts differ. */
  readonly loose: ReadonlySet<string>;
}

/** The whole chunk at once; when the database refuses it, halves of it, down to the rows that are at fault. */
export async function putRows(tx: Session, chunk: PartRows, into: string): Promise<Delivered> {
  return new Put(tx, chunk, into, await factsOf(tx, into)).all();
}

async function factsOf(tx: Session, into: string): Promise<TableFacts> {
  const { rows } = await tx.query(
    `SELECT a.attname AS name, CASE t.typname WHEN 'bpchar' THEN 'bpchar' WHEN 'bit' THEN 'varbit' ELSE format_type(a.atttypid, NULL) END AS type, c.relkind AS kind, row_security_active(c.oid) AS secured,
            COALESCE(b.typname, t.typname) IN ('json', 'xml', 'point', 'line', 'lseg', 'box', 'path', 'polygon', 'circle') AS by_text,
            COALESCE(b.typname, t.typname) = 'citext' OR COALESCE(NOT l.collisdeterministic, false) AS loose
       FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_type t ON t.oid = a.atttypid
       LEFT JOIN pg_type b ON b.oid = t.typbasetype LEFT JOIN pg_collation l ON l.oid = a.attcollation
      WHERE a.attrelid = $1::regclass AND a.attnum > 0 AND NOT a.attisdropped`,
    [into],
  );
  const yes = (value: unknown): boolean => value === true || value === 't';
  const [first] = rows;
  return {
    copies: first !== undefined && ['r', 'p'].includes(String(first['kind'])) && !yes(first['secured']),
    types: new Map(rows.map((r) => [String(r['name']), String(r['type'])])),
    byText: new Set(rows.filter((r) => yes(r['by_text'])).map((r) => String(r['name']))),
    loose: new Set(rows.filter((r) => yes(r['loose'])).map((r) => String(r['name']))),
  };
}

/** Rows of the chunk, by their places in rising order. */
type Places = readonly number[];
/** What a part became when it went in. */
interface Taken {
  /** Rows that were written; the others the table has already. */
  readonly written: number;
  /** Rows that did not go in although the database did not complain, by their place in the part. */
  readonly left: readonly { readonly at: number; readonly why: DatabaseRefusal }[];
}

class Put {
  private lines: readonly string[] | null = null;
  private readonly rejections: Rejection[] = [];
  private systemic: boolean | null = null;

  private readonly columns: readonly string[];
  private readonly key: readonly string[];
  private readonly rows: number;

  constructor(
    private readonly tx: Session,
    private readonly chunk: PartRows,
    private readonly into: string,
    private readonly facts: TableFacts,
  ) {
    const { columns, key, rows } = chunk.part;
    this.columns = columns.map((c) => c.name);
    this.key = key;
    this.rows = rows;
  }
  private get content(): Uint8Array {
    return contentOf(this.chunk.part.content, 'copy');
  }

  async all(): Promise<Delivered> {
    const { rows } = this;
    const whole = await this.attempt(this.content, rows);
    if (!('code' in whole)) {
      for (const { at, why } of whole.left) this.reject(at, why);
      return this.delivered(whole.written);
    }
    if (rows === 1) {
      this.reject(0, whole);
      return this.delivered(0);
    }
    return this.delivered(await this.parts());
  }
  private delivered(written: number): Delivered {
    this.rejections.sort((a, b) => a.index - b.index);
    return { rejections: this.rejections, unchanged: this.rows - this.rejections.length - written };
  }

  private readonly ofConstraint = new Map<string, readonly string[]>();

  /** Depth first, in the order of the rows: what comes first wins where two don't go together. Gives the rows written. */
  private async parts(): Promise<number> {
    const all = Array.from({ length: this.rows }, (_, i) => i);
    const middle = all.length >> 1;
    const pending: Places[] = [all.slice(middle), all.slice(0, middle)];
    let accepted: number[] = [];
    const before = this.rejections.length;
    let tried = false;
    let written = 0;
    let open = 0;
    await this.tx.exec('SAVEPOINT accepted');
    while (pending.length > 0) {
      // With so many at fault, every row by itself is quicker than halves.
      if (!tried && this.rejections.length - before >= MANY) {
        pending.splice(0, pending.length, await this.eachByItself(pending));
        tried = true;
        continue;
      }
      const part = pending.pop()!;
      if (part.length === 0) continue;
      const result = await this.attempt(this.textOf(part), part.length);
      if ('code' in result) {
        const half = part.length >> 1;
        if (part.length === 1) this.reject(part[0]!, result);
        else pending.push(part.slice(half), part.slice(0, half));
        continue;
      }
      for (const { at, why } of result.left) this.reject(part[at]!, why);
      accepted = accepted.concat(part);
      written += result.written;
      if (++open < PARTS_AT_ONCE) continue;
      await this.tx.exec('ROLLBACK TO SAVEPOINT accepted');
      written = (await this.put(this.textOf(accepted), accepted.length)).written;
      open = 0;
    }
    await this.tx.exec('RELEASE SAVEPOINT accepted');
    return written;
  }

  /**
   * Tries each row by itself, in the database and taking it back at once, so that nothing stays locked. What is refused is
   * kept as such; gives the others.
   */
  private async eachByItself(pending: readonly Places[]): Promise<Places> {
    const { tx, columns, facts, into } = this;
    const places = pending.flat().sort((x, y) => x - y);
    const names = columns.map((_, i) => `c${i}`);
    const cells = places.map((at) => copyCells(this.lines![at]!));
    await tx.exec(
      `CREATE TEMPORARY TABLE versicle_tried (n integer, ${names.map((n) => `${n} text`).join(', ')}) ON COMMIT DROP;
       CREATE TEMPORARY TABLE versicle_found (n integer, code text, message text, detail text, col text, con text) ON COMMIT DROP`,
    );
    await tx.query(
      `INSERT INTO pg_temp.versicle_tried SELECT * FROM unnest($1::int[], ${names.map((_, i) => `$${i + 2}::text[]`).join(', ')})`,
      [places, ...names.map((_, i) => cells.map((row) => row[i] ?? null))],
    );
    const values = columns.map((c, i) => `r.c${i}::${facts.types.get(c) ?? 'text'}`).join(', ');
    const value = (name: string): string => {
      const i = columns.indexOf(name);
      return `r.c${i}::${facts.types.get(name) ?? 'text'}`;
    };
    const one = this.updates
      ? `UPDATE ${into} AS t SET ${this.others.map((c) => `${q(c)} = ${value(c)}`).join(', ') || `${q(this.key[0]!)} = t.${q(this.key[0]!)}`} WHERE ${this.key.map((k) => `t.${q(k)} = ${value(k)}`).join(' AND ')}`
      : this.revises
        ? this.revise(`(SELECT ${columns.map((c) => `${value(c)} AS ${q(c)}`).join(', ')})`)
        : `INSERT INTO ${into} AS t (${columns.map(q).join(', ')}) OVERRIDING SYSTEM VALUE VALUES (${values})${this.onlyInserts ? '' : this.conflict()}`;
    // What has no effect is left out by the table; an update finds nothing.
    const none = this.updates ? NOT_THERE : this.onlyInserts ? LEFT_OUT : null;
    await tx.exec(
      `DO $versicle$ DECLARE r record; k bigint; a text; b text; c text; d text; e text; BEGIN
         FOR r IN SELECT * FROM pg_temp.versicle_tried ORDER BY n LOOP
           BEGIN
             ${one};
             GET DIAGNOSTICS k = ROW_COUNT;
             SET CONSTRAINTS ALL IMMEDIATE;
             RAISE EXCEPTION USING ERRCODE = 'VRS00';
           EXCEPTION
             WHEN SQLSTATE 'VRS00' THEN
               IF k = 0 AND ${none !== null} THEN INSERT INTO pg_temp.versicle_found (n, code) VALUES (r.n, '${none?.code ?? ''}'); END IF;
             WHEN OTHERS THEN
               GET STACKED DIAGNOSTICS a = RETURNED_SQLSTATE, b = MESSAGE_TEXT, c = PG_EXCEPTION_DETAIL, d = COLUMN_NAME, e = CONSTRAINT_NAME;
               INSERT INTO pg_temp.versicle_found VALUES (r.n, a, b, c, d, e);
           END;
         END LOOP; END $versicle$`,
    );
    const { rows } = await tx.query('SELECT * FROM pg_temp.versicle_found ORDER BY n');
    const refused = new Set<number>();
    for (const row of rows) {
      const text = (name: string): string | undefined => (row[name] ? String(row[name]) : undefined);
      const at = Number(row['n']);
      const error = Object.assign(new Error(text('message') ?? ''), {
        code: text('code')!,
        detail: text('detail'),
        column: text('col'),
        constraint: text('con'),
      });
      refused.add(at);
      if (none !== null && error.code === none.code) this.reject(at, none);
      else if (kindOfError(error) === 'ours') throw error;
      else this.reject(at, await this.refusal(error, this.oneRow(this.textOf([at]))));
    }
    await tx.exec('DROP TABLE pg_temp.versicle_tried; DROP TABLE pg_temp.versicle_found');
    return places.filter((at) => !refused.has(at));
  }
  private refusal(error: unknown, cells: ReturnType<Put['oneRow']> | null): Promise<DatabaseRefusal> {
    return refusalOf(
      this.tx,
      { table: this.chunk.part.dataset, into: this.into, known: this.ofConstraint },
      error,
      cells,
    );
  }

  private textOf(part: Places): Uint8Array {
    const lines = (this.lines ??= copyLines(this.content));
    return new TextEncoder().encode(part.map((at) => `${lines[at]!}\n`).join(''));
  }
  private reject(index: number, refusal: DatabaseRefusal): void {
    const lines = (this.lines ??= copyLines(this.content));
    this.rejections.push({ part: this.chunk.number, index, cells: copyCells(lines[index]!), ...refusal });
  }

  /** Within a savepoint: a part that is refused leaves nothing behind. */
  private async attempt(copy: Uint8Array, rows: number): Promise<Taken | DatabaseRefusal> {
    const { tx } = this;
    await tx.exec('SAVEPOINT part');
    try {
      const taken = await this.put(copy, rows);
      // Deferred constraints would speak only at the end, when no row could be named any more.
      await tx.exec('SET CONSTRAINTS ALL IMMEDIATE; RELEASE SAVEPOINT part');
      return taken;
    } catch (error) {
      if (error instanceof LeftOut) {
        await tx.exec('ROLLBACK TO SAVEPOINT part; RELEASE SAVEPOINT part');
        return LEFT_OUT;
      }
      const what = kindOfError(error);
      if (what === 'ours') throw error;
      await tx.exec('ROLLBACK TO SAVEPOINT part; RELEASE SAVEPOINT part');
      // What is refused without any row is wrong with the table or our rights, and ends the run.
      if (what === 'unknown' && (await this.isSystemic())) throw error;
      return this.refusal(error, rows === 1 ? this.oneRow(copy) : null);
    }
  }
  private oneRow(copy: Uint8Array): { column: string; text: string | null; type: string }[] {
    const [cells = []] = chunkEncodings.copy.cells(copy);
    return this.columns.map((column, i) => ({
      column,
      text: cells[i] ?? null,
      type: this.facts.types.get(column) ?? 'text',
    }));
  }
  private async isSystemic(): Promise<boolean> {
    if (this.systemic !== null) return this.systemic;
    await this.tx.exec('SAVEPOINT probe');
    try {
      await this.put(new Uint8Array(0), 0);
      this.systemic = false;
    } catch {
      this.systemic = true;
    }
    await this.tx.exec('ROLLBACK TO SAVEPOINT probe; RELEASE SAVEPOINT probe');
    return this.systemic;
  }

  private async put(copy: Uint8Array, rows: number): Promise<Taken> {
    const { tx, into, facts, key } = this;
    const columns = this.columns.map(q).join(', ');
    if (this.onlyInserts) {
      const written = tx.copy && facts.copies ? await tx.copy(into, columns, copy) : await this.insertArrays(copy, '');
      // A single row that a trigger leaves out is refused; of several, halves tell which.
      if (written < rows) throw new LeftOut();
      return { written, left: [] };
    }
    if (!tx.copy && !this.updates && !this.revises)
      return { written: await this.insertArrays(copy, this.conflict()), left: [] };
    await tx.exec(
      `CREATE TEMPORARY TABLE IF NOT EXISTS ${this.incoming} ON COMMIT DROP AS SELECT ${columns} FROM ${into} WITH NO DATA; TRUNCATE ${this.incoming}`,
    );
    if (tx.copy) await tx.copy(this.incoming, columns, copy);
    else await this.insertArrays(copy, '', this.incoming);
    const twice = key.some((k) => facts.loose.has(k)) ? await this.takeTwice() : [];
    const { count } = await tx.query(
      this.updates
        ? this.update()
        : this.revises
          ? this.revise(this.incoming)
          : `INSERT INTO ${into} AS t (${columns}) OVERRIDING SYSTEM VALUE SELECT ${columns} FROM ${this.incoming}${this.conflict()}`,
    );
    const left = count < rows - twice.length ? await this.missing() : [];
    return {
      written: count,
      left: [
        ...twice.map((at) => ({ at, why: TWICE })),
        ...left.map((at) => ({ at, why: this.updates ? NOT_THERE : LEFT_OUT })),
      ],
    };
  }
  /** Each part of a chunk has one of its own: their columns differ. */
  private get incoming(): string {
    return `pg_temp.versicle_incoming_${this.chunk.number}`;
  }
  private get onlyInserts(): boolean {
    return this.chunk.mode === 'insert' || this.chunk.mode === 'replace';
  }
  private get updates(): boolean {
    return this.chunk.mode === 'update';
  }
  private get revises(): boolean {
    return this.chunk.mode === 'revise';
  }
  /** Columns that are no part of the key. */
  private get others(): readonly string[] {
    return this.columns.filter((c) => !this.key.includes(c));
  }
  private compared(table: string, columns = this.others): string {
    return columns.map((c) => `${table}.${q(c)}${this.facts.byText.has(c) ? '::text' : ''}`).join(', ');
  }
  private conflict(): string {
    const { others } = this;
    const { mode } = this.chunk;
    const set = (value: (c: string) => string): string => others.map((c) => `${q(c)} = ${value(c)}`).join(', ');
    const action =
      mode === 'keep' || others.length === 0
        ? 'DO NOTHING'
        : mode === 'fill'
          ? `DO UPDATE SET ${set((c) => `COALESCE(t.${q(c)}, EXCLUDED.${q(c)})`)} WHERE ${others.map((c) => `t.${q(c)} IS NULL AND EXCLUDED.${q(c)} IS NOT NULL`).join(' OR ')}`
          : `DO UPDATE SET ${set((c) => `EXCLUDED.${q(c)}`)} WHERE (${this.compared('t')}) IS DISTINCT FROM (${this.compared('EXCLUDED')})`;
    return ` ON CONFLICT (${this.key.map(q).join(', ')}) ${action}`;
  }
  /** Changes what is there and different. Without other columns than the key there is nothing to change. */
  private update(): string {
    const { others, into } = this;
    const [first] = this.key;
    const set = others.length > 0 ? others.map((c) => `${q(c)} = i.${q(c)}`) : [`${q(first!)} = t.${q(first!)}`];
    const differs = others.length > 0 ? `(${this.compared('t')}) IS DISTINCT FROM (${this.compared('i')})` : 'false';
    return `UPDATE ${into} AS t SET ${set.join(', ')} FROM ${this.incoming} AS i WHERE ${this.sameKey} AND ${differs}`;
  }
  /**
   * Adds what has no revision yet, or differs from the newest one, which ends then. `from` has the rows that come in. Rows that
   * are the newest revision already stay out.
   */
  private revise(from: string): string {
    const { into, facts, sameKey } = this;
    const { number, from: since, to } = REVISION_FIELDS;
    const anew = this.chunk.part.anew ?? [];
    const telling = this.others.filter((c) => !anew.includes(c));
    const differs =
      telling.length === 0
        ? 'false'
        : `(${this.compared('l', telling)}) IS DISTINCT FROM (${this.compared('i', telling)})`;
    const dated = facts.types.has(since) ? { names: `, ${q(since)}`, values: ', now()' } : { names: '', values: '' };
    const columns = this.columns.map(q).join(', ');
    const ends = facts.types.has(to)
      ? `, ended AS (UPDATE ${into} AS t SET ${q(to)} = now() FROM changed i WHERE ${sameKey} AND t.${q(number)} = i.versicle_next - 1 AND t.${q(to)} IS NULL)`
      : '';
    return `WITH changed AS (
        SELECT i.*, COALESCE(l.${q(number)}, 0) + 1 AS versicle_next FROM ${from} AS i
          LEFT JOIN LATERAL (SELECT * FROM ${into} AS t WHERE ${sameKey} ORDER BY t.${q(number)} DESC LIMIT 1) AS l ON TRUE
         WHERE l.${q(number)} IS NULL OR ${differs}
      )${ends}
      INSERT INTO ${into} (${columns}, ${q(number)}${dated.names}) OVERRIDING SYSTEM VALUE
      SELECT ${columns}, versicle_next${dated.values} FROM changed`;
  }
  private get sameKey(): string {
    return this.key.map((k) => `t.${q(k)} = i.${q(k)}`).join(' AND ');
  }
  /**
   * Keys that only the database holds for equal, such as texts that differ in their case: those of the run are kept until it
   * ends, and of several equal ones the first wins. Takes the others out of what comes in; gives their places.
   */
  private async takeTwice(): Promise<number[]> {
    const { tx, into } = this;
    if (this.chunk.number > 0)
      throw new Error('Keys that only the database holds for equal can’t be told apart in a further table yet.');
    const key = this.key.map(q).join(', ');
    const seen = keysName(this.chunk.source);
    await tx.exec(`CREATE TABLE IF NOT EXISTS ${seen} AS SELECT ${key} FROM ${into} WITH NO DATA`);
    const { rows } = await tx.query(
      `WITH numbered AS (
         SELECT ctid AS place, ${key}, row_number() OVER (ORDER BY ctid) AS n, row_number() OVER (PARTITION BY ${key} ORDER BY ctid) AS nth
           FROM ${this.incoming}
       ), twice AS (
         SELECT place, n FROM numbered i WHERE nth > 1 OR EXISTS (SELECT 1 FROM ${seen} t WHERE ${this.sameKey})
       ), gone AS (
         DELETE FROM ${this.incoming} WHERE ctid IN (SELECT place FROM twice)
       ) SELECT n FROM twice ORDER BY n`,
    );
    await tx.exec(`INSERT INTO ${seen} SELECT ${key} FROM ${this.incoming}`);
    return rows.map((r) => Number(r['n']) - 1);
  }
  /** Rows that are neither written nor there already: a trigger, a rule or a policy left them out. */
  private async missing(): Promise<number[]> {
    const same = this.sameKey;
    const { rows } = await this.tx.query(
      `SELECT i.n FROM (SELECT *, row_number() OVER (ORDER BY ctid) AS n FROM ${this.incoming}) i
        WHERE NOT EXISTS (SELECT 1 FROM ${this.into} t WHERE ${same}) ORDER BY 1`,
    );
    return rows.map((r) => Number(r['n']) - 1);
  }

  /** One array a column, turned into the column's own type by the database. */
  private async insertArrays(copy: Uint8Array, conflict: string, into = this.into): Promise<number> {
    const { columns, facts } = this;
    const rows = chunkEncodings.copy.cells(copy);
    const names = columns.map((_, i) => `c${i}`);
    const cast = (column: string, i: number): string => `c${i}::${facts.types.get(column) ?? 'text'}`;
    const { count } = await this.tx.query(
      `INSERT INTO ${into} AS t (${columns.map(q).join(', ')}) OVERRIDING SYSTEM VALUE SELECT ${columns.map(cast).join(', ')} FROM unnest(${names.map((_, i) => `$${i + 1}::text[]`).join(', ')}) AS u(${names.join(', ')})${conflict}`,
      columns.map((_, i) => rows.map((r) => r[i] ?? null)),
    );
    return count;
  }
}

/** The table took rows without an error and has fewer than it took. */
class LeftOut extends Error {}
const LEFT_OUT: DatabaseRefusal = {
  code: 'left_out',
  message:
    'the table took the record without an error, but does not have it: a trigger, rule or policy of the table leaves it out',
  columns: [],
  constraint: null,
};

const NOT_THERE: DatabaseRefusal = {
  code: 'not_there',
  message: 'it has no record with this key, and only existing ones are changed',
  columns: [],
  constraint: null,
};

const TWICE: DatabaseRefusal = {
  code: '23505',
  message: 'a record before it has a key that the table holds for equal; the first one counts',
  columns: [],
  constraint: null,
};

/** Classes of SQLSTATE (PostgreSQL, appendix A): data, cardinality, integrity, a view's check, and what triggers raise. */
const OF_ROWS: ReadonlySet<string> = new Set(['21', '22', '23', '44', 'P0']);
/** The connection, transactions that must begin again, resources, operators, the system itself. */
const OURS: ReadonlySet<string> = new Set(['', '08', '25', '40', '53', '55', '57', '58']);
function kindOfError(error: unknown): 'row' | 'ours' | 'unknown' {
  const code = (error as { code?: unknown }).code;
  // A SQLSTATE has five characters; anything else comes from the way to the database.
  const state = typeof code === 'string' && /^[0-9A-Z]{5}$/.test(code) ? code.slice(0, 2) : '';
  return OF_ROWS.has(state) ? 'row' : OURS.has(state) ? 'ours' : 'unknown';
}
