import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { parse } from 'csv-parse/sync';
import * as fc from 'fast-check';
import { readerFor, readRows, sniffFormat, Unreadable, type DelimitedFormat, type RawRow } from '../../index.ts';
import { MAX_RECORD } from '../format.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const COMMAS: DelimitedFormat = {
  kind: 'delimited',
  encoding: 'utf-8',
  delimiter: ',',
  quote: '"',
  newline: '\n',
  skipLines: 0,
  header: true,
  emptyIsNull: false,
};

/** The bytes of the heap that are really held: what waits to be collected says nothing. */
function heldMemory(): number {
  setFlagsFromString('--expose_gc');
  (runInNewContext('gc') as () => void)();
  return process.memoryUsage().heapUsed;
}

/** Reads in pieces of the given size, as a stream would bring them. */
async function read(
  content: string | Uint8Array,
  format: Partial<DelimitedFormat> = {},
  piece = 1 << 20,
): Promise<RawRow[]> {
  const all = typeof content === 'string' ? bytes(content) : content;
  async function* pieces(): AsyncGenerator<Uint8Array> {
    for (let at = 0; at < all.length; at += piece) yield all.subarray(at, at + piece);
  }
  const rows: RawRow[] = [];
  for await (const batch of readRows(pieces(), readerFor({ ...COMMAS, ...format }))) rows.push(...batch.rows);
  return rows;
}
const said = (row: RawRow | undefined): string => (row instanceof Unreadable ? row.message : 'readable');

describe('delimited text', () => {
  it('gives csv-parse’s records, however the bytes are cut', async () => {
    const cell = fc.oneof(
      fc.stringMatching(/^[a-z0-9 ]{0,8}$/),
      fc.constantFrom('', '00417', '1E5', 'a"b', 'x,y', 'zwei\nZeilen', 'crlf\r\nin', 'ß€😀', '" "', "'"),
    );
    const table = fc
      .integer({ min: 2, max: 5 })
      .chain((width) =>
        fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 20 }),
      );
    await fc.assert(
      fc.asyncProperty(
        table,
        fc.integer({ min: 1, max: 40 }),
        fc.constantFrom('\n', '\r\n'),
        async (rows, piece, end) => {
          const quote = (c: string): string => (/[",\r\n]/.test(c) || c === '' ? `"${c.replace(/"/g, '""')}"` : c);
          const header = rows[0]!.map((_, i) => `c${i}`).join(',');
          const text = `${[header, ...rows.map((r) => r.map(quote).join(','))].join(end)}${end}`;
          const expected = parse(text, { from_line: 1, record_delimiter: [end] }).slice(1) as string[][];
          expect(await read(text, {}, piece)).toEqual(expected);
          expect(expected).toEqual(rows);
        },
      ),
      { numRuns: 300 },
    );
  });

  it.each([
    ['LF', 'a,b\n1,2\n3,4\n', '\n'],
    ['CRLF', 'a,b\r\n1,2\r\n3,4\r\n', '\n'],
    ['CR', 'a,b\r1,2\r3,4\r', '\r'],
    ['no line end at the end', 'a,b\n1,2\n3,4', '\n'],
    ['empty lines between', 'a,b\n1,2\n\n3,4\n\n', '\n'],
  ] as const)('reads %s', async (_name, text, newline) => {
    expect(await read(text, { newline })).toEqual([
      ['1', '2'],
      ['3', '4'],
    ]);
    expect(await read(text, { newline }, 1)).toEqual([
      ['1', '2'],
      ['3', '4'],
    ]);
  });

  it('keeps leading zeros and 1E5 as text, and tells empty from null as the format says', async () => {
    expect(await read('id,v\n00417,1E5\n"",\n', { emptyIsNull: true })).toEqual([
      ['00417', '1E5'],
      [null, null],
    ]);
    expect(await read('id,v\n,x\n')).toEqual([['', 'x']]);
  });

  it('passes over title lines above the header', async () => {
    expect(await read('Export of 3 August\n\nid,v\n1,2\n', { skipLines: 2 })).toEqual([['1', '2']]);
  });

  it('says which rows are ragged, and goes on', async () => {
    const rows = await read('a,b\n1,2,3\n4\n5,6\n');
    expect(said(rows[0])).toBe('The row has 3 cells where the header has 2.');
    expect(said(rows[1])).toBe('The row has one cell where the header has 2.');
    expect(rows[2]).toEqual(['5', '6']);
  });

  it('gives up an unterminated quote at its row, and reads the rows after it', async () => {
    const rows = await read('a,b\n1,"open\n2,3\n4,5\n');
    expect(said(rows[0])).toMatch(/no closing quote/);
    expect(rows.slice(1)).toEqual([
      ['2', '3'],
      ['4', '5'],
    ]);
    const behind = await read('a,b\n1,"x"y\n2,3\n');
    expect(said(behind[0])).toMatch(/behind the closing quote/);
    expect(behind[1]).toEqual(['2', '3']);
  });

  it('marks rows with zero bytes and with bytes outside the encoding, and only those', async () => {
    const bad = new Uint8Array([...bytes('a,b\n1,ok\n2,x\u0000y\n3,'), 0xff, 0xfe, ...bytes('\n4,ß\n')]);
    for (const piece of [1 << 20, 1, 3]) {
      const rows = await read(bad, {}, piece);
      expect(rows[0]).toEqual(['1', 'ok']);
      expect(said(rows[1])).toMatch(/zero byte/);
      expect(said(rows[2])).toMatch(/not UTF-8/);
      expect(rows[3]).toEqual(['4', 'ß']);
    }
  });

  it('reads Windows-1252 and byte order marks', async () => {
    expect(
      await read(new Uint8Array([...bytes('a,b\n'), 0x80, 0x2c, 0xdf, 0x0a]), { encoding: 'windows-1252' }),
    ).toEqual([['€', 'ß']]);
    expect(await read(`\ufeffa,b\n1,2\n`)).toEqual([['1', '2']]);
    const utf16 = new Uint8Array([...'\ufeffa,b\n1,ß\n'].flatMap((c) => [c.charCodeAt(0) & 255, c.charCodeAt(0) >> 8]));
    expect(await read(utf16, { encoding: 'utf-16le' }, 3)).toEqual([['1', 'ß']]);
  });

  it('bounds a line without end, in memory and in what it keeps of it', async () => {
    const reader = readerFor(COMMAS);
    reader.push(bytes('a,b\n'));
    const piece = bytes('x'.repeat(1 << 20));
    const seen: RawRow[] = [];
    const before = heldMemory();
    // 64 MB stand for 2 GB: what is kept must not grow with it.
    for (let i = 0; i < 64; i++) seen.push(...reader.push(piece).rows);
    seen.push(...reader.push(bytes('\n1,2\n')).rows, ...reader.end().rows);
    expect(heldMemory() - before).toBeLessThan(24e6);
    expect(said(seen[0])).toMatch(new RegExp(`longer than ${MAX_RECORD.toLocaleString('en-GB')} characters`));
    expect(seen.filter((r) => !(r instanceof Unreadable))).toEqual([['1', '2']]);
  });

  it.each([
    ['a,b,a\n1,2,3\n', /two columns called “a” \(columns 1 and 3\)/],
    [`${'c,'.repeat(20_001)}c\n`, /20,002 columns; 20,000 is the limit/],
  ])('refuses a header that can’t be meant', async (text, sentence) => {
    await expect(read(text)).rejects.toThrow(sentence);
  });
});

describe('guessing a format', () => {
  it.each([
    ['a;b\n1;2\n', { delimiter: ';', header: true }],
    ['a,b\n1,2\n', { delimiter: ',', header: true }],
    ['a\tb\n1\t2\n', { delimiter: '\t', header: true }],
    ['1;2\n3;4\n', { delimiter: ';', header: false }],
    ['id;"x;y"\n1;"a;b"\n', { delimiter: ';' }],
    ['a;b\r1;2\r', { newline: '\r' }],
    ['preis;menge\n1,50;2\n3,25;4\n', { delimiter: ';' }],
  ])('of %j', (text, expected) => expect(sniffFormat(bytes(text), 'x.csv').format).toMatchObject(expected));

  it('tells encodings apart, and says why', () => {
    const guess = (b: number[]): string =>
      `${sniffFormat(new Uint8Array(b), 'x.csv').format.encoding}: ${sniffFormat(new Uint8Array(b), 'x.csv').reasons[0]}`;
    expect(guess([...bytes('name\nMüller\n')])).toMatch(/^utf-8: UTF-8, every byte fits/);
    expect(guess([...bytes('name\nM'), 0xfc, ...bytes('ller\n')])).toMatch(/^windows-1252/);
    expect(guess([0xff, 0xfe, 97, 0, 10, 0])).toMatch(/^utf-16le: .*byte order mark/);
  });
  it('knows JSON Lines', () => expect(sniffFormat(bytes('{"a":1}\n{"a":2}\n'), 'x.jsonl').format.kind).toBe('jsonl'));
});
