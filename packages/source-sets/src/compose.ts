import { randomUUID } from 'node:crypto';
import { renameSync, rmSync } from 'node:fs';
import {
  type ComposedCounts,
  composedNames,
  type ComposedPeek,
  Fault,
  type JoinSql,
  type MappingDocument,
  type Marks,
  type PeekRecord,
  PLACE_FIELDS,
  RuleError,
  type SourceField,
  sourceFieldsFor,
  type SourceSetSql,
  sourceSetSql,
} from '@versicle/core';
import { TextFile } from '@versicle/files';
import type { Row, Session } from '@versicle/postgres';
import { withDatabase, type SetHome, type SetSession } from './database.ts';
import { declaredMarks, landMembers, type Landed, type Member } from './landing.ts';

export interface Composed {
  readonly fields: readonly SourceField[];
  readonly counts: ComposedCounts;
  /** Marks that members' formats declare, by alias. */
  readonly marks: ReadonlyMap<string, Marks>;
  /** How many records of the primary dataset come before each of its files. */
  readonly before: ReadonlyMap<string, number>;
  readonly peek: ComposedPeek;
  /** What the bytes of their file sum up to. */
  readonly sum: string;
  /** Sentences about joined records that could not be read. */
  readonly remarks: readonly string[];
}
const PEEKED = 40;

export interface ComposeOptions {
  /** Rows of the primary dataset that are taken; the joined ones are always whole. */
  readonly rowLimit: number | null;
  /** What now() means, as PostgreSQL writes it. */
  readonly startedAt: string;
  /** What the plan gives to rules. */
  readonly variables?: Readonly<Record<string, string>>;
  readonly home: SetHome;
  /** Hears of records as they are landed, then of those that are composed. */
  readonly tell?: (records: number) => void;
}
/** More records than this, and a condition does not tell records apart. */
export const MOST_JOINED = 20_000_000;
/** Pairs that a join without equality may look at. */
const MOST_PAIRS = 50_000_000;
const FETCH = 5000;

/** Composes the records of a source set into a file of JSON Lines, in PostgreSQL. Throws a fault. */
export async function composeRecords(
  document: MappingDocument,
  members: readonly Member[],
  path: string,
  options: ComposeOptions,
): Promise<Composed> {
  return withDatabase(options.home, async (db) => {
    const landed = await landMembers(db, document, members, options.rowLimit, options.tell ?? (() => undefined));
    const fields = fieldsOf(document, landed);
    const remarks = [...landed.unreadableJoined].map(
      ([alias, n]) =>
        `${n.toLocaleString('en-GB')} records of ${landed.datasets.get(alias)!.dataset} can't be read, and match nothing.`,
    );
    const compose = (doc: MappingDocument): Promise<Omit<Composed, 'remarks'>> =>
      composeLanded(db, doc, landed, fields, path, options);
    try {
      return { ...(await compose(document)), remarks };
    } catch (error) {
      const fault = dataFault(error);
      if (fault === null || !filtersAlone(document)) throw error;
      await db.exec('ROLLBACK');
      const remark = `PostgreSQL can't work out the filter for every record (${fault}); each is tried by itself, and fails under the filter where it can't be.`;
      return {
        ...(await compose({ ...document, source: { ...document.source, filter: null } })),
        remarks: [...remarks, remark],
      };
    }
  });
}
/** Whether records can be filtered after they were composed, one by one. */
function filtersAlone({ source }: MappingDocument): boolean {
  return Boolean(source.filter) && source.distinctOn.length === 0 && source.groupBy.length === 0;
}
/** What PostgreSQL says of a value that it can't work with; null for any other error. */
function dataFault(error: unknown): string | null {
  const { cause } = error as { cause?: { code?: string; message: string } };
  return cause?.code?.startsWith('22') ? cause.message : null;
}

async function composeLanded(
  db: SetSession,
  document: MappingDocument,
  landed: Landed,
  fields: readonly SourceField[],
  path: string,
  options: ComposeOptions,
): Promise<Omit<Composed, 'remarks'>> {
  const sql = statements(document, fields, options, db);
  requireBounded(document, landed, sql);
  for (const join of sql.joins) {
    const pairs = await expectedPairs(db, join);
    if (pairs > MOST_JOINED) throw new Fault('source set', explodes(landed.datasets.get(join.alias)!.dataset, pairs));
  }
  const counts = await count(db, sql, landed);
  const peek = {
    joined: await peekAt(db, sql.peek.joined),
    unmatched: counts.unmatched === 0 ? [] : await peekAt(db, sql.peek.unmatched),
    filtered: sql.peek.filtered === null ? [] : await peekAt(db, sql.peek.filtered),
  };
  const { written, sum } = await write(db, sql, landed, path, options);
  const { read, multiplied, unmatched, filtered, kept } = counts;
  const folded = kept - (written - landed.unreadable.length);
  return {
    fields,
    counts: { read, multiplied, unmatched, filtered, folded, records: written },
    marks: declaredMarks(document, landed.members),
    before: landed.before,
    peek,
    sum,
  };
}

export function fieldsOf(document: MappingDocument, landed: Landed): SourceField[] {
  const names = new Map([...landed.datasets].map(([alias, d]) => [alias, d.fields.map((f) => f.name)]));
  return sourceFieldsFor(document, composedNames(document, names), declaredMarks(document, landed.members));
}
export function statements(
  document: MappingDocument,
  fields: readonly SourceField[],
  { startedAt, variables }: Pick<ComposeOptions, 'startedAt' | 'variables'>,
  { isInput }: SetSession,
): SourceSetSql {
  try {
    return sourceSetSql(document, fields, startedAt, variables, isInput);
  } catch (error) {
    if (error instanceof RuleError)
      throw new Fault('source set', `The source set can't be composed: ${error.message}`, [], { cause: error });
    throw error;
  }
}

/** Refuses a join that would hold every record against every other. */
export function requireBounded(document: MappingDocument, landed: Landed, sql: SourceSetSql): void {
  let before = landed.datasets.get(document.source.primary.alias)!.records;
  for (const join of sql.joins) {
    const { dataset, records } = landed.datasets.get(join.alias)!;
    if (!join.byEquality && before * records > MOST_PAIRS)
      throw new Fault(
        'source set',
        `The join with ${dataset} compares ${before.toLocaleString('en-GB')} × ${records.toLocaleString('en-GB')} records one by one, because its condition has no “field = field”. Add one.`,
      );
    before = Math.max(before, join.kind === 'left' || join.kind === 'inner' ? before : records);
  }
}

/** How many pairs a join's equality makes by itself; a further condition may leave fewer. */
export async function expectedPairs(db: Session, { expected }: JoinSql): Promise<number> {
  return expected === null ? 0 : Number((await ask<{ n: string }>(db, expected))[0]!.n);
}
function explodes(dataset: string, pairs: number): string {
  return `The join with ${dataset} makes ${pairs.toLocaleString('en-GB')} records: its condition finds many partners for one record. Look at the match figures of the source set.`;
}

/** Runs a statement; what PostgreSQL refuses is said with the part of the source set that it is about. */
export async function ask<T extends Row>(db: Session, sql: string, params: unknown[] = []): Promise<T[]> {
  try {
    return (await db.query<T>(sql, params)).rows;
  } catch (error) {
    const { message } = error as Error;
    const words = /FULL JOIN is only supported/.test(message)
      ? 'a full join needs a condition of the form “field = field”'
      : message.replace(/\.$/, '');
    throw new Fault('source set', `PostgreSQL can't compose the source set: ${words}.`, [], { cause: error });
  }
}

async function peekAt(db: Session, sql: string): Promise<PeekRecord[]> {
  const rows = await db.arrays<(string | null)[]>(`${sql} LIMIT ${PEEKED}`);
  return rows.map(([row, ...values]) => ({ row: row === null ? null : Number(row), values }));
}

async function count(
  db: Session,
  sql: SourceSetSql,
  landed: Landed,
): Promise<Omit<ComposedCounts, 'folded' | 'records'> & { kept: number }> {
  const [row] = await ask<{ joined: number; kept: number; met: number }>(db, sql.counts, [MOST_JOINED + 1]);
  const { joined, kept, met } = { joined: Number(row!.joined), kept: Number(row!.kept), met: Number(row!.met) };
  if (joined > MOST_JOINED)
    throw new Fault(
      'source set',
      `The joins make more than ${MOST_JOINED.toLocaleString('en-GB')} records: a condition finds many partners for one record. Look at the match figures of the source set.`,
    );
  const [primary] = landed.datasets.values();
  const readable = primary!.records - landed.unreadable.length;
  return { read: primary!.records, multiplied: joined - met, unmatched: readable - met, filtered: joined - kept, kept };
}

async function write(
  db: Session,
  sql: SourceSetSql,
  landed: Landed,
  path: string,
  { tell }: ComposeOptions,
): Promise<{ written: number; sum: string }> {
  // One that a process which hangs has half written is its own.
  const partial = `${path}.${randomUUID()}.partial`;
  const file = new TextFile(partial, true);
  const heads = sql.names.map((name, i) => `${i === 0 ? '{' : ','}${JSON.stringify(name)}:`);
  let records = 0;
  let whole = false;
  try {
    for (const { row, file: name, message, raw } of landed.unreadable) {
      const { row: place, file: from, unreadable, raw: text } = PLACE_FIELDS;
      const cells = { [place]: String(row), [from]: name, [unreadable]: message, [text]: raw };
      file.write(`${JSON.stringify(cells)}\n`);
      records++;
    }
    await ask(db, 'BEGIN');
    await ask(db, `DECLARE records NO SCROLL CURSOR FOR ${sql.records}`);
    for (;;) {
      const rows = await db.arrays<(string | null)[]>(`FETCH ${FETCH} FROM records`).catch((error: Error) => {
        throw new Fault('source set', `PostgreSQL can't compose the source set: ${error.message}`, [], {
          cause: error,
        });
      });
      if (rows.length === 0) break;
      for (const row of rows) file.write(`${row.map((cell, i) => heads[i]! + JSON.stringify(cell)).join('')}}\n`);
      records += rows.length;
      tell?.(records);
      await file.flush();
    }
    await ask(db, 'COMMIT');
    whole = true;
  } finally {
    await file.close().finally(() => {
      if (!whole) rmSync(partial, { force: true });
    });
  }
  renameSync(partial, path);
  return { written: records, sum: file.sum() };
}
