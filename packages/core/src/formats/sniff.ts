import { Fault, isFault } from '../faults.ts';
import { decodeText, wholeEnd } from './decode.ts';
import { Unreadable, type DelimitedFormat, type Encoding, type FixedWidthFormat, type StreamFormat } from './format.ts';
import { guessColumns } from './fixed-width.ts';
import { learnNested } from './learn.ts';
import { guessMarks } from './marks.ts';
import { readerFor } from './read.ts';
import { xmlEncoding } from './xml.ts';

/** A guessed format and, for people, what it was guessed from. */
export interface Guess {
  readonly format: StreamFormat;
  readonly reasons: readonly string[];
}

/** Bytes that a guess is made from; nested text needs more, as its records are longer and its structure is learned. */
export const SAMPLE = 64 * 1024;
export const NESTED_SAMPLE = 1024 * 1024;
/** Where no header or record ends within those. */
export const LARGEST_SAMPLE = 8 * 1024 * 1024;
/** Records that marks are guessed from. */
const MARKED_ROWS = 300;

/** What the first bytes of text are, as far as braces and angle brackets tell. */
export function nestedKind(text: string, fileName: string): 'json' | 'jsonl' | 'xml' | null {
  const name = fileName.toLowerCase().replace(/\.gz$/, '');
  if (/\.(jsonl|ndjson)$/.test(name)) return 'jsonl';
  const isDelimited = /\.(csv|tsv|txt)$/.test(name);
  const isJson = name.endsWith('.json');
  const start = text.trimStart();
  if (start.startsWith('<') && (/^<(\?xml|!--|!DOCTYPE|[A-Za-z_][^\s,;|]*[\s/>])/.test(start) || name.endsWith('.xml')))
    return 'xml';
  if (start.startsWith('[') && /^\[\s*[{\]]/.test(start) && !isDelimited) return 'json';
  // What is called JSON and is something else is told so.
  if (!start.startsWith('{') || isDelimited) return isJson ? 'json' : null;
  // One object a line, or one object over several lines (or a single long one).
  const firstLine = start.slice(0, start.indexOf('\n') < 0 ? undefined : start.indexOf('\n'));
  const rest = start.slice(firstLine.length).trimStart();
  if (/\}\s*$/.test(firstLine) && rest.startsWith('{')) return 'jsonl';
  if (isJson || /^\{\s*("|\})/.test(start)) return rest === '' && !isJson ? 'jsonl' : 'json';
  return null;
}

/**
 * Guesses a file's format from its first bytes (64 KiB are plenty, a MiB for nested text) and its name. Throws a fault for an empty file and
 * for bytes that are no text.
 */
export function sniffFormat(sample: Uint8Array, fileName: string): Guess {
  if (sample.length === 0) throw new Fault('unreadable', `${fileName} is empty; there is nothing to read.`);
  const { encoding, reason } = sniffEncoding(sample, fileName);
  const text = decodeSample(sample, encoding);
  const name = fileName.toLowerCase().replace(/\.gz$/, '');
  if (text.trim() === '')
    throw new Fault('unreadable', `${fileName} has nothing but blanks; there is nothing to read.`);
  const nested = nestedKind(text, fileName);
  if (nested === 'jsonl')
    return { format: { kind: 'jsonl', encoding }, reasons: [reason, 'each line is a JSON object'] };
  if (nested !== null) return sniffNested(nested, sample, encoding, reason, fileName);
  const fixed = /\.(csv|tsv)$/.test(name) ? null : sniffFixed(text, encoding, reason);
  const newline = sniffNewline(text);
  const delimiter = sniffDelimiter(text, newline, name);
  // “Surname, Given” is no pair of columns: what stands in more columns of blanks, in lines of one length, wins.
  if (fixed && (delimiter.score === 0 || delimiter.width < fixed.format.columns.length))
    return withMarks(fixed.format, fixed.reasons, sample);
  const rows = sampleRows(text, newline, delimiter.value, 60);
  const header = looksLikeHeader(rows);
  const format: DelimitedFormat = {
    kind: 'delimited',
    encoding,
    delimiter: delimiter.value,
    quote: '"',
    newline,
    skipLines: 0,
    header,
    emptyIsNull: true,
  };
  const names = header ? 'the first row reads like names' : 'the first row reads like data';
  return withMarks(format, [reason, delimiter.reason, names], sample);
}

/** Adds how the first records write their numbers and dates. */
function withMarks(format: DelimitedFormat | FixedWidthFormat, reasons: readonly string[], sample: Uint8Array): Guess {
  try {
    const reader = readerFor(format);
    const rows = reader
      .push(sample)
      .rows.slice(0, MARKED_ROWS)
      .filter((r) => !(r instanceof Unreadable));
    const names = reader.names ?? [];
    const columns = names.map((_, i) => rows.map((r) => (r as readonly (string | null)[])[i] ?? ''));
    const found = guessMarks(names, columns);
    return {
      format: found.marks ? { ...format, marks: found.marks } : format,
      reasons: [...reasons, ...found.reasons],
    };
  } catch (error) {
    // A header that can't be read is said when the file is.
    if (isFault(error, 'unreadable')) return { format, reasons };
    throw error;
  }
}

function sniffNested(
  kind: 'json' | 'xml',
  sample: Uint8Array,
  encoding: Encoding,
  reason: string,
  fileName: string,
): Guess {
  const text = decodeText(sample, encoding);
  try {
    const declared = kind === 'xml' ? xmlEncoding(text.slice(0, 200)) : null;
    const actual = declared !== null && declared !== encoding && !encoding.startsWith('utf-16') ? declared : encoding;
    const format = learnNested(kind, actual === encoding ? text : decodeText(sample, actual), actual);
    const reasons = [
      declared === null ? reason : `${actual === 'utf-8' ? 'UTF-8' : actual}, as its declaration says`,
      kind === 'xml' ? `<${format.records.split('/').at(-1)}> repeats` : jsonReason(format.records),
    ];
    if (format.structures.length > 1)
      reasons.push(
        `inside the records, ${format.structures
          .slice(1)
          .map((s) => s.path)
          .join(', ')} can repeat`,
      );
    return { format, reasons };
  } catch (error) {
    throw isFault(error, 'unreadable') ? new Fault('unreadable', `${fileName}: ${error.message}`) : error;
  }
}
function jsonReason(records: string): string {
  return records === '' ? 'a list or object at the top' : `the longest list is at ${records}`;
}

function sniffFixed(
  text: string,
  encoding: Encoding,
  reason: string,
): { format: FixedWidthFormat; reasons: string[] } | null {
  const lines = text
    .split(/\r?\n|\r/)
    .filter((l) => l.trim() !== '')
    .slice(0, 400);
  const whole = lines.slice(0, lines.length > 3 ? -1 : undefined);
  // Lines that are of one length in bytes only were made by a program that counts those.
  const inBytes = encoding === 'utf-8' && sizes(whole.map(asBytes)) === 1 && sizes(whole) > 1;
  const columns = guessColumns(inBytes ? whole.map(asBytes) : whole);
  return columns === null
    ? null
    : {
        format: {
          kind: 'fixed',
          encoding,
          skipLines: 0,
          columns,
          emptyIsNull: true,
          ...(text.includes('\n') ? {} : { newline: '\r' }),
          ...(inBytes ? { counts: 'bytes' } : {}),
        },
        reasons: [
          reason,
          inBytes
            ? `lines of ${asBytes(whole[0]!).length} bytes, with blanks between ${columns.length} columns`
            : `lines of about ${lines[0]!.length} characters, with blanks between ${columns.length} columns`,
        ],
      };
}

/** The encoding that a file's first bytes tell of, or its XML declaration; null: plain ASCII tells nothing. Throws a fault. */
export function encodingOf(sample: Uint8Array, fileName: string, kind: StreamFormat['kind']): Encoding | null {
  const declared = kind === 'xml' ? xmlEncoding(decodeText(sample.subarray(0, 200), 'windows-1252')) : null;
  if (declared !== null) return declared;
  return sample.every((byte) => byte !== 0 && byte < 0x80) ? null : sniffEncoding(sample, fileName).encoding;
}

/** A character for each byte. */
const asBytes = (line: string): string =>
  Array.from(new TextEncoder().encode(line), (byte) => String.fromCharCode(byte)).join('');
const sizes = (lines: readonly string[]): number => new Set(lines.map((l) => l.length)).size;

function sniffEncoding(sample: Uint8Array, fileName: string): { encoding: Encoding; reason: string } {
  const [a, b, c] = sample;
  if (a === 0xef && b === 0xbb && c === 0xbf) return { encoding: 'utf-8', reason: 'UTF-8 by its byte order mark' };
  if (a === 0xff && b === 0xfe)
    return { encoding: 'utf-16le', reason: 'UTF-16 (little-endian) by its byte order mark' };
  if (a === 0xfe && b === 0xff) return { encoding: 'utf-16be', reason: 'UTF-16 (big-endian) by its byte order mark' };
  let zeros = 0;
  let oddZeros = 0;
  for (let i = 0; i < sample.length; i++)
    if (sample[i] === 0) {
      zeros++;
      if (i % 2 === 1) oddZeros++;
    }
  if (zeros > sample.length / 4) {
    if (oddZeros > zeros * 0.9) return { encoding: 'utf-16le', reason: 'UTF-16 by its zero bytes' };
    if (oddZeros < zeros * 0.1) return { encoding: 'utf-16be', reason: 'UTF-16 by its zero bytes' };
  }
  if (a === 0x50 && b === 0x4b)
    throw new Fault(
      'unreadable',
      `${fileName} is a ZIP archive or a workbook, not text; a workbook's name ends in .xlsx.`,
    );
  if (a === 0x1f && b === 0x8b)
    throw new Fault('unreadable', `${fileName} is packed with gzip, but its name does not say so; add .gz to it.`);
  if (a === 0x25 && b === 0x50 && c === 0x44)
    throw new Fault('unreadable', `${fileName} is a PDF; it holds no records.`);
  if (a === 0xd0 && b === 0xcf)
    throw new Fault('unreadable', `${fileName} is a workbook in the old binary form; save it as .xlsx and read that.`);
  if (zeros > 0 && zeros > sample.length / 100)
    throw new Fault(
      'unreadable',
      `${fileName} is not a text file: ${zeros.toLocaleString('en-GB')} of its first ${sample.length.toLocaleString('en-GB')} bytes are zero.`,
    );
  try {
    // A character may be cut at the end of a sample, not at that of a file.
    const end = sample.length < SAMPLE ? sample.length : wholeEnd(sample);
    new TextDecoder('utf-8', { fatal: true }).decode(sample.subarray(0, end));
    return { encoding: 'utf-8', reason: 'UTF-8, every byte fits' };
  } catch {
    // another encoding, or a few bad bytes
  }
  return damagedUtf8(sample)
    ? { encoding: 'utf-8', reason: 'UTF-8, but for a few damaged rows' }
    : { encoding: 'windows-1252', reason: 'Windows-1252, as some bytes are not UTF-8' };
}

/** UTF-8 with some damage: text in another encoding has hardly ever what looks like a whole character of several bytes. */
function damagedUtf8(sample: Uint8Array): boolean {
  const text = new TextDecoder('utf-8').decode(sample);
  let broken = 0;
  let whole = 0;
  for (const c of text) {
    if (c === '\ufffd') broken++;
    else if (c > '\u007f') whole++;
  }
  return whole > 0 && whole >= broken;
}

function decodeSample(sample: Uint8Array, encoding: Encoding): string {
  const text = decodeText(sample, encoding);
  const lastLine = Math.max(text.lastIndexOf('\n'), text.lastIndexOf('\r'));
  // The last line may be cut; it is left out where there are others.
  return lastLine > 0 && sample.length >= 32_768 ? text.slice(0, lastLine + 1) : text;
}

/** What ends the first line: names hold no line ends, and what cells hold comes behind them. */
function sniffNewline(text: string): '\n' | '\r' {
  const [first = '\n'] = /\r*\n|\r/.exec(text.replace(/"[^"]*"/g, '')) ?? [];
  return first.endsWith('\n') ? '\n' : '\r';
}

const DELIMITERS: [value: string, word: string][] = [
  [';', 'semicolons'],
  [',', 'commas'],
  ['\t', 'tabs'],
  ['|', 'vertical bars'],
];

function sniffDelimiter(
  text: string,
  newline: string,
  name: string,
): { value: string; reason: string; score: number; width: number } {
  let best = {
    value: name.endsWith('.tsv') ? '\t' : ',',
    reason: 'one column; no delimiter found',
    score: 0,
    width: 1,
  };
  for (const [value, word] of DELIMITERS) {
    const widths = sampleRows(text, newline, value, 60).map((r) => r.length);
    const width = widths[0] ?? 1;
    if (width < 2) continue;
    const same = widths.filter((w) => w === width).length / widths.length;
    const score = same * 10 + Math.min(width, 50) / 10;
    if (same > 0.6 && score > best.score)
      best = {
        value,
        reason: `${word} make ${width} columns in ${Math.round(same * 100)} % of the first rows`,
        score,
        width,
      };
  }
  return best;
}

/** The first rows, cut roughly: good enough for guessing, not for reading. */
export function sampleRows(text: string, newline: string, delimiter: string, limit: number): string[][] {
  const rows: string[][] = [];
  let cells: string[] = [];
  let cell = '';
  let inside = false;
  const endCell = (): void => void (cells.push(cell.replace(/\r$/, '')), (cell = ''));
  const endRow = (): void => {
    endCell();
    if (cells.length > 1 || cells[0] !== '') rows.push(cells);
    cells = [];
  };
  for (let i = 0; i < text.length && i < 200_000; i++) {
    const c = text[i]!;
    if (inside) {
      if (c === '"' && text[i + 1] === '"') cell += text[++i];
      else if (c === '"') inside = false;
      else cell += c;
    } else if (c === '"' && cell === '') inside = true;
    else if (c === delimiter) endCell();
    else if (c === newline) {
      endRow();
      if (rows.length >= limit) return rows;
    } else cell += c;
  }
  if (cell !== '' || cells.length > 0) endRow();
  return rows;
}

const DATA = /^[-+]?[\d.,:/ -]*\d[\d.,:/ %-]*$/;
function looksLikeHeader(rows: readonly string[][]): boolean {
  const [first] = rows;
  if (!first) return false;
  const names = first.map((c) => c.trim());
  if (names.some((c) => DATA.test(c)) || names.filter((c) => c === '').length > names.length / 3) return false;
  return new Set(names.filter((c) => c !== '')).size === names.filter((c) => c !== '').length || rows.length > 1;
}
