import {
  ByteWriter,
  copyLine,
  equalFields,
  Fault,
  type FileFormat,
  isFault,
  landedTable,
  type MappingDocument,
  type Marks,
  marksOf,
  memberFields,
  membersOf,
  type RawRow,
  rowTyper,
  type SetMember,
  type SourceField,
  Unreadable,
  type Value,
} from '@versicle/core';
import { recordsOf } from '@versicle/files';
import type { Session } from '@versicle/postgres';

/** Where the records of one member of a source set are, in the order of `membersOf`. */
export interface MemberRecords {
  readonly files: readonly { readonly path: string; readonly name: string }[];
  readonly format: FileFormat;
  readonly names: readonly string[];
  /** How many keys the system was asked for; otherwise these are all its records. */
  readonly asked?: number;
}
/** Fetches a member's records once it is known which are wanted: those whose `field` has one of the values, or all (null). */
export type FetchMember = (wanted: OccurringKeys | null) => Promise<MemberRecords>;
export interface OccurringKeys {
  readonly field: string;
  readonly values: readonly string[];
}
export type Member = MemberRecords | FetchMember;

/** Members that stand below one another under one alias. */
export interface LandedDataset {
  readonly alias: string;
  readonly dataset: string;
  readonly fields: readonly SourceField[];
  records: number;
  /** How many keys they were asked for by; null: all of them are here. */
  readonly asked: number | null;
}
/** A record of the primary dataset, or of one below it, that can't be read. */
export interface UnreadableRecord {
  /** Among all records of the primary dataset. */
  readonly row: number;
  readonly file: string;
  readonly message: string;
  readonly raw: string;
}
export interface Landed {
  /** In the order of `membersOf`. */
  readonly members: readonly MemberRecords[];
  readonly datasets: ReadonlyMap<string, LandedDataset>;
  readonly unreadable: readonly UnreadableRecord[];
  /** How many records of the primary dataset come before each of its files. */
  readonly before: ReadonlyMap<string, number>;
  /** By alias of a joined dataset: records that can't be read, and so can't be found. */
  readonly unreadableJoined: ReadonlyMap<string, number>;
}
/** Marks that members' formats declare, by alias. */
export function declaredMarks(document: MappingDocument, members: readonly MemberRecords[]): Map<string, Marks> {
  const all = membersOf(document).flatMap((m, i): [string, Marks][] => {
    const marks = m.role === 'union' ? null : marksOf(members[i]!.format);
    return marks ? [[m.alias, marks]] : [];
  });
  return new Map(all);
}

const CHUNK_ROWS = 20_000;
/** With more different keys than this, all records are fetched. */
const MOST_KEYS = 1000;
/** Rows that can't be read are kept by themselves; more of them than this, and the wrong file was given. */
const MOST_UNREADABLE = 100_000;

/** Brings the records of all members into tables, as typed values. `tell` hears of records as they arrive. */
export async function landMembers(
  db: Session,
  document: MappingDocument,
  members: readonly Member[],
  rowLimit: number | null,
  tell: (records: number) => void,
): Promise<Landed> {
  const landing = new Landing(db, document, rowLimit, tell);
  for (const [i, member] of membersOf(document).entries()) await landing.member(member, members[i]!);
  for (const alias of landing.datasets.keys()) await db.exec(`ANALYZE ${landedTable(alias)}`);
  return landing;
}

class Landing implements Landed {
  readonly members: MemberRecords[] = [];
  readonly datasets = new Map<string, LandedDataset>();
  readonly unreadable: UnreadableRecord[] = [];
  readonly unreadableJoined = new Map<string, number>();
  readonly before = new Map<string, number>();
  private readonly twice = new Set<string>();
  private told = 0;

  constructor(
    private readonly db: Session,
    private readonly document: MappingDocument,
    private readonly rowLimit: number | null,
    private readonly tell: (records: number) => void,
  ) {}

  async member(member: SetMember, given: Member): Promise<void> {
    const { document } = this;
    const records = typeof given === 'function' ? await given(await this.occurring(member)) : given;
    this.members.push(records);
    const marks = marksOf(records.format);
    if (member.role === 'union') {
      const dataset = this.datasets.get(member.alias)!;
      const from = columnsBelow(dataset.fields, records.names, member.columns ?? {}, member.dataset);
      // What stands below a field is read as that field is.
      const fields = records.names.map((name, at): SourceField => {
        const above = dataset.fields[from.indexOf(at)];
        return { name, type: above?.type ?? 'text', ...(marks ? { marks } : {}) };
      });
      return this.fill(member, dataset, records, fields, from);
    }
    const fields = memberFields(document, member, records.names, marks);
    const dataset: LandedDataset = {
      alias: member.alias,
      dataset: member.dataset,
      fields,
      records: 0,
      asked: records.asked ?? null,
    };
    this.datasets.set(member.alias, dataset);
    const columns = fields.map((f, i) => `c${i} ${f.type === 'text' ? 'text COLLATE "C"' : f.type}`);
    if (columns.length > 1000)
      throw new Fault(
        'source set',
        `${member.dataset} has ${columns.length} fields; a source set joins at most 1,000 of one.`,
      );
    await this.db.exec(
      `CREATE TEMP TABLE ${landedTable(member.alias)} (_row bigint, _file text${columns.map((c) => `, ${c}`).join('')})`,
    );
    await this.fill(
      member,
      dataset,
      records,
      fields,
      fields.map((_, i) => i),
    );
  }

  /** `from`: for each column of the table, the place of the field in the member's records; -1 for none. */
  private async fill(
    member: SetMember,
    dataset: LandedDataset,
    { files, format, names }: MemberRecords,
    fields: readonly SourceField[],
    from: readonly number[],
  ): Promise<void> {
    const limit = member.role === 'join' || this.rowLimit === null ? Infinity : this.rowLimit;
    const typed = rowTyper(fields);
    const columns = [
      { type: 'int8' as const },
      { type: 'text' as const },
      ...dataset.fields.map((f) => ({ type: f.type })),
    ].map((c) => ({ ...c, name: '' }));
    const out = new ByteWriter(1024 * 1024);
    let waiting = 0;
    const flush = async (): Promise<void> => {
      if (waiting === 0) return;
      await this.db.copy!(landedTable(member.alias), null, out.take());
      waiting = 0;
      this.tell(this.told);
    };
    for (const file of files) {
      if (member.role !== 'join') this.begin(file.name, dataset.records);
      try {
        for await (const { rows } of recordsOf(file.path, file.name, format, undefined, names)) {
          for (const raw of rows) {
            if (dataset.records >= limit) break;
            const row = raw instanceof Unreadable ? raw : fitted(raw, names.length);
            const values = row instanceof Unreadable || typed === null ? row : typed(row);
            dataset.records++;
            this.told++;
            if (values instanceof Unreadable) {
              this.notRead(member, { row: dataset.records, file: file.name, message: values.message, raw: values.raw });
              continue;
            }
            const line: Value[] = [dataset.records, file.name, ...from.map((at) => (at < 0 ? null : values[at]!))];
            copyLine(out, line, columns);
            if (++waiting >= CHUNK_ROWS) await flush();
          }
          if (dataset.records >= limit) break;
        }
      } catch (error) {
        if (isFault(error, 'unreadable'))
          throw new Fault('source set', `${file.name}: ${error.message}`, [], { cause: error });
        throw error;
      }
    }
    await flush();
  }
  /** Of two files with one name nobody could say which a row is of. */
  private begin(name: string, records: number): void {
    if (this.twice.has(name)) return;
    if (this.before.delete(name)) this.twice.add(name);
    else this.before.set(name, records);
  }
  /** The keys by which a joined dataset will be asked for, where they are few and one field of it answers. */
  private async occurring({ role, alias }: SetMember): Promise<OccurringKeys | null> {
    const join = this.document.source.joins.find((j) => j.alias === alias);
    if (role !== 'join' || !join || join.kind === 'right' || join.kind === 'full') return null;
    const pair = equalFields(join.on, alias);
    const left = pair && this.datasets.get(pair.left.alias);
    const column = left?.fields.findIndex((f) => f.name === pair!.left.name) ?? -1;
    if (!pair || !left || column < 0) return null;
    const { rows } = await this.db.query<{ v: string }>(
      `SELECT DISTINCT c${column}::text AS v FROM ${landedTable(left.alias)} WHERE c${column} IS NOT NULL LIMIT ${MOST_KEYS + 1}`,
    );
    return rows.length > MOST_KEYS ? null : { field: pair.right, values: rows.map((r) => r.v) };
  }
  private notRead(member: SetMember, record: UnreadableRecord): void {
    if (member.role === 'join') {
      this.unreadableJoined.set(member.alias, (this.unreadableJoined.get(member.alias) ?? 0) + 1);
      return;
    }
    if (this.unreadable.length >= MOST_UNREADABLE)
      throw new Fault(
        'source set',
        `More than ${MOST_UNREADABLE.toLocaleString('en-GB')} records of ${member.dataset} can't be read; look at its format. ${record.message}`,
      );
    this.unreadable.push(record);
  }
}

function fitted(row: Exclude<RawRow, Unreadable>, width: number): readonly (string | null)[] {
  const cells = row as readonly (string | null)[];
  return cells.length >= width
    ? cells.slice(0, width)
    : [...cells, ...new Array<null>(width - cells.length).fill(null)];
}

/** Which field of a union stands below each field of the primary dataset: as told, or of the same name. */
function columnsBelow(
  above: readonly SourceField[],
  below: readonly string[],
  told: Readonly<Record<string, string>>,
  dataset: string,
): number[] {
  const found = above.map((field) => {
    const name = told[field.name] ?? field.name;
    const place = below.indexOf(name);
    if (place < 0 && told[field.name] !== undefined)
      throw new Fault('source set', `${dataset} has no field “${name}” to stand below ${field.name}.`);
    return place;
  });
  if (found.every((place) => place < 0))
    throw new Fault(
      'source set',
      `${dataset} shares no field with the first dataset; say which field stands below which.`,
    );
  return found;
}
