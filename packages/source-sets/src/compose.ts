import { renameSync } from 'node:fs';
import type { PGlite } from '@electric-sql/pglite';
import {
  composedNames,
  PLACE_FIELDS,
  RuleError,
  sourceFieldsFor,
  sourceSetSql,
  type MappingDocument,
  type SourceField,
  type SourceSetSql,
} from '@versicle/core';
import { TextFile } from '@versicle/files';
import { withDatabase } from './database.ts';
import { declaredMarks, landMembers, SourceSetError, type Landed, type MemberRecords } from './landing.ts';

/** How records of the primary dataset became records of the source set: read + multiplied = unmatched + filtered + folded + records. */
export interface ComposedCounts {
  /** Rows of the primary dataset, and of those that stand below it. */
  readonly read: number;
  /** What joins added: rows that matched several times, and rows of a right or full join without a partner. */
  readonly multiplied: number;
  /** Rows that an inner or right join found no partner for. */
  readonly unmatched: number;
  readonly filtered: number;
  /** Rows that distinct or grouping folded into others. */
  readonly folded: number;
  readonly records: number;
}
export interface Composed {
  readonly fields: readonly SourceField[];
  readonly counts: ComposedCounts;
  /** Sentences about joined records that could not be read. */
  readonly remarks: readonly string[];
}
export interface ComposeOptions {
  /** Rows of the primary dataset that are taken; the joined ones are always whole. */
  readonly rowLimit: number | null;
  /** What now() means, as PostgreSQL writes it. */
  readonly startedAt: string;
  readonly template: string | null;
  /** Hears of records as they are landed, then of those that are composed. */
  readonly tell?: (records: number) => void;
}
/** More records than this, and a condition does not tell records apart. */
export const MOST_JOINED = 20_000_000;
/** Pairs that a join without equality may look at. */
const MOST_PAIRS = 50_000_000;
const FETCH = 5000;

/** Composes the records of a source set into a file of JSON Lines, in PostgreSQL. Throws SourceSetError. */
export async function composeRecords(
  document: MappingDocument,
  members: readonly MemberRecords[],
  path: string,
  options: ComposeOptions,
): Promise<Composed> {
  return withDatabase(options.template, async (db) => {
    const landed = await landMembers(db, document, members, options.rowLimit, options.tell ?? (() => undefined));
    const fields = fieldsOf(document, members, landed);
    const sql = statements(document, fields, options.startedAt);
    requireBounded(document, landed, sql);
    const counts = await count(db, sql, landed);
    const written = await write(db, sql, landed, path, options);
    const { read, multiplied, unmatched, filtered, kept } = counts;
    const folded = kept - (written - landed.unreadable.length);
    return {
      fields,
      counts: { read, multiplied, unmatched, filtered, folded, records: written },
      remarks: [...landed.unreadableJoined].map(
        ([alias, n]) =>
          `${n.toLocaleString('en-GB')} records of ${landed.datasets.get(alias)!.dataset} can't be read, and match nothing.`,
      ),
    };
  });
}

export function fieldsOf(document: MappingDocument, members: readonly MemberRecords[], landed: Landed): SourceField[] {
  const names = new Map([...landed.datasets].map(([alias, d]) => [alias, d.fields.map((f) => f.name)]));
  return sourceFieldsFor(document, composedNames(document, names), declaredMarks(document, members));
}
export function statements(document: MappingDocument, fields: readonly SourceField[], startedAt: string): SourceSetSql {
  try {
    return sourceSetSql(document, fields, startedAt);
  } catch (error) {
    if (error instanceof RuleError)
      throw new SourceSetError(`The source set can't be composed: ${error.message}`, { cause: error });
    throw error;
  }
}

/** Refuses a join that would hold every record against every other. */
export function requireBounded(document: MappingDocument, landed: Landed, sql: SourceSetSql): void {
  let before = landed.datasets.get(document.source.primary.alias)!.records;
  for (const join of sql.joins) {
    const { dataset, records } = landed.datasets.get(join.alias)!;
    if (!join.byEquality && before * records > MOST_PAIRS)
      throw new SourceSetError(
        `The join with ${dataset} compares ${before.toLocaleString('en-GB')} × ${records.toLocaleString('en-GB')} records one by one, because its condition has no “field = field”. Add one.`,
      );
    before = Math.max(before, join.kind === 'left' || join.kind === 'inner' ? before : records);
  }
}

/** Runs a statement; what PostgreSQL refuses is said with the part of the source set that it is about. */
export async function ask<T>(db: PGlite, sql: string, params: unknown[] = []): Promise<T[]> {
  try {
    return (await db.query<T>(sql, params)).rows;
  } catch (error) {
    const { message } = error as Error;
    const words = /FULL JOIN is only supported/.test(message)
      ? 'a full join needs a condition of the form “field = field”'
      : message.replace(/\.$/, '');
    throw new SourceSetError(`PostgreSQL can't compose the source set: ${words}.`, { cause: error });
  }
}

async function count(
  db: PGlite,
  sql: SourceSetSql,
  landed: Landed,
): Promise<Omit<ComposedCounts, 'folded' | 'records'> & { kept: number }> {
  const [row] = await ask<{ joined: number; kept: number; met: number }>(db, sql.counts, [MOST_JOINED + 1]);
  const { joined, kept, met } = { joined: Number(row!.joined), kept: Number(row!.kept), met: Number(row!.met) };
  if (joined > MOST_JOINED)
    throw new SourceSetError(
      `The joins make more than ${MOST_JOINED.toLocaleString('en-GB')} records: a condition finds many partners for one record. Look at the match figures of the source set.`,
    );
  const [primary] = landed.datasets.values();
  const readable = primary!.records - landed.unreadable.length;
  return { read: primary!.records, multiplied: joined - met, unmatched: readable - met, filtered: joined - kept, kept };
}

async function write(
  db: PGlite,
  sql: SourceSetSql,
  landed: Landed,
  path: string,
  { tell }: ComposeOptions,
): Promise<number> {
  const partial = `${path}.partial`;
  const file = new TextFile(partial);
  const heads = sql.names.map((name, i) => `${i === 0 ? '{' : ','}${JSON.stringify(name)}:`);
  let records = 0;
  try {
    for (const { row, file: name, message, raw } of landed.unreadable) {
      const cells = {
        [PLACE_FIELDS.row]: String(row),
        [PLACE_FIELDS.file]: name,
        [PLACE_FIELDS.unreadable]: message,
        raw,
      };
      file.write(`${JSON.stringify(cells)}\n`);
      records++;
    }
    await ask(db, 'BEGIN');
    await ask(db, `DECLARE records NO SCROLL CURSOR FOR ${sql.records}`);
    for (;;) {
      const { rows } = await db
        .query<(string | null)[]>(`FETCH ${FETCH} FROM records`, [], { rowMode: 'array' })
        .catch((error: Error) => {
          throw new SourceSetError(`PostgreSQL can't compose the source set: ${error.message}`, { cause: error });
        });
      if (rows.length === 0) break;
      for (const row of rows) file.write(`${row.map((cell, i) => heads[i]! + JSON.stringify(cell)).join('')}}\n`);
      records += rows.length;
      tell?.(records);
      await file.flush();
    }
    await ask(db, 'COMMIT');
  } finally {
    await file.close();
  }
  renameSync(partial, path);
  return records;
}
