import fc from 'fast-check';
import { ByteWriter } from './text/byte-writer.ts';
import { Unreadable, type RawRow } from './format.ts';
import type { DelimitedFormat } from './delimited/settings.ts';
import type { FixedWidthFormat } from './fixed-width/settings.ts';
import type { StreamFormat } from './file-format.ts';
import { readerFor } from './read.ts';
import { sniffFormat } from './sniff.ts';
import { copyCells, copyLine } from './text/copy.ts';
import { csvHeader, csvLine } from './delimited/write.ts';
import { jsonLine } from './json-lines/write.ts';
import type { Column } from './output.ts';

/** What we write we read back: every record, every cell, also where a file has one column, or nothing but nulls in a row. */

const cell = fc.option(
  fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 8 }).filter((t) => !t.includes('\u0000')),
    fc.constantFrom(
      '',
      ' ',
      '"',
      '""',
      ',',
      '\n',
      '\r\n',
      '\r',
      'a\nb',
      "'",
      '\\N',
      '\\.',
      '\\',
      'null',
      '\ufeff',
      '!x',
      '=1',
    ),
  ),
  { nil: null },
);
const table = fc
  .tuple(fc.integer({ min: 1, max: 5 }), fc.integer({ min: 0, max: 8 }))
  .chain(([width, height]) =>
    fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: height, maxLength: height }),
  );
const columnsOf = (rows: readonly (readonly unknown[])[]): Column[] =>
  Array.from({ length: rows[0]?.length ?? 1 }, (_, i) => ({ name: `c${i}`, type: 'text' }));

function bytesOf(write: (out: ByteWriter) => void): Uint8Array {
  const out = new ByteWriter(16);
  write(out);
  return out.take();
}
/** The rows of a file that arrives in pieces of `size` bytes. */
function read(
  format: StreamFormat,
  bytes: Uint8Array,
  size: number,
  fields: readonly string[] | null = null,
): RawRow[] {
  const reader = readerFor(format, fields);
  const rows: RawRow[] = [];
  for (let at = 0; at < bytes.length; at += size) rows.push(...reader.push(bytes.slice(at, at + size)).rows);
  rows.push(...reader.end().rows);
  return rows;
}

describe('written and read again', () => {
  const csv: DelimitedFormat = {
    kind: 'delimited',
    encoding: 'utf-8',
    delimiter: ',',
    quote: '"',
    newline: '\n',
    skipLines: 0,
    header: true,
    emptyIsNull: true,
  };
  it('CSV: every record comes back, and an empty text stays apart from null', () =>
    fc.assert(
      fc.property(table, fc.integer({ min: 1, max: 40 }), (rows, size) => {
        const columns = columnsOf(rows);
        const bytes = bytesOf((out) => {
          csvHeader(out, columns);
          for (const row of rows) csvLine(out, row, columns);
        });
        const back = read(csv, bytes, size);
        expect(back).toHaveLength(rows.length);
        // The reader takes an empty cell for null, quoted or not; what is not empty comes back to the letter.
        expect(back).toEqual(rows.map((row) => row.map((value) => (value === '' ? null : value))));
      }),
    ));
  it('JSON Lines: every record comes back as it was', () =>
    fc.assert(
      fc.property(table, fc.integer({ min: 1, max: 40 }), (rows, size) => {
        const columns = columnsOf(rows);
        const bytes = bytesOf((out) => {
          for (const row of rows) jsonLine(out, row, columns);
        });
        const back = read(
          { kind: 'jsonl', encoding: 'utf-8' },
          bytes,
          size,
          columns.map((c) => c.name),
        );
        expect(back).toEqual(rows);
      }),
    ));
  it('COPY text: every record comes back as it was, one line each', () =>
    fc.assert(
      fc.property(table, (rows) => {
        const columns = columnsOf(rows);
        const text = new TextDecoder('utf-8', { ignoreBOM: true }).decode(
          bytesOf((out) => {
            for (const row of rows) copyLine(out, row, columns);
          }),
        );
        const lines = text.split('\n');
        expect(lines.pop()).toBe('');
        expect(lines.map(copyCells)).toEqual(rows);
      }),
    ));
  it.each(['utf-16le', 'utf-16be', 'windows-1252', 'iso-8859-15'] as const)(
    'delimited text in %s, however it is cut',
    (encoding) => {
      const letters = encoding.startsWith('utf') ? 'aé€😀ß;"\n' : 'aéß;"\n';
      const text = fc.array(fc.constantFrom(...letters), { minLength: 1, maxLength: 6 }).map((t) => t.join(''));
      fc.assert(
        fc.property(fc.array(fc.tuple(text, text), { maxLength: 6 }), fc.integer({ min: 1, max: 30 }), (rows, size) => {
          const quoted = rows.map((r) => r.map((t) => `"${t.replace(/"/g, '""')}"`).join(';') + '\n').join('');
          const plain = Buffer.from(`a;b\n${quoted}`, encoding.startsWith('utf') ? 'utf16le' : 'latin1');
          const bytes = encoding === 'utf-16be' ? plain.swap16() : plain;
          expect(read({ ...csv, encoding, delimiter: ';' }, bytes, size)).toEqual(rows);
        }),
      );
    },
  );
  it('fixed-width text: what fits its columns comes back without the blanks around it', () => {
    const widths = fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 5 });
    const value = fc.string({ unit: fc.constantFrom(...'abc0189.-éß '), maxLength: 9 });
    fc.assert(
      fc.property(
        widths.chain((w) =>
          fc.tuple(fc.constant(w), fc.array(fc.array(value, { minLength: w.length, maxLength: w.length }))),
        ),
        fc.integer({ min: 1, max: 30 }),
        ([w, rows], size) => {
          const columns = w.map((width, i) => ({
            name: `c${i}`,
            from: 1 + w.slice(0, i).reduce((sum, x) => sum + x, 0),
            width,
          }));
          const format: FixedWidthFormat = {
            kind: 'fixed',
            encoding: 'utf-8',
            skipLines: 0,
            columns,
            emptyIsNull: true,
          };
          // A line with nothing in it at all is no record; each of these has a mark at its end.
          const marked = {
            ...format,
            columns: [...columns, { name: 'end', from: 1 + w.reduce((a, b) => a + b, 0), width: 1 }],
          };
          const cut = rows.map((row) => row.map((text, i) => text.slice(0, w[i])));
          const lines = cut.map((row) => `${row.map((text, i) => text.padEnd(w[i]!)).join('')}|\n`).join('');
          const back = read(marked, Buffer.from(lines), size);
          expect(back.filter((row) => row instanceof Unreadable)).toEqual([]);
          expect(back).toEqual(
            cut.map((row) => [...row.map((text) => (text.trim() === '' ? null : text.trim())), '|']),
          );
        },
      ),
    );
  });
});

describe('a file that we wrote, read by somebody who does not know it', () => {
  it('is guessed as what it is', () => {
    const columns: Column[] = [
      { name: 'station', type: 'text' },
      { name: 'note', type: 'text' },
    ];
    const rows = Array.from({ length: 20 }, (_, i) => [`S-${i}`, i % 3 === 0 ? null : `a "quoted", text\nof ${i}`]);
    const bytes = bytesOf((out) => {
      csvHeader(out, columns);
      for (const row of rows) csvLine(out, row, columns);
    });
    const { format } = sniffFormat(bytes, 'stations.csv');
    expect(format).toMatchObject({ kind: 'delimited', delimiter: ',', header: true, encoding: 'utf-8' });
    expect(read(format as StreamFormat, bytes, 7)).toEqual(rows);
  });
});
