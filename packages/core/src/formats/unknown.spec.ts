import { Unreadable } from './format.ts';
import type { StreamFormat } from './file-format.ts';
import type { JsonFormat } from './json/settings.ts';
import { learnNested, WholeLearner } from './nested/learn.ts';
import { readerFor } from './read.ts';
import { isPath, mergeUnknown, OTHER_PATHS, UnknownCounter, unknownWords, type UnknownWay } from './unknown.ts';

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

describe('what stands beside the records', () => {
  const XML = '<r><o><a>1</a></o> <back no="1"><o><a>9</a></o></back><o><a>2</a></o><back/></r>';
  const JSON_TEXT = '{"n":{"o":[7]},"o":[{"a":"1"},{"a":"2"}],"back":[{"a":"9"}],"all":3,"m":{"back":[]}}';
  const xml: StreamFormat = { kind: 'xml', records: 'r/o', ...nested };
  const json: StreamFormat = { kind: 'json', records: 'o', ...nested };
  /** By path; `piece`: bytes that come at a time. */
  function beside(format: StreamFormat, text: string, piece = text.length) {
    const reader = readerFor(format, null);
    const bytes = new TextEncoder().encode(text);
    const batches = [];
    for (let at = 0; at < bytes.length; at += piece) batches.push(reader.push(bytes.subarray(at, at + piece)));
    batches.push(reader.end());
    return Object.fromEntries(mergeUnknown(batches.map((b) => b.unknown)));
  }

  it.each([1, 7, 1000])('is told once each, with the record before it, in pieces of %i bytes', (piece) => {
    expect(beside(xml, XML, piece)).toEqual({ '⊘ beside r/back': { count: 2, row: 1 } });
    expect(beside(json, JSON_TEXT, piece)).toEqual({
      '⊘ beside n': { count: 1, row: 0 },
      '⊘ beside back': { count: 1, row: 2 },
      '⊘ beside all': { count: 1, row: 2 },
      '⊘ beside m': { count: 1, row: 2 },
    });
  });
  it.each([1, 7, 1000])('is also a text, a number, a word or an attribute, in pieces of %i bytes', (piece) => {
    const text = '<r at="5" xmlns="b" xsi:x="c">\n<o at="1"><a>1</a></o>lost<o><a>2</a></o> <![CDATA[ too ]]></r>';
    expect(beside({ ...xml, structures: [{ path: '', fields: ['@at', 'a'] }] }, text, piece)).toEqual({
      '⊘ beside r/@at': { count: 1, row: 0 },
      '⊘ beside r/text()': { count: 2, row: 1 },
    });
    const members = '{"state":"partial","no":-1.5e3,"nothing":null,"o":[{"a":"1"}],"is":true}';
    expect(beside(json, members, piece)).toEqual({
      '⊘ beside state': { count: 1, row: 0 },
      '⊘ beside no': { count: 1, row: 0 },
      '⊘ beside is': { count: 1, row: 1 },
    });
  });
  it('is nothing where null stands for the list: there is no record', () => {
    expect(read(json, '{"o":null,"all":0}').rows).toEqual([]);
    expect(() => read(json, '{"o":0,"all":0}')).toThrow('There is no list at “o” in it');
  });
  it('is not told where it was there when the structure was learned, or where nobody wants to hear of it', () => {
    expect(beside(learnNested('xml', XML, 'utf-8'), XML)).toEqual({});
    expect(beside(learnNested('json', JSON_TEXT, 'utf-8'), JSON_TEXT)).toEqual({});
    expect(beside({ ...xml, unknown: 'ignored' }, XML)).toEqual({});
    expect(beside(learnNested('xml', XML, 'utf-8'), XML.replace('<back/>', '<lost/>'))).toEqual({
      '⊘ beside r/lost': { count: 1, row: 2 },
    });
  });
  it('is not read as records, at whatever depth it is', () => {
    expect(read(json, JSON_TEXT).rows).toEqual(['1', '2']);
    expect(read(xml, XML).rows).toEqual(['1', '2']);
  });
  it('is learned from whole files', () => {
    const learner = new WholeLearner(learnNested('json', '{"o":[{"a":"1"}]}', 'utf-8') as JsonFormat);
    learner.beginFile();
    learner.push(new TextEncoder().encode(JSON_TEXT));
    learner.endFile();
    expect((learner.result().format as JsonFormat).beside).toEqual(['n', 'back', 'all', 'm']);
  });
  it('is told by so many paths at the most', () => {
    const many = Array.from({ length: 250 }, (_, i) => `<e${i}/>`).join('');
    const told = beside(xml, `<r><o><a>1</a></o>${many}</r>`, 40);
    expect(Object.keys(told)).toHaveLength(101);
    expect(told[OTHER_PATHS]!.count).toBe(150);
  });
  it('is no field, and is told in words', () => {
    expect(isPath('⊘ beside r/back')).toBe(false);
    expect(unknownWords('r.xml', '⊘ beside r/back', { count: 1200, row: 0, file: 'r.xml' })).toBe(
      'Beside the records of r.xml there are 1,200 “r/back”, the first before row 1 of r.xml; the structure of the dataset does not know it, so it was not read',
    );
  });
});

it('XML with another outermost element is another file, not one without records', () => {
  const format: StreamFormat = { kind: 'xml', records: 'r/o', ...nested };
  expect(() => read(format, '<error><o><a>1</a></o></error>')).toThrow(
    'Its outermost element is <error>, not <r>; choose another path for the records.',
  );
  expect(read(format, '<r/>').rows).toEqual([]);
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
