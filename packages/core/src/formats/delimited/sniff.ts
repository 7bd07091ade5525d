import type { Guess, Sample } from '../sample.ts';
import { withMarks } from '../text/guess-marks.ts';
import { DelimitedReader } from './read.ts';
import type { DelimitedFormat } from './settings.ts';

/** What no other format claims is delimited text, of one column at least. */
export function sniffDelimited({ bytes, encoding, reason, text, name }: Sample): Guess<DelimitedFormat> {
  const newline = sniffNewline(text);
  const delimiter = sniffDelimiter(text, newline, name);
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
  return withMarks(format, [reason, delimiter.reason, names], () => new DelimitedReader(format, null), bytes);
}

/** How many columns a delimiter makes of it; 1 where there is none. */
export function delimitedWidth({ text, name }: Sample): number {
  const { score, width } = sniffDelimiter(text, sniffNewline(text), name);
  return score === 0 ? 1 : width;
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
function sampleRows(text: string, newline: string, delimiter: string, limit: number): string[][] {
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
