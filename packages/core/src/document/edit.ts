import { parseFieldType } from '../fields/types.ts';
import { withFields } from '../rules/with-fields.ts';
import { nearest, quoted } from '../words.ts';
import { LINE_FAILURES, LINE_STATES, type Line, type MappingDocument, type TargetField } from './document.ts';

/** Changes to a document as people make them on the sheet. Each gives a new document; the old one stays as it is. */

/** Every target field gets a line, in the order of the fields; lines of fields that are gone stay at the end. */
export function withAllLines(document: MappingDocument): MappingDocument {
  const { fields } = document.target;
  const byTarget = new Map(document.lines.map((l) => [l.target, l]));
  const order = new Map(fields.map((f, i) => [f.name, i]));
  const missing = fields.filter((f) => !byTarget.has(f.name));
  const sorted = document.lines.every((l, i) => i === 0 || place(order, document.lines[i - 1]!) <= place(order, l));
  if (missing.length === 0 && sorted) return document;
  const ids = freeIds(document);
  const added = missing.map((f): Line => ({ id: ids.next().value as string, target: f.name, state: 'to map' }));
  const lines = [...document.lines, ...added].sort((a, b) => place(order, a) - place(order, b));
  return { ...document, lines };
}
function place(order: ReadonlyMap<string, number>, line: Line): number {
  return order.get(line.target) ?? Infinity;
}
function* freeIds(document: MappingDocument): Generator<string> {
  const taken = new Set([...document.lines, ...document.checks, ...document.skips].map((l) => l.id));
  for (let n = document.lines.length + 1; ; n++) {
    const id = `l${String(n).padStart(2, '0')}`;
    if (!taken.has(id)) yield id;
  }
}

/** A line with some parts changed; a part that is undefined is taken away. An agreed line that is edited is drafted again. */
export function changeLine(document: MappingDocument, id: string, patch: Partial<Line>): MappingDocument {
  const lines = document.lines.map((line) => {
    if (line.id !== id) return line;
    const changed = cleaned({ ...line, ...patch });
    const content = (l: Line): string => JSON.stringify({ ...l, state: null, note: null, lineage: null });
    if (patch.state === undefined && content(changed) !== content(line))
      changed.state = changed.kind === undefined ? 'to map' : 'drafted';
    return changed;
  });
  return { ...document, lines };
}
function cleaned(line: Line): Line {
  return Object.fromEntries(Object.entries(line).filter(([, v]) => v !== undefined && v !== null && v !== '')) as Line;
}

/**
 * A target field with some parts changed; a new name is followed by all that names the field: its line, the key, the unique
 * sets, checks, skips of finished records, what examples expect, and the dictionary.
 */
export function changeField(document: MappingDocument, name: string, patch: Partial<TargetField>): MappingDocument {
  const renamed = patch.name ?? name;
  const rename = (n: string): string => (n === name ? renamed : n);
  // A rule that can't be read keeps its words; it says itself what is wrong with it.
  const inRule = (rule: string): string => withFields(rule, null, rename) ?? rule;
  const { target } = document;
  const same = renamed === name;
  return {
    ...document,
    ...(same
      ? {}
      : {
          checks: document.checks.map((c) => ({ ...c, rule: inRule(c.rule) })),
          skips: document.skips.map((s) => (s.at === 'mapped' ? { ...s, when: inRule(s.when) } : s)),
          dictionary: document.dictionary.map((t) =>
            t.dataset === target.dataset ? { ...t, name: rename(t.name) } : t,
          ),
          ...(document.examples === undefined
            ? {}
            : { examples: document.examples.map((e) => ({ ...e, expect: renamedExpectation(e.expect, rename) })) }),
        }),
    target: {
      ...target,
      fields: target.fields.map((f) => (f.name === name ? { ...f, ...patch } : f)),
      key: target.key.map(rename),
      unique: target.unique.map((set) => set.map(rename)),
    },
    lines: document.lines.map((l) =>
      same
        ? l
        : {
            ...l,
            ...(l.target === name ? { target: renamed } : {}),
            ...(l.check ? { check: inRule(l.check) } : {}),
          },
    ),
  };
}
type Expectation = NonNullable<MappingDocument['examples']>[number]['expect'];
function renamedExpectation(expect: Expectation, rename: (name: string) => string): Expectation {
  if (expect.values === undefined) return expect;
  return { ...expect, values: Object.fromEntries(Object.entries(expect.values).map(([n, v]) => [rename(n), v])) };
}

/** A target field one place further up or down, with its line. */
export function moveField(document: MappingDocument, name: string, by: 1 | -1): MappingDocument {
  const fields = [...document.target.fields];
  const at = fields.findIndex((f) => f.name === name);
  const to = at + by;
  if (at < 0 || to < 0 || to >= fields.length) return document;
  [fields[at], fields[to]] = [fields[to]!, fields[at]!];
  return withAllLines({ ...document, target: { ...document.target, fields } });
}

/**
 * What a text in a target field's place says: `flight_date date` is a name with a type, `flight_date` the name of a field that
 * has no label, everything else its label.
 */
function targetPatch(
  document: MappingDocument,
  field: TargetField | undefined,
  text: string,
): Partial<TargetField> | string {
  const named = /^([a-z_][a-z0-9_]*)(?:\s+(\S.*))?$/.exec(text);
  if (named && field && field.label === undefined) {
    const [, name, type] = named;
    if (type === undefined) return freeName(document, field.name, name!) ?? { name: name! };
    if (isFieldType(type)) return freeName(document, field.name, name!) ?? { name: name!, type };
  }
  return { label: text === '' ? undefined : text };
}
/** Why a field can't be called so; null when it can. */
function freeName(document: MappingDocument, now: string, name: string): string | null {
  if (name === now || !document.target.fields.some((f) => f.name === name)) return null;
  return `There is a field ${quoted(name)} already; a target has each name once.`;
}
function isFieldType(text: string): boolean {
  try {
    parseFieldType(text);
    return true;
  } catch {
    return false;
  }
}

/** Puts a field into the key or takes it out. */
export function setKey(document: MappingDocument, name: string, inKey: boolean): MappingDocument {
  const { target } = document;
  const key = target.key.filter((k) => k !== name);
  return { ...document, target: { ...target, key: inKey ? [...key, name] : key } };
}

/** A new target field behind the others, with a line to map. */
export function addField(document: MappingDocument, name: string, type: string): MappingDocument {
  const field: TargetField = { name, type, nullable: true, required: false };
  return withAllLines({ ...document, target: { ...document.target, fields: [...document.target.fields, field] } });
}

export function removeField(document: MappingDocument, name: string): MappingDocument {
  const { target } = document;
  return {
    ...document,
    target: {
      ...target,
      fields: target.fields.filter((f) => f.name !== name),
      key: target.key.filter((k) => k !== name),
      unique: target.unique.filter((set) => !set.includes(name)),
    },
    lines: document.lines.filter((l) => l.target !== name),
  };
}

/** What becomes of a record or a field when a line fails, in words. */
export const FAIL_WORDS: Readonly<Record<(typeof LINE_FAILURES)[number], string>> = {
  reject: 'reject the record',
  default: 'use “otherwise”, with a remark',
  null: 'leave it null, with a remark',
  stop: 'end the run',
};

/** The cells of a line that can be written into. */
export const CELLS = [
  'source',
  'condition',
  'how',
  'default',
  'onFail',
  'target',
  'name',
  'type',
  'check',
  'state',
  'note',
  'lineage',
] as const;
export type Cell = (typeof CELLS)[number];

/**
 * A cell's text (`field`: the line's target field), such that writing it into the cell again changes nothing. “How” reads: `straight`, `constant GB`,
 * `lookup tariff`, `generated uuid`, `generated hash of code, name`, `not loaded`, nothing for a line to map, otherwise a
 * rule as it is (no rule can begin with one of those words and go on like that).
 */
export function cellText(field: TargetField | undefined, line: Line, cell: Cell): string {
  switch (cell) {
    case 'source':
      return line.kind === 'straight' || line.kind === 'lookup' ? (line.source ?? '') : '';
    case 'how':
      return howText(line);
    case 'target':
      return field?.label ?? line.target;
    case 'name':
      return line.target;
    case 'type':
      return field?.type ?? '';
    case 'state':
      return line.state;
    default:
      return line[cell] ?? '';
  }
}
function howText(line: Line): string {
  switch (line.kind) {
    case undefined:
      return '';
    case 'rule':
      return line.rule ?? '';
    case 'constant':
      return `constant ${String(line.value ?? '')}`;
    case 'lookup':
      return `lookup ${line.codeTable ?? ''}`.trim();
    case 'generated':
      return `generated ${line.generate ?? 'uuid'}${line.of?.length ? ` of ${line.of.join(', ')}` : ''}`;
    default:
      return line.kind;
  }
}

/** Writes a text into a cell. Gives the new document, or a sentence that says why the text can't stand there. */
export function writeCell(document: MappingDocument, id: string, cell: Cell, text: string): MappingDocument | string {
  const line = document.lines.find((l) => l.id === id);
  if (!line) return `There is no line ${quoted(id)} any more.`;
  const trimmed = text.trim();
  const field = document.target.fields.find((f) => f.name === line.target);
  if (trimmed === cellText(field, line, cell).trim()) return document;
  switch (cell) {
    case 'source':
      return changeLine(document, id, sourcePatch(line, trimmed));
    case 'how': {
      const patch = howPatch(line, trimmed);
      return typeof patch === 'string' ? patch : changeLine(document, id, patch);
    }
    case 'target': {
      const patch = targetPatch(document, field, trimmed);
      return typeof patch === 'string' ? patch : changeField(document, line.target, patch);
    }
    case 'name': {
      if (trimmed === '') return 'A field has a name; take the field out where it is not wanted.';
      return freeName(document, line.target, trimmed) ?? changeField(document, line.target, { name: trimmed });
    }
    case 'type': {
      if (!isFieldType(trimmed))
        return `${quoted(trimmed)} is no type of a field. Types are for instance text, varchar(40), integer, numeric(10,2), date, timestamptz, boolean, uuid and jsonb.`;
      return changeField(document, line.target, { type: trimmed });
    }
    case 'state': {
      const state = oneOf(LINE_STATES, trimmed);
      if (state === null) return `A line is ${LINE_STATES.join(', ')}; ${noneOf(LINE_STATES, trimmed)}`;
      return changeLine(document, id, { state });
    }
    case 'onFail': {
      const said = LINE_FAILURES.find((f) => trimmed !== '' && FAIL_WORDS[f].startsWith(trimmed.toLowerCase()));
      const onFail = trimmed === '' ? 'reject' : (oneOf(LINE_FAILURES, trimmed) ?? said ?? null);
      if (onFail === null)
        return `When a line fails, ${LINE_FAILURES.join(', ')} are possible; ${noneOf(LINE_FAILURES, trimmed)}`;
      return changeLine(document, id, { onFail: onFail === 'reject' ? undefined : onFail });
    }
    default:
      return changeLine(document, id, { [cell]: trimmed === '' ? undefined : trimmed });
  }
}
/** The word that a text is, or begins like. */
function oneOf<T extends string>(words: readonly T[], text: string): T | null {
  return (text !== '' && words.find((w) => w.startsWith(text.toLowerCase()))) || null;
}
function noneOf(words: readonly string[], text: string): string {
  const near = nearest(text, words);
  return `${quoted(text)} is none of these.${near ? ` Did you mean ${near}?` : ''}`;
}

/** What a kind of line takes; all of it goes when a line becomes another kind. */
export const NOTHING: Partial<Line> = {
  kind: undefined,
  source: undefined,
  rule: undefined,
  value: undefined,
  codeTable: undefined,
  generate: undefined,
  of: undefined,
};

function sourcePatch(line: Line, text: string): Partial<Line> {
  if (text === '') return NOTHING;
  return line.kind === 'lookup' ? { source: text } : { ...NOTHING, kind: 'straight', source: text };
}

function howPatch(line: Line, text: string): Partial<Line> | string {
  if (text === '') return NOTHING;
  const [, word, rest] = /^(straight|constant|lookup|generated|not loaded)(?:\s+([\s\S]*))?$/i.exec(text) ?? [];
  const source = line.source ?? (line.kind === 'rule' ? line.rule : undefined);
  switch (word?.toLowerCase()) {
    case 'straight':
      return { ...NOTHING, kind: 'straight', source };
    case 'constant':
      return { ...NOTHING, kind: 'constant', value: rest ?? '' };
    case 'lookup':
      return { ...NOTHING, kind: 'lookup', source, codeTable: rest?.trim() };
    case 'generated': {
      const asked = /^(uuid|sequence|hash)?(?:\s+of\s+(.*))?$/is.exec(rest?.trim() ?? '');
      if (asked === null)
        return `What is generated is a uuid, a sequence, or a hash of fields; ${noneOf(['uuid', 'sequence', 'hash'], rest!.trim())}`;
      const [, how, of] = asked;
      const fields = of
        ?.split(',')
        .map((f) => f.trim())
        .filter(Boolean);
      return {
        ...NOTHING,
        kind: 'generated',
        generate: (how?.toLowerCase() ?? 'uuid') as Line['generate'],
        ...(fields?.length ? { of: fields } : {}),
      };
    }
    case 'not loaded':
      return { ...NOTHING, kind: 'not loaded' };
    default:
      return { ...NOTHING, kind: 'rule', rule: text };
  }
}

/** Cells from a spreadsheet program's clipboard: tabs (or another mark) between cells, line breaks between rows, quotes around both. */
export function clipboardRows(text: string, mark = '\t'): string[][] {
  const rows: string[][] = [];
  let cells: string[] = [];
  let cell = '';
  let inside = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (inside) {
      if (c === '"' && text[i + 1] === '"') cell += text[++i];
      else if (c === '"') inside = false;
      else cell += c;
    } else if (c === '"' && cell === '' && closesBeforeCellEnd(text, i, mark)) inside = true;
    else if (c === mark) {
      cells.push(cell);
      cell = '';
    } else if (c === '\n' || c === '\r') {
      if (c === '\r' && text[i + 1] === '\n') i++;
      rows.push([...cells, cell]);
      cells = [];
      cell = '';
    } else cell += c;
  }
  if (cell !== '' || cells.length > 0) rows.push([...cells, cell]);
  return rows;
}
/** Cells for the clipboard, such that `clipboardRows` and spreadsheet programs read the same cells back. */
export function clipboardText(rows: readonly (readonly string[])[]): string {
  const cell = (text: string): string => (/[\t\r\n]|^"/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);
  return rows.map((cells) => cells.map(cell).join('\t')).join('\n');
}

/** Where a text stands in what a document's lines say: rules, sources, conditions, defaults and checks. */
const TEXTS = ['source', 'rule', 'condition', 'default', 'check'] as const;
/** How often a text stands in the lines' rules. */
export function countInRules(document: MappingDocument, text: string): { places: number; lines: number } {
  const counts = document.lines.map((line) =>
    TEXTS.reduce((sum, part) => sum + (line[part] ?? '').split(text).length - 1, 0),
  );
  return text === ''
    ? { places: 0, lines: 0 }
    : { places: counts.reduce((a, b) => a + b, 0), lines: counts.filter((c) => c > 0).length };
}
/** Every occurrence of a text in the lines' rules replaced by another. */
export function replaceInRules(document: MappingDocument, text: string, by: string): MappingDocument {
  if (text === '') return document;
  let changed = document;
  for (const line of document.lines) {
    const patch: Partial<Record<(typeof TEXTS)[number], string>> = {};
    for (const part of TEXTS) if (line[part]?.includes(text)) patch[part] = line[part].replaceAll(text, () => by);
    if (Object.keys(patch).length > 0) changed = changeLine(changed, line.id, patch);
  }
  return changed;
}

/** A quote opens a cell only when its partner ends the cell: `"Quoted name" = 1` is a rule, not a quoted cell. */
function closesBeforeCellEnd(text: string, from: number, mark: string): boolean {
  for (let i = from + 1; i < text.length; i++) {
    if (text[i] !== '"') continue;
    if (text[i + 1] === '"') i++;
    else return i + 1 >= text.length || text[i + 1] === mark || /[\r\n]/.test(text[i + 1]!);
  }
  return false;
}
