import { Unreadable } from './format.ts';
import type { StreamFormat } from './file-format.ts';
import { readerFor } from './read.ts';
import { mergeUnknown, OTHER_PATHS, UnknownCounter, unknownWords, type UnknownWay } from './unknown.ts';

const nested = { encoding: 'utf-8', structures: [{ path: '', fields: ['a'] }], part: '', withDoc: false } as const;
const FORMATS: readonly [format: StreamFormat, text: string][] = [
  [{ kind: 'json', records: '', ...nested }, '[{"a":"1"},{"a":"2","b":"x"},{"a":"3"}]'],
  [{ kind: 'jsonl', encoding: 'utf-8' }, '{"a":"1"}\n{"a":"2","b":"x"}\n{"a":"3"}'],
  [{ kind: 'xml', records: 'r/o', ...nested }, '<r><o><a>1</a></o><o><a>2</a><b>x</b></o><o><a>3</a></o></r>'],
  [
    { kind: 'fixed', encoding: 'utf-8', skipLines: 0, columns: [{ name: 'a', from: 1, width: 2 }], emptyIsNull: true },
    '1\n2 x\n3\n',
  ],
];
function read(format: StreamFormat, text: string, unknown?: UnknownWay) {
  const reader = readerFor({ ...format, ...(unknown ? { unknown } : {}) }, format.kind === 'jsonl' ? ['a'] : null);
  const batches = [reader.push(new TextEncoder().encode(text)), reader.end()];
  return {
    rows: batches.flatMap((b) => b.rows).map((r) => (r instanceof Unreadable ? r.message : r.at(-1))),
    unknown: [...mergeUnknown(batches.map((b) => b.unknown)).values()],
  };
}

describe.each(FORMATS)('what no field is for: $kind', (format, text) => {
  it('is told, with how many records have it and the first of them', () => {
    for (const way of [undefined, 'told'] as const)
      expect(read(format, text, way)).toEqual({ rows: ['1', '2', '3'], unknown: [{ count: 1, row: 2 }] });
  });
  it('is left out without a word where people want that', () => {
    expect(read(format, text, 'ignored')).toEqual({ rows: ['1', '2', '3'], unknown: [] });
  });
  it('makes its record fail where people want that', () => {
    expect(read(format, text, 'refused')).toEqual({
      rows: ['1', expect.stringContaining('which the structure of the dataset does not know'), '3'],
      unknown: [],
    });
  });
});

it('paths beyond what people would read are told together', () => {
  const counter = new UnknownCounter();
  for (let i = 0; i < 150; i++) counter.see(`p${i}`, i + 1);
  const { unknown } = counter.take();
  expect(unknown!.size).toBe(101);
  expect(unknown!.get(OTHER_PATHS)).toEqual({ count: 50, row: 101 });
  expect(unknownWords('a/b', OTHER_PATHS, { count: 50, row: 1101, file: 'b.json' })).toBe(
    '50 records of a/b have further members, the first in row 1,101 of b.json; the structure of the dataset does not know it, so it was not read',
  );
});
