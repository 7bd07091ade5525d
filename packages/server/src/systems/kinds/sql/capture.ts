import { refused } from '@versicle/core';
import { tableName } from '@versicle/postgres';
import type { SqlTables } from './tables.ts';

/** Keys that are read one by one; where more rows changed, all are read. */
export const MOST_KEYS = 100_000;

/** A table whose changes can be written down. */
export interface CapturedTable {
  readonly oid: number;
  /** As SQL names it. */
  readonly name: string;
  /** Its primary key, with the types. */
  readonly fields: readonly string[];
  readonly types: readonly string[];
}

/** Throws what stands against writing down its changes. */
export async function capturable(tables: SqlTables, dataset: string): Promise<CapturedTable> {
  const found = await tables.known(dataset);
  const key = await tables.primaryKey(dataset);
  if (key === null)
    throw refused(`${dataset} is no table, and only of tables the database writes down what changes. Compare instead.`);
  if (key.fields.length === 0)
    throw refused(`${dataset} has no primary key, and by that is told which of its rows change. Compare instead.`);
  const types = key.fields.map((f) => found.find((c) => c.name === f)!.type);
  return { oid: key.oid, name: tableName(dataset), fields: key.fields, types };
}
