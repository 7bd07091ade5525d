import fc from 'fast-check';
import { Fault } from '../../faults.ts';
import { blockCutter, ChunkCutter, readBlock, rowsOf, splitBlock, type Block } from './blocks.ts';
import { Unreadable, type RawRow } from '../format.ts';
import type { DelimitedFormat } from '../delimited/settings.ts';
import type { JsonLinesFormat } from '../json-lines/settings.ts';
import type { StreamFormat } from '../file-format.ts';
import { readerFor } from '../read.ts';

const delimited = (rest: Partial<DelimitedFormat> = {}): DelimitedFormat => ({
  kind: 'delimited',
  encoding: 'utf-8',
  delimiter: ';',
  quote: '"',
  newline: '\n',
  skipLines: 0,
  header: true,
  emptyIsNull: true,
  ...rest,
});
const jsonl: JsonLinesFormat = { kind: 'jsonl', encoding: 'utf-8' };

/** Rows as the one reader gives them, and as blocks give them; both from the same pieces of bytes. */
function bothWays(format: StreamFormat, names: readonly string[], pieces: readonly Uint8Array[]): [Row[], Row[]] {
  const reader = readerFor(format, format.kind === 'delimited' && format.header ? null : names);
  const whole = [...pieces.map((p) => reader.push(p)), reader.end()].flatMap(({ firstRow, rows }) =>
    placed(firstRow, rows),
  );
  const cutter = blockCutter(format, names)!;
  const blocks = inChunks([...pieces.flatMap((p) => cutter.push(p)), ...cutter.end()], format);
  const read = blocks.flatMap((block) => {
    const { firstRow, rows } = readBlock(block, format);
    expect(rows).toHaveLength(rowsOf(block));
    return placed(firstRow, rows);
  });
  return [whole, read];
}
/** Blocks split by a limit of records and of characters; the places where they end must be the same whatever the pieces were. */
function inChunks(blocks: readonly Block[], format: StreamFormat): Block[] {
  const chunks: Block[] = [];
  for (let rest of blocks as (Block | null)[])
    while (rest !== null) {
      const [first, then]: [Block, Block | null] = splitBlock(rest, 3, rest.from + 9, format as LineFormat);
      expect(rowsOf(first)).toBeGreaterThan(0);
      chunks.push(first);
      rest = then;
    }
  return chunks;
}
type LineFormat = DelimitedFormat | JsonLinesFormat;
type Row = [number, readonly (string | null)[] | string];
const placed = (first: number, rows: readonly RawRow[]): Row[] =>
  rows.map((row, i) => [first + i, row instanceof Unreadable ? `${row.message} | ${row.raw}` : row]);

/** Bytes cut at random places, also within letters. */
const cutAt = (bytes: Uint8Array, places: readonly number[]): Uint8Array[] => {
  const ends = [...new Set(places.map((p) => p % (bytes.length + 1)))].sort((a, b) => a - b);
  return [...ends, bytes.length].map((end, i) => bytes.subarray(i === 0 ? 0 : ends[i - 1], end));
};
const places = fc.array(fc.nat(), { maxLength: 6 });
const utf8 = new TextEncoder();

describe('blocks of a file give the very records that its reader gives', () => {
  const scrap = fc.constantFrom(
    'a',
    'b1',
    ';',
    '"',
    '""',
    '\n',
    '\n',
    '\r\n',
    'ß',
    '😀',
    ' ',
    '\u0000',
    'x;y\n',
    'x;y\n',
    '"q";"r"\n',
  );
  const damage = fc.option(fc.nat(), { nil: null });

  it.each([
    ['with a header', delimited()],
    ['without one', delimited({ header: false })],
    ['without quotes', delimited({ quote: '' })],
    ['behind lines that are no records', delimited({ skipLines: 2 })],
    ['with lines that end with CR', delimited({ newline: '\r' })],
    ['with empty texts', delimited({ emptyIsNull: false })],
    ['in windows-1252', delimited({ encoding: 'windows-1252' })],
  ])('delimited text %s', (_, format) => {
    fc.assert(
      fc.property(fc.array(scrap, { maxLength: 60 }), places, damage, (scraps, at, spoilt) => {
        const text = `x;y\n${scraps.join('')}`.replaceAll('\n', format.newline);
        const bytes = utf8.encode(text);
        if (spoilt !== null) bytes[spoilt % bytes.length] = 0xff;
        try {
          const [whole, read] = bothWays(format, ['x', 'y'], cutAt(bytes, at));
          expect(read).toEqual(whole);
        } catch (error) {
          // A header that can't be read.
          if (!(error instanceof Fault)) throw error;
        }
      }),
      { numRuns: 300 },
    );
  });

  it('lines of one field, where a blank one is a record', () => {
    const line = fc.constantFrom('', 'a', '"b"', '"');
    fc.assert(
      fc.property(fc.array(line), places, fc.constantFrom('\n', '\r\n'), (lines, at, end) => {
        const bytes = utf8.encode(['x', ...lines].join(end));
        const [whole, read] = bothWays(delimited(), ['x'], cutAt(bytes, at));
        expect(read).toEqual(whole);
      }),
    );
  });

  it('JSON Lines, also blank ones, broken ones and records that could not be fetched', () => {
    const line = fc.oneof(
      fc.record({ x: fc.string(), y: fc.option(fc.integer()) }).map((o) => JSON.stringify(o)),
      fc.constantFrom('', ' ', '{', '{"x":"a","z":1}', '\u00a0', '!{"message":"no","raw":"r"}', '[1]'),
    );
    const ends = fc.constantFrom('\n', '\r\n');
    fc.assert(
      fc.property(fc.array(line), places, ends, fc.boolean(), damage, (lines, at, end, landed, spoilt) => {
        const bytes = utf8.encode(lines.join(end));
        if (spoilt !== null && bytes.length > 0) bytes[spoilt % bytes.length] = 0xff;
        const format = landed ? { ...jsonl, landed: true as const } : jsonl;
        const [whole, read] = bothWays(format, ['x', 'y'], cutAt(bytes, at));
        expect(read).toEqual(whole);
      }),
      { numRuns: 300 },
    );
  });

  it('and chunks that end at the same records, whatever pieces the file came in', () => {
    const line = fc.constantFrom(
      'a;b',
      '',
      '"q";r',
      'long text;of some length',
      '"two\nlines";x',
      '"never closed',
      '\u0000;x',
    );
    const chunks = (bytes: Uint8Array, at: readonly number[]): Row[][] => {
      const cutter = blockCutter(delimited(), ['x', 'y'])!;
      const into = new ChunkCutter({ rows: 4, characters: 40 }, delimited());
      const blocks = [...cutAt(bytes, at).flatMap((p) => cutter.push(p)), ...cutter.end()];
      const full = [...blocks.flatMap((block) => into.push({ block, file: 'f', before: 0 })), ...into.takeIfAny()];
      return full.map((list) =>
        list.flatMap(({ block }) => {
          const { firstRow, rows } = readBlock(block, delimited());
          return placed(firstRow, rows);
        }),
      );
    };
    fc.assert(
      fc.property(fc.array(line, { maxLength: 40 }), places, places, (lines, one, other) => {
        const bytes = utf8.encode(['x;y', ...lines].join('\n'));
        expect(chunks(bytes, other)).toEqual(chunks(bytes, one));
      }),
      { numRuns: 400 },
    );
  });

  it('lines that are longer than a record may be, between others', () => {
    const long = 'l'.repeat(5 * 1024 * 1024);
    for (const [format, text] of [
      [delimited(), `x;y\na;b\n${long}\nc;d\n"q;${long}\ne;f\n`],
      [jsonl, `{"x":"a"}\n${long}\n{"x":"b"}\n`],
    ] as const) {
      const bytes = utf8.encode(text);
      const pieces: Uint8Array[] = [];
      for (let at = 0; at < bytes.length; at += 256 * 1024) pieces.push(bytes.subarray(at, at + 256 * 1024));
      const [whole, read] = bothWays(format, ['x', 'y'], pieces);
      expect(read).toEqual(whole);
      expect(whole.some(([, row]) => typeof row === 'string')).toBe(true);
    }
  });

  it('and most of a plain file is not read for it', () => {
    const text = `x;y\n${'a;b\n'.repeat(20_000)}`;
    const cutter = blockCutter(delimited(), ['x', 'y'])!;
    const bytes = utf8.encode(text);
    const blocks = [...cutter.push(bytes.subarray(0, 1000)), ...cutter.push(bytes.subarray(1000)), ...cutter.end()];
    expect(blocks.filter((b) => 'read' in b).reduce((sum, b) => sum + rowsOf(b), 0)).toBeLessThan(300);
    expect(blocks.reduce((sum, b) => sum + rowsOf(b), 0)).toBe(20_000);
  });
  it('is not offered for formats whose records don’t end with a line', () => {
    expect(blockCutter({ kind: 'xml' } as never, [])).toBeNull();
  });
});
