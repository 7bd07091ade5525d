import { quoteName } from '@versicle/core';

/** How people, documents and SQL name a table: `trip`, `ledger.posting`; a name with a dot or a quote in it stands in quotes. */

const PART = /^(?:"((?:[^"]|"")+)"|([^".]+))(?:\.(?:"((?:[^"]|"")+)"|(.+)))?$/s;

/** Tables without a schema are those of `public`, whatever a user's search path says. */
export function splitTable(table: string): { readonly schema: string; readonly name: string } {
  const found = PART.exec(table);
  if (!found) return { schema: 'public', name: table };
  const [, quotedFirst, first, quotedSecond, second] = found;
  const plain = (quoted: string | undefined, text: string | undefined): string | undefined =>
    quoted === undefined ? text : quoted.replace(/""/g, '"');
  const one = plain(quotedFirst, first)!;
  const two = plain(quotedSecond, second);
  return two === undefined ? { schema: 'public', name: one } : { schema: one, name: two };
}

/** What a table is called as a dataset; `splitTable` gives the same table back. */
export function datasetName(schema: string, name: string): string {
  const part = (text: string): string => (/[".]/.test(text) ? quoteName(text) : text);
  return schema === 'public' ? part(name) : `${part(schema)}.${part(name)}`;
}

/** The table in SQL, always with its schema. */
export function tableName(table: string): string {
  const { schema, name } = splitTable(table);
  return `${quoteName(schema)}.${quoteName(name)}`;
}

const short = (source: string): string => source.replace(/-/g, '').slice(0, 16);
/** Where a run that replaces a table's content loads it, until it takes the table's place. */
export const besideName = (source: string): string => `versicle.${quoteName(`load_${short(source)}`)}`;
/** Where a run keeps the keys that it delivered, while only the database can tell which of them are equal. */
export const keysName = (source: string): string => `versicle.${quoteName(`keys_${short(source)}`)}`;
