import type { Rejection } from '@versicle/core';
import { splitTable } from '../names.ts';
import type { Session } from '../session.ts';

export type DatabaseRefusal = Omit<Rejection, 'part' | 'index' | 'cells'>;
interface SaidError {
  readonly code?: string;
  readonly message: string;
  readonly detail?: string;
  readonly column?: string;
  readonly constraint?: string;
  readonly where?: string;
}

/** Where rows go, and what is known already of its constraints' columns. */
interface Place {
  readonly table: string;
  readonly into: string;
  readonly known: Map<string, readonly string[]>;
}

/** What a database says against a row, with the columns that it is about. `cells`: the row, where there is only one. */
export async function refusalOf(
  tx: Session,
  { table, into, known }: Place,
  error: unknown,
  cells: readonly { column: string; text: string | null; type: string }[] | null,
): Promise<DatabaseRefusal> {
  const e = error as SaidError;
  const code = e.code ?? '';
  return {
    code: code === '21000' ? '23505' : code,
    message:
      code === '21000'
        ? `another record before it has a key that ${table} holds for equal`
        : e.detail
          ? ofTable(`${e.message} (${e.detail})`, table)
          : ofTable(e.message, table),
    columns: cells === null ? [] : await columnsOf(tx, into, known, e, cells),
    constraint: e.constraint ?? null,
  };
}

async function columnsOf(
  tx: Session,
  into: string,
  ofConstraint: Map<string, readonly string[]>,
  { code, column, constraint, where }: SaidError,
  cells: readonly { column: string; text: string | null; type: string }[],
): Promise<readonly string[]> {
  if (column) return [column];
  if (constraint) {
    const known = ofConstraint.get(constraint) ?? (await columnsOfConstraint(tx, into, constraint));
    ofConstraint.set(constraint, known);
    return known;
  }
  // “COPY item, line 1, column price: "x"”
  const copied = /, column ("?)([^:]+)\1(?::|$)/.exec(where ?? '')?.[2];
  const known = cells.find((c) => c.column === copied);
  if (known) return [known.column];
  return (code ?? '').startsWith('22') ? firstThatDoesNotFit(tx, cells) : [];
}

/** Columns of a constraint, or of a unique index, also where the index is on expressions. */
async function columnsOfConstraint(tx: Session, into: string, constraint: string): Promise<string[]> {
  const { rows } = await tx.query(
    `SELECT a.attname AS name FROM pg_attribute a WHERE a.attrelid = $1::regclass AND a.attnum IN (
       SELECT unnest(c.conkey) FROM pg_constraint c WHERE c.conrelid = $1::regclass AND c.conname = $2
       UNION SELECT d.refobjsubid FROM pg_index i JOIN pg_class x ON x.oid = i.indexrelid
         JOIN pg_depend d ON d.objid = i.indexrelid AND d.refobjid = i.indrelid AND d.refobjsubid > 0
        WHERE i.indrelid = $1::regclass AND x.relname = $2) ORDER BY a.attnum`,
    [into, constraint],
  );
  return rows.map((r) => String(r['name']));
}

async function firstThatDoesNotFit(
  tx: Session,
  cells: readonly { column: string; text: string | null; type: string }[],
): Promise<string[]> {
  for (const { column, text, type } of cells) {
    if (text === null) continue;
    await tx.exec('SAVEPOINT cell');
    try {
      // An explicit cast would cut a text that is too long; an assignment does not.
      await tx.exec(`CREATE TEMPORARY TABLE versicle_cell (value ${type}) ON COMMIT DROP`);
      await tx.query(
        'INSERT INTO pg_temp.versicle_cell SELECT x FROM json_populate_record(NULL::pg_temp.versicle_cell, $1) AS r(x)',
        [JSON.stringify({ value: text })],
      );
    } catch (error) {
      await tx.exec('ROLLBACK TO SAVEPOINT cell; RELEASE SAVEPOINT cell');
      if (/^22/.test((error as SaidError).code ?? '')) return [column];
      continue;
    }
    await tx.exec('ROLLBACK TO SAVEPOINT cell; RELEASE SAVEPOINT cell');
  }
  return [];
}

/** Constraints of what is loaded beside a table are spoken of as the table's own. */
const ofTable = (message: string, table: string): string =>
  message.replace(/\bload_[0-9a-f]{16}/g, splitTable(table).name);
