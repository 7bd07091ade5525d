import type { Cells, Column } from '@versicle/core';
import { xmlBody } from './xml-body.ts';

/** A JSON value as it is written: texts of numbers and documents keep their very digits. */
type Written = string | WrittenObject;
type WrittenObject = Map<string, Written>;

const NUMBERS: ReadonlySet<Column['type']> = new Set(['int2', 'int4', 'int8', 'numeric', 'float8']);
const JSON_NUMBER = /^-?(0|[1-9]\d*)(\.\d+)?([eE][-+]?\d+)?$/;

/** A finished record as JSON: dots in field names are levels. `id` goes into the member that carries our own id. */
export function recordJson(
  cells: Cells,
  columns: readonly Column[],
  id: { readonly member: string; readonly value: string } | null = null,
): string {
  const root: WrittenObject = new Map();
  const put = (column: string, value: string): void => {
    const path = column.split('.');
    let at = root;
    for (const name of path.slice(0, -1)) {
      const inner = at.get(name);
      // In XML an element may have a text and attributes; as JSON, which only the path asks, the attributes win.
      const next: WrittenObject = inner instanceof Map ? inner : new Map();
      at.set(name, next);
      at = next;
    }
    at.set(path.at(-1)!, value);
  };
  for (const [i, { name, type }] of columns.entries()) put(name, valueJson(cells[i] ?? null, type));
  if (id !== null) put(id.member, JSON.stringify(id.value));
  return written(root);
}
function written(value: Written): string {
  if (typeof value === 'string') return value;
  return `{${[...value].map(([name, inner]) => `${JSON.stringify(name)}:${written(inner)}`).join(',')}}`;
}
function valueJson(text: string | null, type: Column['type']): string {
  if (text === null) return 'null';
  if (type === 'bool') return text === 't' ? 'true' : 'false';
  if (type === 'jsonb') return text;
  return NUMBERS.has(type) && JSON_NUMBER.test(text) ? text : JSON.stringify(text);
}

/** Two fields that can't both stand in a JSON object: one would be a value and an object at once. Null where all can. */
export function memberClash(names: readonly string[]): readonly [string, string] | null {
  for (const [i, name] of names.entries()) {
    const other = names.find((n, j) => n.startsWith(`${name}.`) || (n === name && j !== i));
    if (other !== undefined) return [name, other];
  }
  return null;
}

/** The body of one request; gives the field instead whose value can't be written. */
export function requestBody(
  records: readonly Cells[],
  columns: readonly Column[],
  form: {
    readonly xml: boolean;
    readonly single: boolean;
    readonly member: string | null;
    readonly idMember: string | null;
  },
  ids: readonly string[],
): { readonly body: string } | { readonly field: string } {
  if (form.xml) {
    const names = columns.map((c) => c.name);
    const made = xmlBody(form.member!, names, xmlValues(records[0]!, columns));
    return 'field' in made ? made : { body: made.xml };
  }
  const texts = records.map((cells, i) =>
    recordJson(cells, columns, form.idMember === null ? null : { member: form.idMember, value: ids[i]! }),
  );
  if (form.single) return { body: texts[0]! };
  const list = `[${texts.join(',')}]`;
  return { body: form.member === null ? list : `{${JSON.stringify(form.member)}:${list}}` };
}
/** Values as XML Schema writes them: booleans in words. */
function xmlValues(cells: Cells, columns: readonly Column[]): Cells {
  return cells.map((text, i) =>
    text !== null && columns[i]!.type === 'bool' ? (text === 't' ? 'true' : 'false') : text,
  );
}

/**
 * Fills the places of a path with values of the record, each safely within its part. Gives the name of the place instead that
 * has no value, or one that would lead to another address (RFC 3986, 5.2.4: dots are steps).
 */
export function fillPath(
  path: string,
  valueOf: (name: string) => string | null | undefined,
): { readonly path: string } | { readonly missing: string } {
  let missing: string | null = null;
  const filled = path.replace(/(?<!\{)\{([^{}]+)\}(?!\})/g, (_, name: string) => {
    const value = valueOf(name);
    if (value === null || value === undefined || leadsElsewhere(value)) missing ??= name;
    return encodeURIComponent(value ?? '');
  });
  return missing === null ? { path: filled } : { missing };
}
export const leadsElsewhere = (value: string): boolean => value === '' || value === '.' || value === '..';
