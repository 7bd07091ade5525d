import { gzipSync } from 'node:zlib';
import { parse } from 'csv-parse/sync';
import * as fc from 'fast-check';
import {
  ByteWriter,
  copyLine,
  csvHeader,
  csvLine,
  gunzip,
  jsonLine,
  parseDecimal,
  readerFor,
  readFlatObject,
  readRows,
  Timestamp,
  Unreadable,
  type Column,
  type RawRow,
  type RowBatch,
  type Value,
} from '../index.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
async function* once(...pieces: Uint8Array[]): AsyncGenerator<Uint8Array> {
  yield* pieces;
}
const written = (write: (out: ByteWriter) => void): string => {
  const out = new ByteWriter(4);
  write(out);
  return new TextDecoder().decode(out.take());
};

describe('letters beyond the first plane', () => {
  // Their second halves take every value that a low surrogate can have.
  const letters = Array.from({ length: 1024 }, (_, i) => String.fromCodePoint(0x11c00 + i));
  const nested = {
    encoding: 'utf-8' as const,
    structures: [{ path: '', fields: ['a'] }],
    part: '',
    withDoc: false,
  };
  it.each([
    [
      'delimited text',
      letters.join('\n'),
      {
        kind: 'delimited',
        encoding: 'utf-8',
        delimiter: ';',
        quote: '"',
        newline: '\n',
        header: false,
        skipLines: 0,
        emptyIsNull: true,
      },
    ],
    ['JSON Lines', letters.map((l) => JSON.stringify({ a: l })).join('\n'), { kind: 'jsonl', encoding: 'utf-8' }],
    ['JSON', JSON.stringify(letters.map((a) => ({ a }))), { kind: 'json', records: '', ...nested }],
    ['XML', `<l>${letters.map((l) => `<r><a>${l}</a></r>`).join('')}</l>`, { kind: 'xml', records: 'l/r', ...nested }],
  ] as [string, string, Parameters<typeof readerFor>[0]][])(
    'are read as they are from %s',
    async (_name, text, format) => {
      const values: unknown[] = [];
      for await (const batch of readRows(once(bytes(text)), readerFor(format)))
        values.push(...batch.rows.map((row) => (row instanceof Unreadable ? row.message : row.at(-1))));
      expect(values).toEqual(letters);
    },
  );
});

describe('JSON Lines', () => {
  const read = async (text: string): Promise<RawRow[]> => {
    const rows: RawRow[] = [];
    for await (const batch of readRows(once(bytes(text)), readerFor({ kind: 'jsonl', encoding: 'utf-8' })))
      rows.push(...batch.rows);
    return rows;
  };
  it('keeps every digit of a number, and nested values as JSON', () => {
    const object = readFlatObject(
      '{"n":12345678901234567890.10,"e":1E5,"t":"00417","b":true,"z":null,"o":{"a":[1, "}"]},"a":[]}',
    );
    expect(Object.fromEntries(object)).toEqual({
      n: '12345678901234567890.10',
      e: '1E5',
      t: '00417',
      b: 'true',
      z: null,
      o: '{"a":[1, "}"]}',
      a: '[]',
    });
  });
  it('reads rows with different members, and says which line is none', async () => {
    const rows = await read('{"a":"1"}\n\n{"b":"2"}\nnot json\n[1]\n{"a":"3","b":"4"}\n');
    expect(rows.filter((r) => !(r instanceof Unreadable))).toEqual([['1'], [null, '2'], ['3', '4']]);
    expect((rows[2] as Unreadable).message).toMatch(/not a JSON object/);
    expect((rows[3] as Unreadable).message).toMatch(/must be an object in braces/);
  });
});

describe('gzip', () => {
  it('is read through, and damage is said', async () => {
    const text = 'a;b\n1;2\n'.repeat(20_000);
    const packed = gzipSync(text);
    let read = '';
    for await (const piece of gunzip(once(packed.subarray(0, 100), packed.subarray(100)), 'x.csv.gz'))
      read += new TextDecoder().decode(piece);
    expect(read).toBe(text);
    const all = async (data: Uint8Array): Promise<void> => {
      for await (const piece of gunzip(once(data), 'x.csv.gz')) void piece;
    };
    await expect(all(packed.subarray(0, 60))).rejects.toThrow(/x\.csv\.gz can't be unpacked: .*damaged or cut short/);
    await expect(all(bytes('no gzip'))).rejects.toThrow(/damaged/);
  });
});

describe('writing', () => {
  const columns: Column[] = [
    { name: 'a', type: 'text' },
    { name: 'b, c', type: 'text' },
    { name: 'n', type: 'numeric' },
    { name: 't', type: 'bool' },
    { name: 'd', type: 'date' },
    { name: 's', type: 'timestamp' },
  ];
  it('writes CSV that reads back the same', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string(), (a, b) => {
        fc.pre(!/[\ud800-\udfff]/.test(a.replace(/[\ud800-\udbff][\udc00-\udfff]/g, '')));
        const text = written((out) => csvLine(out, [a, b, null, null, null, null], columns));
        expect(parse(text, { record_delimiter: ['\n'] })).toEqual([[a, b, '', '', '', '']]);
      }),
    );
  });
  it('gives each type its own form', () => {
    const values: Value[] = ['x', '', parseDecimal('12.50'), true, 20_668, new Timestamp(20_668, 5e6)];
    expect(written((out) => csvHeader(out, columns))).toBe('a,"b, c",n,t,d,s\n');
    expect(written((out) => csvLine(out, values, columns))).toBe('x,"",12.50,t,2026-08-03,2026-08-03 00:00:05\n');
    expect(written((out) => jsonLine(out, values, columns))).toBe(
      '{"a":"x","b, c":"","n":"12.50","t":true,"d":"2026-08-03","s":"2026-08-03 00:00:05"}\n',
    );
    expect(written((out) => copyLine(out, ['a\tb', 'c\\d\r\n', null, false, 0, null], columns))).toBe(
      'a\\tb\tc\\\\d\\r\\n\t\\N\tf\t1970-01-01\t\\N\n',
    );
  });
  it('puts any text into bytes as UTF-8', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: 'grapheme' })), (texts) => {
        expect(written((out) => texts.forEach((t) => out.text(t)))).toBe(texts.join(''));
      }),
    );
  });
});

describe('a file that comes in pieces', () => {
  const formats = [
    {
      kind: 'delimited',
      encoding: 'utf-8',
      delimiter: ',',
      quote: '"',
      newline: '\n',
      skipLines: 1,
      header: true,
      emptyIsNull: true,
    },
    { kind: 'jsonl', encoding: 'utf-8' },
  ] as const;
  const texts: Record<string, string> = {
    delimited: 'title\nid,name\n1,"a\n""b"""\n2\n3,"x"y\n\n4,ende\n5,',
    jsonl: '{"id":1,"name":"a"}\nnot json\n\n{"id":12345678901234567890,"name":null}\n{"id":3,"name":"z"}',
  };
  it.each(formats)('gives the very rows of the whole, however $kind is cut', (format) => {
    const whole = bytes(texts[format.kind]!);
    const begun = (): ReturnType<typeof readerFor> =>
      readerFor(format, format.kind === 'jsonl' ? ['id', 'name'] : null);
    const atOnce = begun();
    const wanted = [atOnce.push(whole), atOnce.end()].flatMap((b) => b.rows);
    expect(wanted).toHaveLength(format.kind === 'jsonl' ? 4 : 5);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 30 }), { maxLength: 12 }), (cuts) => {
        const reader = begun();
        const batches: RowBatch[] = [];
        let at = 0;
        for (const cut of cuts) {
          batches.push(reader.push(whole.slice(at, at + cut)));
          at += cut;
        }
        batches.push(reader.push(whole.slice(at)), reader.end());
        // Long after: the reader has moved on.
        expect(batches.flatMap((b) => b.rows)).toEqual(wanted);
        expect(batches.map((b) => b.firstRow)).toEqual(
          batches.map((_, i) => 1 + batches.slice(0, i).reduce((n, b) => n + b.rows.length, 0)),
        );
      }),
    );
  });
});

it('JSON Lines give each value as it was written, whichever parser reads it', () => {
  const number = fc.oneof(
    fc.integer().map(String),
    fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => JSON.stringify(n)),
    fc.tuple(fc.bigInt(), fc.nat({ max: 999 })).map(([whole, part]) => `${whole}.${part}0`),
    fc.constantFrom('-0', '0.00000012', '1E5', '12345678901234567890', '0.1', '100', '1.50'),
  );
  const value = fc.oneof(
    number.map((text) => ({ json: text, text })),
    fc.string().map((text) => ({ json: JSON.stringify(text), text })),
    fc.constantFrom(
      { json: 'null', text: null },
      { json: 'true', text: 'true' },
      { json: '[1, 2.50]', text: '[1, 2.50]' },
    ),
  );
  fc.assert(
    fc.property(fc.array(value, { minLength: 1, maxLength: 6 }), (values) => {
      if (values.some((v) => v.text?.includes('\u0000'))) return;
      const line = `{${values.map((v, i) => `"f${i}":${v.json}`).join(',')}}`;
      const [row] = readerFor({ kind: 'jsonl', encoding: 'utf-8' }).push(bytes(`${line}\n`)).rows;
      // Lone surrogates do not survive UTF-8; they are no text.
      if (JSON.stringify(values).includes('\\ud')) return;
      expect(row).toEqual(values.map((v) => v.text));
    }),
  );
});
