import {
  checkMarks,
  decodeText,
  type Encoding,
  encodingOf,
  Fault,
  type FileFormat,
  type Guess,
  headerNames,
  isFault,
  type JsonFormat,
  LARGEST_SAMPLE,
  learnNested,
  marksOf,
  NESTED_SAMPLE,
  nestedKind,
  parseRange,
  readSheet,
  SAMPLE,
  sampleFields,
  sniffFormat,
  Workbook,
  type WorkbookFormat,
  type XmlFormat,
} from '@versicle/core';
import { openArchive } from './archive.ts';
import { readSample } from './chunks.ts';
import { basename } from 'node:path';

/** What a file is found to be: its format with the reasons, the names of its fields, and the datasets that it holds. */
export interface FileLook {
  readonly format: FileFormat;
  readonly reasons: readonly string[];
  readonly fields: readonly string[];
  readonly parts: readonly FilePart[];
  /** The first lines as they are, of text that is read line by line. */
  readonly lines: readonly string[];
}
/** One dataset of several in a file: a sheet, or a structure that repeats. */
export interface FilePart {
  readonly name: string;
  /** What people should know of it, such as that the sheet is hidden. */
  readonly description: string;
}

export const isWorkbook = (name: string): boolean => /\.xls[xm]$/i.test(name);

/**
 * Looks at the beginning of a file. `part` names a sheet, or a structure by its path; `fixed` is the format when people
 * have settled it. Throws a fault.
 */
export async function lookAt(
  path: string,
  name = basename(path),
  part: string | null = null,
  fixed: FileFormat | null = null,
): Promise<FileLook> {
  if (isWorkbook(name)) return lookAtWorkbook(path, name, part, fixed?.kind === 'xlsx' ? fixed : null);
  if (/\.(xls|parquet|pdf|docx?)$/i.test(name))
    throw new Fault('unreadable', `${name}: files of this kind are not read.`);
  const sample = await readSample(path, SAMPLE, name);
  if (sample.length < SAMPLE) return lookAtText(sample, name, part, fixed);
  const kind = fixed?.kind ?? nestedKind(new TextDecoder().decode(sample.subarray(0, 4096)), name);
  if (kind !== 'json' && kind !== 'xml')
    return lookAtText(hasLineEnd(sample) ? sample : await readSample(path, LARGEST_SAMPLE, name), name, part, fixed);
  const larger = await readSample(path, NESTED_SAMPLE, name);
  try {
    return lookAtText(larger, name, part, fixed);
  } catch (error) {
    if (!isFault(error, 'unreadable') || larger.length < NESTED_SAMPLE) throw error;
    return lookAtText(await readSample(path, LARGEST_SAMPLE, name), name, part, fixed);
  }
}
/**
 * A format that was found of an earlier file, with what a file says of itself: the encoding of its text, and which sheet is the
 * first one where it has none of that name. Throws a fault.
 */
export async function adapted(
  format: FileFormat,
  path: string,
  name: string,
  part: string | null,
): Promise<FileFormat> {
  if (format.kind === 'xlsx') {
    if (part !== null || !isWorkbook(name)) return format;
    const archive = await openArchive(path, name);
    try {
      const { sheets } = await Workbook.open(archive);
      if (sheets.some((s) => s.name === format.sheet)) return format;
      return { ...format, sheet: firstSheet(sheets) };
    } finally {
      archive.close();
    }
  }
  const sample = await readSample(path, SAMPLE, name);
  // Nothing but a person chooses that one where the file does not declare it.
  const isChosen = format.encoding === 'iso-8859-15' && format.kind !== 'xml';
  const encoding = isChosen ? null : encodingOf(sample, name, format.kind);
  return encoding === null ? format : { ...format, encoding };
}
const firstSheet = (sheets: Workbook['sheets']): string => (sheets.find((s) => !s.hidden) ?? sheets[0]!).name;
const hasLineEnd = (sample: Uint8Array): boolean => sample.includes(10) || sample.includes(13);

function lookAtText(sample: Uint8Array, name: string, part: string | null, fixed: FileFormat | null): FileLook {
  const guess = settled(sample, name, fixed);
  const { format } = guess;
  if (format.kind !== 'json' && format.kind !== 'xml') {
    if (part !== null) throw new Fault('unreadable', `${name} has no parts; it can't be read as ${name}/${part}.`);
    return {
      format,
      reasons: guess.reasons,
      fields: (format.kind === 'jsonl' && format.fields) || sampleFields(sample, format),
      parts: [],
      lines: firstLines(sample, format.encoding),
    };
  }
  const parts = format.structures
    .filter((s) => s.path !== '')
    .map((s) => ({
      name: s.path,
      description: `repeats inside ${format.records.split(/[./]/).at(-1) || 'the records'}`,
    }));
  if (part !== null && !parts.some((p) => p.name === part))
    throw new Fault(
      'unreadable',
      `${name} has no structure “${part}”; ${parts.length === 0 ? 'nothing in it repeats' : `it has ${parts.map((p) => p.name).join(', ')}`}.`,
    );
  const chosen = { ...format, part: part ?? '' };
  return { format: chosen, reasons: guess.reasons, fields: sampleFields(sample, chosen), parts, lines: [] };
}

/** The format that people settled; nested text whose records lie elsewhere now has its structure learned anew. */
function settled(sample: Uint8Array, name: string, fixed: FileFormat | null): Guess {
  if (fixed === null || fixed.kind === 'xlsx') return sniffFormat(sample, name);
  const reasons = ['settled by a person'];
  const marks = marksOf(fixed);
  if (marks)
    try {
      checkMarks(marks);
    } catch (error) {
      throw new Fault(
        'unreadable',
        `${name}: the dates can’t be written “${marks.dates}”. ${(error as Error).message}`,
      );
    }
  if ((fixed.kind !== 'json' && fixed.kind !== 'xml') || fixed.structures.length > 0) return { format: fixed, reasons };
  const text = decodeText(sample, fixed.encoding);
  // What else was settled stays.
  const learned = learnNested(fixed.kind, text, fixed.encoding, fixed.records);
  return { format: { ...fixed, ...learned } as JsonFormat | XmlFormat, reasons };
}
function firstLines(sample: Uint8Array, encoding: Encoding): string[] {
  return decodeText(sample.subarray(0, 20_000), encoding)
    .split(/\r?\n|\r/)
    .slice(0, 13)
    .map((line) => line.slice(0, 1000))
    .slice(0, 12);
}

async function lookAtWorkbook(
  path: string,
  name: string,
  part: string | null,
  fixed: WorkbookFormat | null,
): Promise<FileLook> {
  const archive = await openArchive(path, name);
  try {
    const workbook = await Workbook.open(archive);
    const parts = workbook.sheets.map((s) => ({ name: s.name, description: s.hidden ? 'a hidden sheet' : 'a sheet' }));
    const sheet = part ?? fixed?.sheet ?? firstSheet(workbook.sheets);
    const { format, reasons } = fixed
      ? { format: { ...fixed, sheet }, reasons: ['settled by a person'] }
      : await guessSheet(workbook, sheet);
    const merged = (await workbook.merged(workbook.sheet(sheet))).length;
    if (merged > 0)
      reasons.push(
        `${merged === 1 ? 'one range' : `${merged.toLocaleString('en-GB')} ranges`} of cells ${merged === 1 ? 'is' : 'are'} merged; ${format.mergedRepeat ? 'each cell has its range’s value' : 'the value is that of the first cell, the others are empty'}`,
      );
    if (format.range !== null) parseRange(format.range);
    return { format, reasons, fields: await sheetFields(workbook, format), parts, lines: [] };
  } catch (error) {
    throw isFault(error, 'unreadable') && !error.message.includes(name)
      ? new Fault('unreadable', `${name}: ${error.message}`)
      : error;
  } finally {
    archive.close();
  }
}

/**
 * The header is the first row that is about as wide as records are, and has texts only: a note beside one record doesn't make
 * the others titles.
 */
async function guessSheet(workbook: Workbook, sheet: string): Promise<{ format: WorkbookFormat; reasons: string[] }> {
  const rows: { number: number; cells: readonly (string | null)[] }[] = [];
  for await (const batch of workbook.rows(workbook.sheet(sheet))) {
    rows.push(...batch);
    if (rows.length >= 30) break;
  }
  const filled = (cells: readonly (string | null)[]): number =>
    cells.filter((c) => c !== null && c.trim() !== '').length;
  const first = rows.slice(0, 30);
  const usual = usualWidth(first.map((r) => filled(r.cells)));
  const header = first.findIndex((r) => filled(r.cells) >= Math.max(1, usual * 0.8));
  const row = first[header];
  const looksLikeNames =
    row !== undefined &&
    first.length > header + 1 &&
    row.cells.every((c) => c === null || !/^[-+]?\d[\d.,:/ -]*$/.test(c.trim())) &&
    new Set(row.cells.filter((c) => c !== null)).size === filled(row.cells);
  const skipLines = row ? row.number - 1 : 0;
  const reasons = [`the sheet “${sheet}”`];
  if (skipLines > 0)
    reasons.push(`${skipLines === 1 ? 'one row' : `${skipLines} rows`} above the first wide one are taken for titles`);
  reasons.push(looksLikeNames ? 'the first row of the table reads like names' : 'the first row reads like data');
  return { format: { kind: 'xlsx', sheet, range: null, skipLines, header: looksLikeNames }, reasons };
}

/** The one in the middle, of all that are at least half as wide as the widest: titles are not counted. */
function usualWidth(widths: readonly number[]): number {
  const widest = Math.max(0, ...widths);
  const wide = widths.filter((w) => w > 0 && w >= widest / 2).sort((a, b) => a - b);
  return wide[Math.floor((wide.length - 1) / 2)] ?? 0;
}

async function sheetFields(workbook: Workbook, format: WorkbookFormat): Promise<readonly string[]> {
  if (!format.header) {
    for await (const batch of readSheet(workbook, format)) {
      const widths = batch.rows.map((r) => (Array.isArray(r) ? r.length : 0));
      return Array.from({ length: Math.max(0, ...widths) }, (_, i) => `column_${i + 1}`);
    }
    throw new Fault('unreadable', 'The sheet has no rows there.');
  }
  const range = format.range === null ? null : parseRange(format.range);
  const at = (range?.top ?? 1) + format.skipLines;
  for await (const batch of workbook.rows(workbook.sheet(format.sheet)))
    for (const row of batch) {
      if (row.number < at) continue;
      if (row.number > at) throw new Fault('unreadable', `Row ${at} of the sheet is empty; it can't be the header.`);
      const cells = range ? row.cells.slice(range.left, range.right + 1) : row.cells;
      const names = headerNames(cells, format.width);
      if (names.length === 0) throw new Fault('unreadable', `Row ${at} of the sheet is empty; it can't be the header.`);
      return names;
    }
  throw new Fault('unreadable', `The sheet has no row ${at}.`);
}
