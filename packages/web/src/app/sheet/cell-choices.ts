import { FAIL_WORDS, LINE_FAILURES, LINE_STATES, type Cell, type MappingDocument } from '@versicle/core';

/** Something that a cell takes: what is written into it, and what that means where its words don't say so. */
export interface CellChoice {
  readonly text: string;
  readonly means?: string;
}

/** Cells that take one of a few words; all of them are shown as soon as such a cell is opened. */
export const CLOSED_CELLS: ReadonlySet<Cell> = new Set(['state', 'onFail', 'type']);
/** All cells that have choices. */
export const CHOICE_CELLS: ReadonlySet<Cell> = new Set([...CLOSED_CELLS, 'how', 'source']);
/** More are not shown at once: whoever goes on typing sees fewer. */
const MOST = 40;

/** Types that are proposed; others can be written. */
export const TYPES: readonly string[] = [
  'text',
  'varchar(40)',
  'integer',
  'bigint',
  'numeric(10,2)',
  'double precision',
  'boolean',
  'date',
  'timestamp',
  'timestamptz',
  'interval',
  'uuid',
  'jsonb',
];
const GENERATED: readonly CellChoice[] = [
  { text: 'generated uuid', means: $localize`a new UUID` },
  { text: 'generated sequence', means: $localize`the next number` },
  { text: 'generated hash of ', means: $localize`a hash of target fields` },
];

/** What a cell can take, as far as it fits what is typed; none where the text is one of them already. */
export function choicesFor(
  document: MappingDocument,
  fields: readonly string[],
  cell: Cell,
  typed: string,
): readonly CellChoice[] {
  const text = typed.trim().toLowerCase();
  const all = allChoices(document, fields, cell);
  if (CLOSED_CELLS.has(cell) && text === '') return all;
  if (text === '') return [];
  const fits = ({ text: choice, means = '' }: CellChoice): boolean =>
    choice.toLowerCase().includes(text) || (cell === 'onFail' && means.toLowerCase().includes(text));
  const found = all.filter(fits);
  // What begins so comes first; the order is kept otherwise.
  const begins = (choice: CellChoice): number => (choice.text.toLowerCase().startsWith(text) ? 0 : 1);
  found.sort((a, b) => begins(a) - begins(b));
  return found.length === 1 && found[0]!.text.trim().toLowerCase() === text ? [] : found.slice(0, MOST);
}

function allChoices(document: MappingDocument, fields: readonly string[], cell: Cell): readonly CellChoice[] {
  switch (cell) {
    case 'state':
      return LINE_STATES.map((text) => ({ text }));
    case 'onFail':
      return LINE_FAILURES.map((text) => ({ text, means: FAIL_WORDS[text] }));
    case 'type':
      return TYPES.map((text) => ({ text }));
    case 'source':
      return fields.map((text) => ({ text }));
    case 'how':
      return [
        { text: 'straight', means: $localize`the source field as it is` },
        { text: 'not loaded', means: $localize`the field is left out` },
        ...Object.entries(document.codeTables).map(([name, codes]) => ({
          text: `lookup ${name}`,
          means: $localize`code table, ${codes.length} codes`,
        })),
        ...GENERATED,
        ...constants(document),
        ...fields.map((text) => ({ text })),
      ];
    default:
      return [];
  }
}
/** Constants that other lines have. */
function constants(document: MappingDocument): CellChoice[] {
  const values = document.lines.flatMap((l) => (l.kind === 'constant' ? [String(l.value ?? '')] : []));
  return [...new Set(values)].map((value) => ({ text: `constant ${value}` }));
}
