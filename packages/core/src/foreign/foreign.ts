import { parseFieldType } from '../fields/types.ts';
import { counted } from '../words.ts';
import { parseDocument, type Code, type Line, type MappingDocument } from '../document/document.ts';
import type { ForeignLayout, ForeignPart, ForeignSheet } from './foreign-layout.ts';
import { headingsOf } from './foreign-layout.ts';
import { understandRule } from './foreign-rule.ts';

export interface ForeignGround {
  readonly name: string;
  /** Where the lines stand, and where codes stand. */
  readonly lines: ForeignLayout;
  readonly codes: readonly ForeignLayout[];
  readonly source: { readonly dataset: string; readonly alias: string; readonly fields: readonly string[] };
  readonly target: string;
  /** Of a sheet for several targets: the one that is read; null for all rows. */
  readonly targetTable: string | null;
}
export interface ForeignRead {
  readonly document: MappingDocument;
  /** Lines whose rule was understood, and those that are to map. */
  readonly understood: number;
  readonly toMap: number;
  /** Texts that belong to no line; they are kept in the document's purpose. */
  readonly left: readonly string[];
}

/** The targets that a sheet speaks of, where a column names them. */
export function targetTables(sheet: ForeignSheet, layout: ForeignLayout): string[] {
  const at = layout.columns.indexOf('target dataset');
  if (at < 0) return [];
  const names = filled(sheet, layout, [at]).map((row) => (row[at] ?? '').trim());
  return [...new Set(names.filter((n) => n !== ''))];
}

/**
 * Reads a mapping spreadsheet of somebody's own making. What can be understood for certain becomes a drafted line; otherwise
 * the line is to map and keeps the text as its note. Nothing of the rows is lost: columns without a meaning go into the note.
 */
export function readForeign(sheets: readonly ForeignSheet[], ground: ForeignGround): ForeignRead {
  const sheet = sheets.find((s) => s.name === ground.lines.sheet)!;
  const { columns, headerRow } = ground.lines;
  const headings = headingsOf(sheet, headerRow);
  const { tables: codeTables, left: leftOfCodes } = readCodes(sheets, ground.codes);
  const at = (part: ForeignPart): number => columns.indexOf(part);
  const carried = [at('section'), at('target dataset'), at('source dataset')].filter((c) => c >= 0);
  const fields = new Map<string, MappingDocument['target']['fields'][number]>();
  const lines: Line[] = [];
  const key: string[] = [];
  const left = sheet.rows
    .slice(
      0,
      Math.max(0, headerRow - (headings.some((h, i) => h !== (sheet.rows[headerRow]?.[i] ?? '').trim()) ? 1 : 0)),
    )
    .map(textOf)
    .filter((t) => t !== '');
  const questions: MappingDocument['questions'] = [];
  let understood = 0;
  for (const row of filled(sheet, ground.lines, carried)) {
    const cell = (part: ForeignPart): string => (at(part) < 0 ? '' : (row[at(part)] ?? '').trim());
    const table = cell('target dataset');
    if (ground.targetTable !== null && table !== '' && table !== ground.targetTable) continue;
    const label = cell('target label');
    const name = fieldNameOf(cell('target name') || label);
    const rest = noteOf(row, columns, headings, cell);
    if (name === '' || (cell('target name') === '' && !columns.includes('target label'))) {
      const text = textOf(row);
      if (text !== '') left.push(text);
      continue;
    }
    if (fields.has(name)) {
      // A second row for a field belongs to its first one.
      const first = lines.find((l) => l.target === name)!;
      first.note = [first.note, textOf(row)].filter(Boolean).join('\n');
      continue;
    }
    const id = `l${String(lines.length + 1).padStart(2, '0')}`;
    const type = typeOf(cell('target type'), cell('target length'));
    const required = /^(y|yes|x|ja|j|m|true|1|mandatory|required|pflicht|muss)$/i.test(cell('required'));
    if (/^(y|yes|x|ja|j|pk|true|1|key)\d*$/i.test(cell('key'))) key.push(name);
    fields.set(name, {
      name,
      ...(label !== '' && label !== name ? { label } : {}),
      type: type.type,
      nullable: !required,
      required,
      ...(cell('section') === '' ? {} : { section: cell('section') }),
    });
    const line = lineOf(id, name, cell, ground, codeTables);
    const note = [line.note, ...(type.told === null ? [] : [`Type: ${type.told}`]), ...rest].filter(Boolean).join('\n');
    lines.push({ ...line, ...(note === '' ? {} : { note }) });
    if (line.kind !== undefined) understood++;
    if (cell('question') !== '') questions.push({ id: `q${questions.length + 1}`, line: id, text: cell('question') });
  }
  left.push(...leftOfCodes, ...unread(sheets, [ground.lines, ...ground.codes]));
  const document = parseDocument({
    versicle: 1,
    name: ground.name,
    ...(left.length > 0 ? { purpose: purposeOf(left) } : {}),
    source: { primary: { alias: ground.source.alias, dataset: ground.source.dataset } },
    target: { dataset: ground.target, key, fields: [...fields.values()] },
    lines,
    codeTables: Object.fromEntries(codeTables),
    questions,
    write: { mode: key.length > 0 ? 'upsert' : 'insert' },
  });
  return { document, understood, toMap: lines.length - understood, left };
}

function lineOf(
  id: string,
  target: string,
  cell: (part: ForeignPart) => string,
  { source }: ForeignGround,
  codeTables: Map<string, Code[]>,
): Line {
  const named = cell('source name').replace(/^[\p{L}\p{N}_]+\.(?=[\p{L}_])/u, '');
  const field =
    source.fields.find((f) => f === named) ??
    source.fields.find((f) => plain(f) === plain(named)) ??
    (source.fields.length === 0 ? named : null);
  const text = cell('rule');
  const several = /[,;+\n&]/.test(named);
  const table = [...codeTables.keys()].find((t) => plain(t) === plain(cell('code table')));
  const ruleText = text === '' && table !== undefined ? `lookup ${table}` : text;
  const known = {
    alias: source.alias,
    source: field || null,
    fields: source.fields,
    codeTables: [...codeTables.keys()],
  };
  const found = several && ruleText === '' ? null : understandRule(ruleText, known);
  const state = stateOf(cell('state'), cell('question'));
  const notes = [
    cell('note'),
    ...(found ? [] : [[named, text].filter(Boolean).join(': ')]),
    ...(cell('code table') !== '' && table === undefined ? [`Code list: ${cell('code table')}`] : []),
  ];
  const extra = {
    ...conditionOf(cell('condition'), known),
    ...defaultOf(cell('default'), found?.line.kind),
  };
  const note = [...notes, ...(extra.notes ?? [])].filter(Boolean).join('\n');
  const base = { id, target, ...(note === '' ? {} : { note }) };
  if (!found) return { ...base, state: state === 'question' ? 'question' : 'to map' };
  const codes = found.codes;
  if (codes) {
    codeTables.set(target, [...codes]);
    return { ...base, ...found.line, codeTable: target, ...extra.line, state };
  }
  return { ...base, ...found.line, ...extra.line, state };
}
function conditionOf(
  text: string,
  known: Parameters<typeof understandRule>[1],
): { line?: Partial<Line>; notes?: string[] } {
  if (text === '') return {};
  const read = understandRule(`if ${text} then 'Y'`, known)?.line.rule;
  const condition = read && /^CASE WHEN (.*) THEN 'Y' END$/s.exec(read)?.[1];
  return condition ? { line: { condition } } : { notes: [`Only when: ${text}`] };
}
function defaultOf(text: string, kind: Line['kind']): { line?: Partial<Line>; notes?: string[] } {
  if (text === '') return {};
  if (kind === undefined || kind === 'constant' || kind === 'not loaded') return { notes: [`Default: ${text}`] };
  const value = /^(['"“])(.*)['"”]$/s.exec(text)?.[2] ?? text;
  const sql = /^-?\d+(\.\d+)?$/.test(text) ? text : `'${value.replace(/'/g, "''")}'`;
  return { line: { default: sql, defaultWhen: 'null' } };
}
function stateOf(text: string, question: string): Line['state'] {
  if (question !== '' || /question|open|unclear|offen|frage|tbd|\?/i.test(text)) return 'question';
  return /^(agreed|signed(?: off)?|approved|done|ok|final|abgenommen|freigegeben)$/i.test(text) ? 'agreed' : 'drafted';
}

/** Rows below the header that hold something; merged or left-out cells of the `carried` columns go on downwards. */
function filled(sheet: ForeignSheet, { headerRow }: ForeignLayout, carried: readonly number[]): (string | null)[][] {
  const last = new Map<number, string>();
  return sheet.rows.slice(headerRow + 1).flatMap((row) => {
    if (row.every((c) => c === null || c.trim() === '')) return [];
    const cells = [...row];
    for (const at of carried) {
      const own = (cells[at] ?? '').trim();
      if (own !== '') last.set(at, own);
      else if (last.has(at)) cells[at] = last.get(at)!;
    }
    return [cells];
  });
}
/** What stands in columns that mean nothing to us. */
function noteOf(
  row: readonly (string | null)[],
  columns: readonly (ForeignPart | null)[],
  headings: readonly string[],
  cell: (part: ForeignPart) => string,
): string[] {
  const kept = row.flatMap((value, i) => {
    const text = (value ?? '').trim();
    return text === '' || (columns[i] ?? null) !== null ? [] : [`${headings[i] || `Column ${i + 1}`}: ${text}`];
  });
  const source = [
    cell('source dataset') === '' ? '' : `Source: ${cell('source dataset')}`,
    cell('source type') === '' ? '' : `Source type: ${cell('source type')}`,
  ];
  return [...source.filter(Boolean), ...kept];
}
function textOf(row: readonly (string | null)[]): string {
  const cells = row.map((c) => (c ?? '').trim()).filter((c) => c !== '');
  return cells.filter((c, i) => c !== cells[i - 1]).join(' · ');
}

/** `left`: what of the codes is in no table, in words. */
function readCodes(
  sheets: readonly ForeignSheet[],
  layouts: readonly ForeignLayout[],
): { tables: Map<string, Code[]>; left: string[] } {
  const tables = new Map<string, Code[]>();
  const left: string[] = [];
  for (const layout of layouts) {
    const sheet = sheets.find((s) => s.name === layout.sheet);
    const at = (part: ForeignPart): number => layout.columns.indexOf(part);
    if (!sheet) continue;
    if (at('code from') < 0 || at('code to') < 0) {
      left.push(
        `The codes of the sheet “${sheet.name}” are not read: say which column holds what the source has, and which what it becomes.`,
      );
      continue;
    }
    const headings = headingsOf(sheet, layout.headerRow);
    for (const row of filled(sheet, layout, at('code list') < 0 ? [] : [at('code list')])) {
      const cell = (part: ForeignPart): string => (at(part) < 0 ? '' : (row[at(part)] ?? '').trim());
      const name = cell('code list') || layout.sheet;
      const codes = tables.get(name) ?? [];
      tables.set(name, codes);
      const [from, to] = [cell('code from'), cell('code to')];
      const known = codes.find((c) => c.from === from);
      if (from === '') left.push(`Code table ${name}: ${textOf(row)}`);
      // The document would refuse two codes of one name: the first counts, and the other is told.
      else if (known && known.to !== to)
        left.push(`Code table ${name}: “${from}” becomes “${known.to}”, and in a later row “${to}”.`);
      if (from === '' || known) continue;
      const meaning = [cell('code meaning'), ...noteOf(row, layout.columns, headings, () => '')].filter(Boolean);
      codes.push({ from, to, ...(meaning.length === 0 ? {} : { meaning: meaning.join('; ') }) });
    }
  }
  return { tables, left };
}
/** Sheets that hold something and were read as neither lines nor codes. */
function unread(sheets: readonly ForeignSheet[], layouts: readonly ForeignLayout[]): string[] {
  return sheets
    .filter((s) => !layouts.some((l) => l.sheet === s.name))
    .map((s) => ({ name: s.name, rows: s.rows.filter((row) => row.some((c) => (c ?? '').trim() !== '')).length }))
    .filter(({ rows }) => rows > 0)
    .map(({ name, rows }) => `The sheet “${name}” is not read; it has ${counted(rows, 'row')}.`);
}
/** Characters of a purpose that people still read. */
const MOST_PURPOSE = 20_000;
/** As many of the texts as there is room for, whole; how many are missing is said. */
function purposeOf(texts: readonly string[]): string {
  let length = 0;
  const kept = texts.filter((text) => (length += text.length + 1) <= MOST_PURPOSE);
  const missing = texts.length - kept.length;
  return [...kept, ...(missing > 0 ? [`… ${counted(missing, 'further text')} of the spreadsheet.`] : [])].join('\n');
}

/** A type as spreadsheets write it; what is not understood is text, and told in the note. */
function typeOf(text: string, length: string): { type: string; told: string | null } {
  const size = /^\d+(\s*[.,]\s*\d+)?$/.test(length) ? length.replace(/\s*[.,]\s*/, ',') : '';
  const plainText = text.toLowerCase().trim();
  const alias: Record<string, string> = {
    string: 'varchar',
    char: 'char',
    alphanumeric: 'varchar',
    text: 'text',
    number: 'numeric',
    num: 'numeric',
    dec: 'numeric',
    int: 'integer',
    datetime: 'timestamp',
    bool: 'boolean',
    'yes/no': 'boolean',
    zeichen: 'varchar',
    zahl: 'numeric',
    datum: 'date',
    varchar2: 'varchar',
    nvarchar: 'varchar',
  };
  const [, base = '', inside = ''] = /^([a-zäöü0-9/ ]+?)\s*(?:\(([\d\s,.]+)\))?$/.exec(plainText) ?? [];
  const name = alias[base.trim()] ?? base.trim();
  const measure = (inside || size).replace(/\s|\.(?=\d)/g, (m) => (m === '.' ? ',' : ''));
  const sized =
    measure !== '' && ['varchar', 'char', 'numeric', 'decimal', 'character varying'].includes(name)
      ? `${name}(${measure})`
      : name;
  try {
    parseFieldType(sized);
    return { type: sized, told: null };
  } catch {
    // Said in the note.
  }
  return {
    type: size !== '' && text === '' ? `varchar(${size.split(',')[0]})` : 'text',
    told: text === '' ? null : text,
  };
}
function fieldNameOf(text: string): string {
  return text.trim().replace(/^[\p{L}\p{N}_]+\.(?=[\p{L}_])/u, '');
}
const plain = (text: string): string => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
