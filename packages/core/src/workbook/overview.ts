import type { DocumentDifference, PartDifference } from '../document/difference.ts';
import { LINE_STATES, type MappingDocument, WRITE_WORDS } from '../document/document.ts';
import { joinText } from '../document/join-text.ts';
import { counted, quoted } from '../words.ts';
import { sheetOf, shortened, type RowLook, type WorkbookSheet } from './workbook-sheet.ts';

/** What the workbook says of itself beside the document, for people; it is not read back. */
export interface WorkbookFacts {
  /** The mapping that it is of, where it has one. */
  readonly id?: string;
  readonly revision?: number | null;
  readonly revisions?: readonly { number: number; publishedAt: string; publishedBy: string; note: string }[];
  /** What differs from the last revision. */
  readonly changed?: DocumentDifference;
  /** Who agreed to lines of the draft. */
  readonly agreedBy?: readonly string[];
  /** Names of systems by their ids. */
  readonly systems?: ReadonlyMap<string, string>;
}

/** Of a long list of changes so many are named; the others are counted. */
const MOST_CHANGES = 60;

/**
 * The title page: what the document is, where it stands, what is open and what changed. Entries of the document are read back;
 * those that may stand several times are one row each.
 */
export function overviewSheet(document: MappingDocument, facts: WorkbookFacts): WorkbookSheet {
  const page = new Page();
  const { source, target, write } = document;
  page.add('title', 'Name', document.name);
  page.add('entry', 'Purpose', document.purpose ?? null);
  page.part('Where it stands');
  for (const [entry, text] of standing(document, facts)) page.add('derived', entry, text);

  page.part('Source');
  page.add('derived', 'What is read', sourceInWords(document, facts));
  page.add('entry', 'Source dataset', source.primary.dataset);
  for (const join of source.joins) page.add('entry', 'Join', joinText(join));
  for (const union of source.unions) page.add('entry', 'Union', json(union));
  page.has('Only records where', source.filter);
  for (const by of source.distinctOn) page.add('entry', 'Distinct on', by);
  for (const by of source.groupBy) page.add('entry', 'Grouped by', by);
  for (const by of source.orderBy) page.add('entry', 'Sorted by', by);

  page.part('Target');
  page.add('derived', 'What is written', targetInWords(document, facts));
  page.add('entry', 'Target dataset', target.dataset);
  for (const field of target.key) page.add('entry', 'Key', field);
  for (const unique of target.unique) page.add('entry', 'Unique together', json(unique));
  page.add('entry', 'Written as', write.mode);
  page.has('Records that exist', write.existing);

  const open = document.questions.filter((q) => q.answer === undefined);
  page.part(open.length === 0 ? 'No open questions' : `Open questions: ${open.length}`);
  for (const q of open)
    page.add(
      'derived',
      q.line === undefined ? 'The whole document' : lineName(document, q.line),
      `${q.to === undefined ? '' : `For ${q.to}: `}${q.text}`,
    );

  changes(page, document, facts);

  page.part('In this workbook');
  for (const [sheet, what] of SHEETS) page.add('derived', `Sheet ${quoted(sheet)}`, what);
  page.add('derived', 'Grey words', 'are worked out from the rest and not read back; all else is.');

  // What only reading back needs stands last, and is not printed.
  page.add('kept', 'Source alias', source.primary.alias);
  if (document.$schema !== undefined) page.add('kept', 'Schema', document.$schema);
  page.add('kept', 'Form', 'Versicle mapping document, version 1');
  for (const name of Object.keys(document.codeTables)) page.add('kept', 'Has code table', name);
  for (const other of Object.entries(document.codeDefaults ?? {})) page.add('kept', 'Other codes become', json(other));
  if (document.examples) page.add('kept', 'Has examples', 'yes');
  if (facts.id !== undefined) page.add('kept', 'Mapping', facts.id);
  return sheetOf('Overview', ['Entry', 'Value'], page.rows, {
    widths: { Entry: 30, Value: 96 },
    page: page.looks,
  });
}

class Page {
  readonly rows: { Entry: string; Value: string | null }[] = [];
  readonly looks: RowLook[] = [];
  add(look: RowLook, entry: string, value: string | null): void {
    this.rows.push({ Entry: entry, Value: look === 'derived' && value !== null ? shortened(value) : value });
    this.looks.push(look);
  }
  has(entry: string, value: string | null | undefined): void {
    if (value !== null && value !== undefined) this.add('entry', entry, value);
  }
  part(heading: string): void {
    this.add('heading', heading, null);
  }
}

const json = (value: unknown): string => JSON.stringify(value);
const day = (time: string): string => time.slice(0, 10);

const SHEETS: readonly (readonly [sheet: string, what: string])[] = [
  ['Mapping', 'One row for each target field and line. Fill in, correct, sign (State), and ask (Question).'],
  ['Checks and skips', 'What a finished record must be, and which records are left out.'],
  ['Code tables', 'What each code of the source becomes in the target.'],
  ['Questions', 'All questions, with their answers. Answer here.'],
  ['Dictionary', 'What fields mean; the fields of the source as they were known.'],
  ['Examples', 'Records with what must come of them.'],
  ['Revisions', 'What was published, when and by whom.'],
];

function standing(document: MappingDocument, facts: WorkbookFacts): (readonly [string, string])[] {
  const { revision = null, revisions = [], agreedBy = [] } = facts;
  const last = revisions.find((r) => r.number === revision);
  const states = LINE_STATES.map((s) => [s, document.lines.filter((l) => l.state === s).length] as const);
  const bare = document.target.fields.filter((f) => !document.lines.some((l) => l.target === f.name)).length;
  const rows: [string, string][] = [
    ['Revision', revision === null ? 'Draft; nothing is published yet' : `Draft after revision ${revision}`],
  ];
  if (last)
    rows.push([
      'Last published',
      `On ${day(last.publishedAt)} by ${last.publishedBy}${last.note ? `: ${last.note}` : ''}`,
    ]);
  rows.push([
    'Lines',
    `${counted(document.lines.length, 'line')}: ${states.map(([state, n]) => `${n} ${STATE_WORDS[state]}`).join(', ')}${bare > 0 ? `; ${counted(bare, 'field')} without a line` : ''}`,
  ]);
  if (agreedBy.length > 0) rows.push(['Agreed to by', agreedBy.join(', ')]);
  return rows;
}
const STATE_WORDS = { 'to map': 'to map', question: 'with a question', drafted: 'drafted', agreed: 'agreed' } as const;

function datasetWords(dataset: string, { systems }: WorkbookFacts): string {
  const at = dataset.indexOf('/');
  const system = systems?.get(dataset.slice(0, at));
  return system === undefined ? dataset : `${dataset.slice(at + 1)} of ${system}`;
}
const JOIN_WORDS = {
  inner: ['with each of them', ', and only those that have one'],
  left: ['with each of them, where there is one,', ''],
  right: ['for each record, also where none of the above fits,', ''],
  full: ['both sides, also where the other is missing:', ''],
} as const;
function sourceInWords({ source }: MappingDocument, facts: WorkbookFacts): string {
  const parts = [`The records of ${datasetWords(source.primary.dataset, facts)} (${source.primary.alias})`];
  for (const { dataset } of source.unions) parts.push(`below them those of ${datasetWords(dataset, facts)}`);
  for (const { kind, dataset, alias, on } of source.joins) {
    const [before, after] = JOIN_WORDS[kind];
    parts.push(`${before} the record of ${datasetWords(dataset, facts)} (${alias}) for which ${on}${after}`);
  }
  if (source.filter) parts.push(`only where ${source.filter}`);
  if (source.distinctOn.length > 0) parts.push(`one for each ${source.distinctOn.join(', ')}`);
  if (source.groupBy.length > 0) parts.push(`put together by ${source.groupBy.join(', ')}`);
  if (source.orderBy.length > 0) parts.push(`in the order of ${source.orderBy.join(', ')}`);
  return `${parts.join('; ')}.`;
}
function targetInWords({ target, write }: MappingDocument, facts: WorkbookFacts): string {
  const key = target.key.length === 0 ? '' : `, told apart by ${target.key.join(', ')}`;
  return `Records of ${datasetWords(target.dataset, facts)} with ${counted(target.fields.length, 'field')}${key}; ${WRITE_WORDS[write.mode]}.`;
}

/** A line as people call it: its number and target. */
function lineName(document: MappingDocument, id: string): string {
  const at = document.lines.findIndex((l) => l.id === id);
  if (at < 0) return `Line ${id}`;
  const name = document.lines[at]!.target;
  return `Line ${at + 1}, ${document.target.fields.find((f) => f.name === name)?.label ?? name}`;
}

function changes(page: Page, document: MappingDocument, { changed, revision }: WorkbookFacts): void {
  if (!changed || !revision) return;
  const { lines, other } = changed;
  const named: [string, string][] = [
    ...lines.map((l): [string, string] => [
      l.change === 'removed' ? `Line for ${l.target}` : lineName(document, l.line),
      l.change === 'changed' ? l.parts.map(partWords).join('\n') : l.change === 'added' ? 'new' : 'taken out',
    ]),
    ...other.map((part): [string, string] => ['The document', partWords(part)]),
  ];
  page.part(named.length === 0 ? `Nothing changed since revision ${revision}` : `Changed since revision ${revision}`);
  for (const [what, how] of named.slice(0, MOST_CHANGES)) page.add('derived', what, how);
  if (named.length > MOST_CHANGES)
    page.add('derived', 'More', `${counted(named.length - MOST_CHANGES, 'other change')}, not named here`);
}
function partWords({ part, before, after }: PartDifference): string {
  const word = (text: string): string => (text === '' ? 'nothing' : quoted(text, 160));
  return `${part}: ${word(before)} → ${word(after)}`;
}
