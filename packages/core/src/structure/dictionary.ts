import { Fault } from '../faults.ts';
import { parseFieldType } from '../fields/types.ts';
import { field, type Structure } from './structure.ts';

/** Headings of data dictionaries, in the words that people use; compared without case, blanks and signs. */
const HEADINGS = {
  dataset: ['dataset', 'table', 'tablename', 'entity', 'object', 'file', 'structure'],
  name: ['field', 'fieldname', 'column', 'columnname', 'attribute', 'name', 'technicalname', 'physicalname'],
  label: ['label', 'displayname', 'title', 'caption', 'businessname', 'fieldlabel'],
  type: ['type', 'datatype', 'fieldtype', 'format'],
  length: ['length', 'size', 'maxlength', 'len', 'width'],
  scale: ['scale', 'decimals', 'decimalplaces'],
  nullable: ['nullable', 'null', 'optional', 'allownull'],
  required: ['required', 'mandatory', 'notnull', 'must'],
  key: ['key', 'pk', 'primarykey', 'primary', 'isidentifier'],
  references: ['references', 'reference', 'fk', 'foreignkey', 'refersto', 'lookup'],
  description: ['description', 'comment', 'comments', 'meaning', 'notes', 'note', 'definition', 'remarks'],
} as const;
type Heading = keyof typeof HEADINGS;
export type DictionaryColumns = Readonly<Partial<Record<Heading, number>>>;

const bare = (text: string): string => text.toLowerCase().replace(/[^a-z0-9]/g, '');

/** Which column means what, by its heading. The best matches first: exact words before parts of words. */
export function matchColumns(headings: readonly string[]): DictionaryColumns {
  const columns: Partial<Record<Heading, number>> = {};
  const taken = new Set<number>();
  const words = headings.map(bare);
  for (const exact of [true, false])
    for (const [heading, synonyms] of Object.entries(HEADINGS) as [Heading, readonly string[]][]) {
      if (columns[heading] !== undefined) continue;
      const at = words.findIndex(
        (w, i) => !taken.has(i) && w !== '' && synonyms.some((s) => (exact ? w === s : s.length > 3 && w.includes(s))),
      );
      if (at < 0) continue;
      columns[heading] = at;
      taken.add(at);
    }
  return columns;
}

const YES = new Set(['y', 'yes', 'x', 'true', 't', '1', 'pk', 'm', 'mandatory', 'required', 'not null']);
const yes = (text: string): boolean => YES.has(text.trim().toLowerCase());

/**
 * The structures that a data dictionary tells of, one for each dataset that its rows name (or `name` where they name none).
 * Throws a fault when it has no column of field names.
 */
export function structuresOfDictionary(
  headings: readonly string[],
  rows: readonly (readonly (string | null)[])[],
  name: string,
): Structure[] {
  const columns = matchColumns(headings);
  if (columns.name === undefined)
    throw new Fault(
      'structure',
      `No column of the dictionary is headed like field names (field, column, attribute …); it has ${headings.slice(0, 10).join(', ')}.`,
    );
  const structures = new Map<string, ReturnType<typeof field>[]>();
  let dataset = name;
  for (const row of rows) {
    const cell = (heading: Heading): string =>
      (columns[heading] === undefined ? '' : (row[columns[heading]] ?? '')).trim();
    // In many dictionaries the table stands in its first row only.
    if (cell('dataset') !== '') dataset = cell('dataset');
    const fieldName = cell('name');
    if (fieldName === '') continue;
    const key = yes(cell('key'));
    const must =
      key ||
      (columns.required !== undefined && yes(cell('required'))) ||
      (columns.nullable !== undefined && cell('nullable') !== '' && !yes(cell('nullable')));
    const fields = structures.get(dataset) ?? [];
    structures.set(dataset, fields);
    if (fields.some((f) => f.name === fieldName)) continue;
    fields.push(
      field(fieldName, {
        label: cell('label') || null,
        type: typeOf(cell('type'), cell('length'), cell('scale')),
        nullable: !must,
        key,
        references: cell('references') || null,
        description: cell('description') || null,
      }),
    );
  }
  if (structures.size === 0) throw new Fault('structure', 'The dictionary names no fields.');
  return [...structures].map(([structure, fields]) => ({ name: structure, description: null, fields }));
}

const FAMILIES: readonly (readonly [RegExp, string])[] = [
  [/^(n?var)?char|^string|^text|^alpha|^str|^an?$|^n?varchar2/i, 'text'],
  [/^(date.?time|timestamp)/i, 'timestamp'],
  [/^date/i, 'date'],
  [/^bool|^bit|^yes\/?no|^flag/i, 'boolean'],
  [/^(small|tiny)int/i, 'smallint'],
  [/^(big|long)/i, 'bigint'],
  [/^int/i, 'integer'],
  [/^(num|dec|money|currency|amount|number)/i, 'numeric'],
  [/^(float|double|real)/i, 'double precision'],
  [/^(uuid|guid)/i, 'uuid'],
  [/^json/i, 'jsonb'],
];
/** A type as people write it in dictionaries, in the words of mapping documents. */
function typeOf(text: string, length: string, scale: string): string {
  const own = text.trim().toLowerCase();
  try {
    if (own !== '' && (/\(/.test(own) || length === '')) return parseFieldType(own).sql;
  } catch {
    // Not one of ours: its family says enough.
  }
  const family = FAMILIES.find(([pattern]) => pattern.test(own))?.[1] ?? 'text';
  const inside = /\(\s*(\d+)\s*(?:,\s*(\d+)\s*)?\)/.exec(own);
  const size = inside?.[1] ?? (/^\d+$/.test(length) ? length : null);
  const digits = inside?.[2] ?? (/^\d+$/.test(scale) ? scale : null) ?? /^\d+[.,](\d+)$/.exec(length)?.[1] ?? null;
  if (family === 'text') return size && Number(size) > 0 ? `varchar(${size})` : 'text';
  if (family === 'numeric') return size && Number(size) > 0 ? `numeric(${size},${digits ?? '0'})` : 'numeric';
  return family;
}
