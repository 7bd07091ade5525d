import type { FaultDetail } from '../faults.ts';
import { quoted } from '../words.ts';
import { parseDocument, type MappingDocument } from '../document/document.ts';
import { noDocument } from '../json-form.ts';
import { readJoin } from '../document/join-text.ts';
import { freeQuestionId } from '../document/questions.ts';
import { derivedCells, readShown, sameText, type Asked, type Shown } from './derived-columns.ts';
import { BASE_SHEET, CHOICES, READ_BACK, SKIP_MAPPED, workbookOf } from './workbook.ts';
import { got, type WorkbookSheet } from './workbook-sheet.ts';

/** A sheet as it was read: rows of texts, the first of them the headings. */
export type ReadSheet = readonly (readonly (string | null)[])[];

/** What people write for yes and no. */
const SHORT: Readonly<Record<string, string>> = {
  y: 'yes',
  x: 'yes',
  true: 'yes',
  1: 'yes',
  n: 'no',
  false: 'no',
  0: 'no',
  '-': 'no',
};
const isYes = (cell: string | undefined): boolean => cell === 'yes';

/** Words that could not be taken: in a column that takes only a few others, or in one that follows from others. */
export interface MistakenWord {
  readonly sheet: string;
  /** As the program shows it. */
  readonly row: number;
  readonly column: string;
  readonly value: string;
  /** What would have been possible; empty where nothing is. */
  readonly choices: readonly string[];
  /** The sentence for the person. */
  readonly says: string;
}
/** What a workbook says; where a word is mistaken, what stood there when it went out. */
export interface WorkbookSays {
  readonly document: MappingDocument;
  /** The document as it went out; null where that is not known any more. */
  readonly base: MappingDocument | null;
  readonly mistaken: readonly MistakenWord[];
}

/** The document that a workbook was made of; null where the sheet that says it is gone or was changed. */
function baseOfWorkbook(sheets: ReadonlyMap<string, ReadSheet>): MappingDocument | null {
  try {
    return parseDocument(keptBySheet(sheets, 0));
  } catch {
    // Then the workbook is compared with the draft as it is.
    return null;
  }
}
/** A column of the sheet that keeps what went out. Throws where it is gone or was changed. */
function keptBySheet(sheets: ReadonlyMap<string, ReadSheet>, column: number): unknown {
  const pieces = (sheets.get(BASE_SHEET) ?? []).slice(1).map((cells) => cells[column] ?? '');
  return JSON.parse(pieces.join(''));
}

/** Reads the sheets of a workbook. Throws a fault, which names sheet and row, when they are no document. */
export function readWorkbook(sheets: ReadonlyMap<string, ReadSheet>): WorkbookSays {
  const base = baseOfWorkbook(sheets);
  const reader = new WorkbookReader(
    sheets,
    base === null ? [] : workbookOf(base),
    readShown(() => keptBySheet(sheets, 1)),
  );
  return { document: reader.read(), base, mistaken: reader.mistaken };
}
/** The same, where nobody can be told of mistaken words beside: they are faults. */
export function documentOfWorkbook(sheets: ReadonlyMap<string, ReadSheet>): MappingDocument {
  const { document, mistaken } = readWorkbook(sheets);
  if (mistaken.length > 0)
    throw noDocument(
      mistaken.map(({ sheet, row, column, says }) => ({ path: `${sheet}, row ${row}, ${column}`, message: says })),
    );
  return document;
}

/** How a line that somebody added makes its value; nothing where only words say so. */
function kindOfAdded(of: (heading: string) => string | undefined, source: string | undefined): string | undefined {
  return of('Rule') !== undefined ? 'rule' : source !== undefined ? 'straight' : undefined;
}

class WorkbookReader {
  private readonly problems: FaultDetail[] = [];

  readonly mistaken: MistakenWord[] = [];

  constructor(
    private readonly sheets: ReadonlyMap<string, ReadSheet>,
    /** As the workbook went out. */
    private readonly before: readonly WorkbookSheet[],
    private readonly shown: Shown,
  ) {}

  read(): MappingDocument {
    for (const name of ['Overview', 'Mapping'])
      if (!this.sheets.has(name))
        throw noDocument([
          {
            path: '',
            message: `The workbook has no sheet ${quoted(name)}; it has ${[...this.sheets.keys()].map((n) => quoted(n)).join(', ') || 'none'}. Is it a mapping document?`,
          },
        ]);
    this.headings();
    const data = this.document();
    if (this.problems.length > 0) throw noDocument(this.problems);
    return parseDocument(data);
  }

  /** Columns may stand in another order, and others may be added; one that was renamed or taken out would be lost. */
  private headings(): void {
    for (const [sheet, wanted] of Object.entries(READ_BACK)) {
      const [header] = this.sheets.get(sheet) ?? [];
      if (!header) continue;
      const there = new Set(header.map((h) => (h ?? '').trim().toLowerCase()));
      const missing = wanted.filter((h) => !there.has(h.toLowerCase()));
      if (missing.length > 0)
        this.fault(
          sheet,
          1,
          `The column${missing.length === 1 ? '' : 's'} ${missing.map((h) => quoted(h)).join(', ')} ${missing.length === 1 ? 'is' : 'are'} not there; headings must keep their names. Name ${missing.length === 1 ? 'it' : 'them'} again, or export the workbook anew.`,
        );
    }
  }
  private fault(sheet: string, row: number, message: string): void {
    this.problems.push({ path: `${sheet}, row ${row}`, message });
  }
  /** The rows below the headings that are not wholly empty, by their headings; `row` counts as the program shows it. */
  private rows(name: string): { readonly row: number; readonly of: (heading: string) => string | undefined }[] {
    const [header = [], ...rows] = this.sheets.get(name) ?? [];
    const places = new Map(header.map((h, i) => [(h ?? '').trim().toLowerCase(), i]));
    return rows.flatMap((cells, i) => {
      if (cells.every((c) => c === null || c === '')) return [];
      const cell = (heading: string): string | undefined => {
        const at = places.get(heading.toLowerCase());
        return at === undefined ? undefined : got(cells[at]);
      };
      const words = new Map<string, string | undefined>();
      const of = (heading: string): string | undefined => {
        if (!CHOICES[name]?.[heading]) return cell(heading);
        if (!words.has(heading)) words.set(heading, this.word(name, i + 2, heading, cell));
        return words.get(heading);
      };
      return [{ row: i + 2, of }];
    });
  }
  /** One of the words that a column takes, however it is capitalised; for any other, what stood there before. */
  private word(
    sheet: string,
    row: number,
    column: string,
    cell: (heading: string) => string | undefined,
  ): string | undefined {
    const value = cell(column);
    if (value === undefined) return undefined;
    const choices = CHOICES[sheet]![column]!;
    const asked = value.trim().toLowerCase();
    const found = choices.find((c) => c.toLowerCase() === asked || (choices.includes('yes') && c === SHORT[asked]));
    if (found !== undefined) return found;
    const says = `${quoted(value)} is none of the words that are possible here: ${choices.join(', ')}.`;
    this.mistaken.push({ sheet, row, column, value, choices, says });
    return this.cellBefore(sheet, column, cell);
  }
  /** The cell of the same line, field, check or example in the workbook that went out. */
  private cellBefore(sheet: string, column: string, cell: (heading: string) => string | undefined): string | undefined {
    const before = this.before.find((s) => s.name === sheet);
    const key = ['Line', 'Id', 'Target name', 'Name'].find((h) => before?.header.includes(h) && cell(h) !== undefined);
    if (!before || key === undefined) return undefined;
    const row = this.rowsBefore(before, key).get(cell(key)!);
    return row && got(row[before.header.indexOf(column)]);
  }
  private readonly byKey = new Map<string, ReadonlyMap<string, readonly (string | null)[]>>();
  private rowsBefore(sheet: WorkbookSheet, key: string): ReadonlyMap<string, readonly (string | null)[]> {
    const name = `${sheet.name} ${key}`;
    let rows = this.byKey.get(name);
    if (!rows) {
      const at = sheet.header.indexOf(key);
      // Where something stands twice, the first one counts.
      rows = new Map([...sheet.rows].reverse().map((cells) => [got(cells[at]) ?? '', cells]));
      this.byKey.set(name, rows);
    }
    return rows;
  }
  private parsed(sheet: string, row: number, text: string | undefined, otherwise: unknown): unknown {
    if (text === undefined) return otherwise;
    try {
      return JSON.parse(text);
    } catch {
      this.fault(sheet, row, `${quoted(text)} is not written as it was exported (JSON).`);
      return otherwise;
    }
  }

  private document(): Record<string, unknown> {
    const entries = this.rows('Overview').map(({ row, of }) => ({ row, name: of('Entry') ?? '', value: of('Value') }));
    this.tellOfOverview(entries);
    const one = (name: string): string | undefined => entries.find((e) => e.name === name)?.value;
    const all = (name: string): string[] => entries.flatMap((e) => (e.name === name ? [e.value ?? ''] : []));
    const parsed = (name: string): unknown[] =>
      entries.flatMap((e) => (e.name === name ? [this.parsed('Overview', e.row, e.value, null)] : []));
    const { fields, lines, key, asked } = this.mapping(all('Key'));
    const { codeTables, order } = this.codeTables(all('Has code table'));
    const examples = this.examples();
    const defaults = parsed('Other codes become');
    return defined({
      $schema: one('Schema'),
      versicle: 1,
      name: one('Name') ?? '',
      purpose: one('Purpose'),
      source: defined({
        primary: { alias: one('Source alias') ?? '', dataset: one('Source dataset') ?? '' },
        joins: entries.flatMap((e) => (e.name === 'Join' ? [this.join(e.row, e.value ?? '')] : [])),
        unions: parsed('Union'),
        structures: this.structures(),
        filter: one('Only records where'),
        distinctOn: all('Distinct on'),
        groupBy: all('Grouped by'),
        orderBy: all('Sorted by'),
      }),
      target: { dataset: one('Target dataset') ?? '', key, unique: parsed('Unique together'), fields },
      lines,
      checks: this.rows('Checks and skips').flatMap(({ of }) =>
        of('What') === 'check'
          ? [defined({ id: of('Id'), rule: of('Rule'), message: of('Says'), onFail: of('When it fails') })]
          : [],
      ),
      skips: this.rows('Checks and skips').flatMap(({ of }) =>
        of('What') === 'skip' || of('What') === SKIP_MAPPED
          ? [
              defined({
                id: of('Id'),
                when: of('Rule'),
                reason: of('Says'),
                at: of('What') === 'skip' ? undefined : 'mapped',
              }),
            ]
          : [],
      ),
      codeTables: Object.fromEntries(order.map((name) => [name, codeTables.get(name) ?? []])),
      codeDefaults: defaults.length === 0 ? undefined : Object.fromEntries(defaults as [string, string][]),
      write: defined({ mode: one('Written as'), existing: one('Records that exist') }),
      questions: this.questions(asked),
      dictionary: this.rows('Dictionary').flatMap(({ of }) =>
        of('What') === 'term'
          ? [defined({ dataset: of('Dataset'), name: of('Name'), type: of('Type'), description: of('Description') })]
          : [],
      ),
      ...(examples.length > 0 || one('Has examples') !== undefined ? { examples } : {}),
    });
  }

  /** Grey entries of the title page follow from the rest; whoever writes there is told. */
  private tellOfOverview(entries: readonly { row: number; name: string; value: string | undefined }[]): void {
    for (const { row, name, value } of entries) {
      const shown = this.shown.overview.get(name);
      if (shown === undefined || shown.some((text) => sameText(text, value))) continue;
      const says = `It follows from the rest of the workbook, so nothing was taken. Write it where it stands: on Mapping, or an answer on Questions.`;
      this.mistaken.push({ sheet: 'Overview', row, column: name, value: value ?? '', choices: [], says });
    }
  }

  /** Fields and lines; rows may be sorted otherwise, added and taken out. */
  private mapping(keys: readonly string[]): { fields: unknown[]; lines: unknown[]; key: string[]; asked: Asked[] } {
    const asked: Asked[] = [];
    const fields: { at: number; field: Record<string, unknown> }[] = [];
    const lines: { at: number; line: Record<string, unknown> }[] = [];
    const inKey: string[] = [];
    const rows = this.rows('Mapping');
    const headings = new Set((this.sheets.get('Mapping')?.[0] ?? []).map((h) => (h ?? '').trim().toLowerCase()));
    const ids = new Set(rows.flatMap(({ of }) => of('Line') ?? []));
    let nextId = rows.length;
    for (const [n, { row, of }] of rows.entries()) {
      const name = of('Target name');
      if (name === undefined) {
        this.fault('Mapping', row, 'The row names no target field.');
        continue;
      }
      const place = (heading: string): number => Number(of(heading) ?? Number.NaN);
      if (of('Type') !== undefined) {
        if (isYes(of('Key'))) inKey.push(name);
        fields.push({
          at: Number.isFinite(place('Field no.')) ? place('Field no.') : n + 1 + 1e6,
          field: defined({
            name,
            label: of('Target label'),
            type: of('Type'),
            nullable: of('Nullable') === undefined ? undefined : isYes(of('Nullable')),
            required: of('Required') === undefined ? undefined : isYes(of('Required')),
            codeTable: of('Allowed codes'),
            description: of('Description'),
            section: of('Section'),
          }),
        });
      }
      let id = of('Line');
      if (id === undefined) {
        // A row that somebody added is a line when it says how; otherwise the field has none yet.
        if (['Kind', 'Rule', 'Source field', 'Source fields', 'How', 'Question'].every((h) => of(h) === undefined))
          continue;
        do id = `l${String(++nextId).padStart(2, '0')}`;
        while (ids.has(id));
        ids.add(id);
      }
      const written = derivedCells({
        of,
        shown: of('Line') === undefined ? undefined : this.shown.lines.get(id),
        was: (heading) => this.cellBefore('Mapping', heading, of),
        isBaseKnown: this.before.length > 0,
        has: (heading) => headings.has(heading.toLowerCase()),
        tell: (column, says) =>
          this.mistaken.push({ sheet: 'Mapping', row, column, value: of(column) ?? '', choices: [], says }),
      });
      if (written.asked) asked.push({ line: id, ...written.asked });
      // Whoever fills in a line to map means it: its kind follows from what was written.
      const filledIn = of('Kind') === undefined && (of('Line') === undefined || written.filledIn);
      const kind = of('Kind') ?? (filledIn ? kindOfAdded(of, written.source) : undefined);
      lines.push({
        at: Number.isFinite(place('No.')) ? place('No.') : n + 1 + 1e6,
        line: defined({
          id,
          target: name,
          kind,
          source: written.source,
          value: this.constant(row, of('Constant'), of('Constant type'), of('Kind')),
          rule: of('Rule'),
          codeTable: of('Code table'),
          generate: of('Generated by'),
          of: of('Generated of') === undefined ? undefined : this.parsed('Mapping', row, of('Generated of'), []),
          condition: of('Only when'),
          default: of('Otherwise'),
          defaultWhen: of('Otherwise when'),
          onFail: of('When it fails'),
          check: of('Check'),
          checkMessage: of('Check says'),
          note: written.note,
          lineage: of('Where it comes from'),
          state: written.state ?? (of('Line') === undefined && kind === undefined ? 'to map' : undefined),
        }),
      });
    }
    const inOrder = <T extends { at: number }>(list: T[]): T[] => list.sort((a, b) => a.at - b.at);
    // The order of the key is the overview's, as far as the sheet still says the same.
    const key = [...keys.filter((k) => inKey.includes(k)), ...inKey.filter((k) => !keys.includes(k))];
    const keysWithoutField = keys.filter((k) => !fields.some((f) => f.field['name'] === k));
    return {
      fields: inOrder(fields).map((f) => f.field),
      lines: inOrder(lines).map((l) => l.line),
      key: keysWithoutField.length > 0 ? keys.filter((k) => inKey.includes(k) || keysWithoutField.includes(k)) : key,
      asked,
    };
  }
  private questions(asked: readonly Asked[]): unknown[] {
    const questions: Record<string, unknown>[] = this.rows('Questions').map(({ of }) =>
      defined({
        id: of('Id'),
        line: of('Line'),
        text: of('Question'),
        to: of('To'),
        by: of('By'),
        askedAt: of('Asked at'),
        answer: of('Answer'),
        answeredBy: of('Answered by'),
        answeredAt: of('Answered at'),
      }),
    );
    const ids = new Set(questions.map((q) => q['id']));
    for (const { line, text, instead } of asked) {
      const ofLine = questions.filter((q) => q['line'] === line);
      if (ofLine.some((q) => sameText(q['text'] as string, text))) continue;
      const reworded = ofLine.find((q) => q['answer'] === undefined && instead !== undefined && q['text'] === instead);
      if (reworded) reworded['text'] = text;
      else {
        const id = freeQuestionId(ids);
        ids.add(id);
        questions.push({ id, line, text });
      }
    }
    return questions;
  }
  private constant(
    row: number,
    text: string | undefined,
    type: string | undefined,
    kind: string | undefined,
  ): string | number | boolean | null | undefined {
    if (type === undefined && (text === undefined || kind !== 'constant')) return text;
    switch (type) {
      case 'null':
        return null;
      case 'boolean':
        return text === 'true';
      case 'number': {
        const number = Number(text);
        if (text === undefined || !Number.isFinite(number))
          this.fault('Mapping', row, `${quoted(text ?? '')} is no number.`);
        return number;
      }
      default:
        return text ?? '';
    }
  }

  private join(row: number, text: string): unknown {
    try {
      return readJoin(text);
    } catch {
      this.fault('Overview', row, `“${text}” is no join; write: left join system/dataset as alias on condition.`);
      return null;
    }
  }
  private codeTables(named: readonly string[]): { codeTables: Map<string, unknown[]>; order: string[] } {
    const codeTables = new Map<string, unknown[]>();
    for (const { row, of } of this.rows('Code tables')) {
      const table = of('Table');
      if (table === undefined) {
        this.fault('Code tables', row, 'The row names no table.');
        continue;
      }
      const codes = codeTables.get(table) ?? [];
      codes.push(
        defined({
          from: of('From') ?? '',
          to: of('To') ?? '',
          meaning: of('Meaning'),
          validFrom: of('Valid from'),
          validTo: of('Valid to'),
        }),
      );
      codeTables.set(table, codes);
    }
    return { codeTables, order: [...named, ...[...codeTables.keys()].filter((n) => !named.includes(n))] };
  }
  private structures(): Record<string, unknown[]> {
    const structures = new Map<string, unknown[]>();
    for (const { of } of this.rows('Dictionary')) {
      const dataset = of('Dataset');
      if (of('What') !== 'structure' || dataset === undefined) continue;
      const fields = structures.get(dataset) ?? [];
      structures.set(dataset, fields);
      if (of('Name') !== undefined)
        fields.push(defined({ name: of('Name'), type: of('Type'), description: of('Description') }));
    }
    return Object.fromEntries(structures);
  }
  private examples(): unknown[] {
    return this.rows('Examples').map(({ row, of }) =>
      defined({
        id: of('Id'),
        note: of('Example of'),
        source: this.parsed('Examples', row, of('Record'), {}),
        file: of('File'),
        expect: {
          outcome: of('Outcome'),
          values: this.parsed('Examples', row, of('Values'), {}),
          causes: this.parsed('Examples', row, of('Causes'), {}),
        },
      }),
    );
  }
}

/** Without the members that are not there. */
function defined(value: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(value).filter(([, v]) => v !== undefined));
}
