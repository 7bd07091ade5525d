import fc from 'fast-check';
import type { Value } from '../../fields/values.ts';
import type { Column } from '../../formats/output.ts';
import {
  buffersOf,
  onlyAt,
  cellsOf,
  chunkEncodings,
  contentOf,
  type ChunkEncodingName,
  type Content,
} from './index.ts';
import type { ChunkEncoder } from './encoding.ts';

const columns: readonly Column[] = [
  { name: 'note', type: 'text' },
  { name: 'no', type: 'int4' },
  { name: 'paid', type: 'bool' },
];
const record = fc.tuple(
  fc.option(fc.string({ unit: 'binary' }).map((t) => t.replaceAll('\u0000', ''))),
  fc.option(fc.integer()),
  fc.option(fc.boolean()),
);
function encoded(name: ChunkEncodingName, rows: readonly (readonly Value[])[]): Content {
  const encoder = chunkEncodings[name].encoder(columns) as ChunkEncoder<unknown>;
  for (const row of rows) encoder.add(row);
  return { encoding: name, of: encoder.take() } as Content;
}

describe.each(Object.keys(chunkEncodings) as ChunkEncodingName[])('the encoding %s', (name) => {
  it('gives back every cell that went in, also of texts that look like its own marks', () => {
    fc.assert(
      fc.property(fc.array(record, { maxLength: 20 }), (rows) => {
        const cells = rows.map(([note, no, paid]) => [
          note,
          no === null ? null : String(no),
          paid === null ? null : paid ? 't' : 'f',
        ]);
        expect(cellsOf(encoded(name, rows))).toEqual(cells);
      }),
    );
  });
  it('is empty after it was taken, and moves its memory along', () => {
    const encoder = chunkEncodings[name].encoder(columns) as ChunkEncoder<unknown>;
    encoder.add(['\\N', 1, true]);
    const first = { encoding: name, of: encoder.take() } as Content;
    encoder.add([null, null, null]);
    expect(cellsOf({ encoding: name, of: encoder.take() } as Content)).toEqual([[null, null, null]]);
    const moved = structuredClone(first, { transfer: buffersOf(first) });
    expect(cellsOf(moved)).toEqual([['\\N', '1', 't']]);
  });
});
it.each(Object.keys(chunkEncodings) as ChunkEncodingName[])('only some records of the encoding %s', (name) => {
  fc.assert(
    fc.property(fc.array(fc.tuple(record, fc.boolean()), { maxLength: 20 }), (rows) => {
      const content = encoded(
        name,
        rows.map(([row]) => row),
      );
      const places = rows.flatMap(([, stays], i) => (stays ? [i] : []));
      const all = cellsOf(content);
      expect(cellsOf(onlyAt(content, places))).toEqual(places.map((i) => all[i]));
    }),
  );
});
it('a target is not handed what it did not ask for', () => {
  const other = encoded('records', []);
  expect(() => contentOf(other, 'copy')).toThrow('The target takes copy, and was handed records.');
});
