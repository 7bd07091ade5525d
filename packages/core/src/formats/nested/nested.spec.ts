import { Fault } from '../../faults.ts';
import * as fc from 'fast-check';
import {
  guessRecords,
  guessXmlRecords,
  Flattener,
  learnNested,
  mergeUnknown,
  parseJsonTree,
  readerFor,
  StructureLearner,
  treeJson,
  Unreadable,
  type JsonFormat,
  type RawRow,
  type Tree,
  type XmlFormat,
} from '../../index.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
function read(format: JsonFormat | XmlFormat, text: string, pieces = 1): readonly RawRow[] {
  const reader = readerFor(format);
  const all = bytes(text);
  const rows: RawRow[] = [];
  for (let at = 0; at < all.length; at += pieces === 1 ? all.length : pieces)
    rows.push(...reader.push(all.slice(at, pieces === 1 ? undefined : at + pieces)).rows);
  rows.push(...reader.end().rows);
  return rows;
}
const table = (format: JsonFormat | XmlFormat, part: string, text: string, pieces = 1): unknown[] => {
  const chosen = { ...format, part };
  const { names } = readerFor(chosen);
  return read(chosen, text, pieces).map((row) =>
    row instanceof Unreadable ? row.message : Object.fromEntries(names!.map((n, i) => [n, row[i]])),
  );
};
/** What JSON.parse makes of a text, with scalars as texts. */
const byJsonParse = (value: unknown): Tree =>
  value === null
    ? null
    : Array.isArray(value)
      ? value.map(byJsonParse)
      : typeof value === 'object'
        ? new Map(Object.entries(value).map(([k, v]) => [k, byJsonParse(v)]))
        : typeof value === 'string'
          ? value
          : JSON.stringify(value);

describe('JSON as a tree', () => {
  it('agrees with JSON.parse on whatever JSON.stringify writes', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 5 }), fc.constantFrom(undefined, 1, '\t'), (value, indent) => {
        const json = JSON.stringify(value, null, indent);
        if (json.includes('\\u0000') || json.includes('__proto__')) return;
        expect(parseJsonTree(json)).toEqual(byJsonParse(JSON.parse(json)));
      }),
    );
  });
  it('refuses what JSON.parse refuses', () => {
    const valid = JSON.stringify({ a: [1, -2.5e3, true, null, 'x\\"\u00e9'], b: {} });
    fc.assert(
      fc.property(fc.nat(valid.length - 1), fc.constantFrom('', '"', '{', ',', '0', 'x', '\\', ']'), (at, put) => {
        const json = valid.slice(0, at) + put + valid.slice(at + 1);
        let accepted = true;
        try {
          JSON.parse(json);
        } catch {
          accepted = false;
        }
        if (accepted) expect(() => parseJsonTree(json)).not.toThrow();
        else expect(() => parseJsonTree(json)).toThrow();
      }),
      { numRuns: 500 },
    );
  });
  it('keeps every digit', () => {
    expect(treeJson(parseJsonTree('{"id":12345678901234567890,"price":1.10,"e":1E5}'))).toBe(
      '{"id":"12345678901234567890","price":"1.10","e":"1E5"}',
    );
  });
  it('says that something is nested too deep', () => {
    expect(() => parseJsonTree('['.repeat(200_000))).toThrow('deeper than 100 levels');
  });
});

describe('JSON of any size', () => {
  const orders = JSON.stringify({
    meta: { pages: [1, 2], note: 'a [ in a "text" }' },
    data: {
      items: [
        { id: '007', customer: { address: { city: 'Tidebridge' } }, lines: [{ part: 'A', qty: 2 }, { part: 'B' }] },
        { id: '008', customer: null, lines: [], tags: ['new', 'old'] },
      ],
    },
  });
  it('finds where the records are', () => {
    expect(guessRecords(orders)).toBe('data.items');
    expect(guessRecords('[{"a":1},{"a":2}]')).toBe('');
    expect(guessRecords('{"a":1}')).toBe('');
    // A dot, or a backslash, that belongs to a name is told from one that leads further.
    const dotted = String.raw`{"my.data": {"a\\b": [{"x": 1}, {"x": 2}]}, "my": {"data": {"a": 1}}}`;
    expect(guessRecords(dotted)).toBe(String.raw`my\.data.a\\b`);
    expect(table(learnNested('json', dotted, 'utf-8') as JsonFormat, '', dotted)).toEqual([
      { _key: '1', x: '1' },
      { _key: '2', x: '2' },
    ]);
  });
  it('flattens what does not repeat, and makes a dataset of what does', () => {
    const format = learnNested('json', orders, 'utf-8') as JsonFormat;
    expect(format.structures.map((s) => s.path)).toEqual(['', 'lines', 'tags']);
    expect(table(format, '', orders)).toEqual([
      { _key: '1', id: '007', 'customer.address.city': 'Tidebridge' },
      { _key: '2', id: '008', 'customer.address.city': null },
    ]);
    expect(table(format, 'lines', orders)).toEqual([
      { _key: '1.1', _parent_key: '1', _position: '1', part: 'A', qty: '2' },
      { _key: '1.2', _parent_key: '1', _position: '2', part: 'B', qty: null },
    ]);
    expect(table(format, 'tags', orders)).toEqual([
      { _key: '2.1', _parent_key: '2', _position: '1', value: 'new' },
      { _key: '2.2', _parent_key: '2', _position: '2', value: 'old' },
    ]);
  });
  it('takes null in the place of a list for none, and within a list for one that is empty', () => {
    const text = '[{"line":null},{"line":[{"no":1},null]},{"line":[]}]';
    const format = learnNested('json', text, 'utf-8') as JsonFormat;
    expect(format.structures.at(-1)).toEqual({ path: 'line', fields: ['no', 'value'] });
    expect(table(format, 'line', text)).toEqual([
      { _key: '2.1', _parent_key: '2', _position: '1', no: '1', value: null },
      { _key: '2.2', _parent_key: '2', _position: '2', no: null, value: null },
    ]);
    const xml = '<a><r><line/></r><r><line><no>1</no></line><line/></r></a>';
    const ofXml = learnNested('xml', xml, 'utf-8') as XmlFormat;
    expect(table(ofXml, 'line', xml).map((row) => (row as Record<string, unknown>)['_key'])).toEqual(['1.1', '2.1', '2.2']); // prettier-ignore
  });
  it('reads the same however it is cut', () => {
    const format = learnNested('json', orders, 'utf-8') as JsonFormat;
    for (const pieces of [1, 2, 3, 7, 64])
      expect(table(format, 'lines', orders, pieces)).toEqual(table(format, 'lines', orders));
  });
  it('reads one record after the other without a list, and a list of plain values', () => {
    const objects = '{"a":1}\n{"a":2}\n';
    expect(table(learnNested('json', objects, 'utf-8') as JsonFormat, '', objects)).toEqual([
      { _key: '1', a: '1' },
      { _key: '2', a: '2' },
    ]);
    const plain = '[1, "x", null]';
    expect(table(learnNested('json', plain, 'utf-8') as JsonFormat, '', plain)).toEqual([
      { _key: '1', value: '1' },
      { _key: '2', value: 'x' },
      { _key: '3', value: null },
    ]);
  });
  it('files a broken record and goes on with the next', () => {
    const text = '[{"a":1},{"a":tru},{"a":3}]';
    const format = learnNested('json', '[{"a":1}]', 'utf-8') as JsonFormat;
    expect(table(format, '', text)).toEqual([
      { _key: '1', a: '1' },
      expect.stringContaining('wrong at character 6'),
      { _key: '3', a: '3' },
    ]);
  });
  it('says that a file was cut short', () => {
    const format = learnNested('json', '[{"a":1}]', 'utf-8') as JsonFormat;
    expect(table(format, '', '[{"a":1},{"a":2')).toEqual([{ _key: '1', a: '1' }, expect.stringContaining('cut short')]);
  });
  it('has the whole record for rules that ask', () => {
    const format = { ...(learnNested('json', orders, 'utf-8') as JsonFormat), withDoc: true };
    const [first] = table(format, '', orders) as { _doc: string }[];
    expect(JSON.parse(first!._doc)).toMatchObject({ id: '007', lines: [{ part: 'A', qty: 2 }, { part: 'B' }] });
  });
  it('has a place of its own for a member that is called as one of our fields', () => {
    const text = '[{"_key":"k","_doc":{"x":"1"},"items":[{"_parent_key":"p","_key_":"q"}]}]';
    const format = learnNested('json', text, 'utf-8') as JsonFormat;
    expect(table({ ...format, withDoc: true }, '', text)).toEqual([
      { _key: '1', _key_: 'k', '_doc.x': '1', _doc: text.slice(1, -1) },
    ]);
    expect(table(format, 'items', text)).toEqual([
      { _key: '1.1', _parent_key: '1', _position: '1', _parent_key_: 'p', _key__: 'q' },
    ]);
  });
  it('says where two members have one place, as a.b has beside a that has b', () => {
    const text = '[{"a.b":"1","a":{"b":"2"}},{"a.b":"3"},{"a":{"b":"4"}}]';
    expect(table(learnNested('json', text, 'utf-8') as JsonFormat, '', text)).toEqual([
      '“a.b” stands for two values of this record, so that one of them would be lost.',
      { _key: '2', 'a.b': '3' },
      { _key: '3', 'a.b': '4' },
    ]);
  });
  it('says when there is no list at the path', () => {
    expect(() => learnNested('json', orders, 'utf-8', 'data.rows')).toThrow('no whole record at “data.rows”');
    const format: JsonFormat = { ...(learnNested('json', orders, 'utf-8') as JsonFormat), records: 'nothing.here' };
    expect(() => read(format, orders)).toThrow(Fault);
  });
  it('caps nesting and the size of a record, and does not hang', () => {
    const format = learnNested('json', '[{"a":1}]', 'utf-8') as JsonFormat;
    const deep = `[{"a":${'['.repeat(200_000)}${']'.repeat(200_000)}},{"a":2}]`;
    expect(table(format, '', deep)).toEqual([expect.stringContaining('100 levels'), { _key: '2', a: '2' }]);
    const long = `[{"a":"${'x'.repeat(5_000_000)}"},{"a":2}]`;
    expect(table(format, '', long, 1_000_000)).toEqual([expect.stringContaining('longer'), { _key: '2', a: '2' }]);
  });
});

describe('XML', () => {
  const repairs = `<?xml version="1.0" encoding="UTF-8"?>
<!-- two orders --><r:repairs xmlns:r="urn:x">
  <r:order no="00417"><bike>B1</bike><task code="F1"><note>worn &amp; torn</note><part>C</part><part>D</part></task></r:order>
  <r:order no="00418"><bike/><task code="F2"/><task code="F3"><part>E</part></task><cost currency="GBP">12.50</cost></r:order>
</r:repairs>`;
  it('finds the element that repeats', () => {
    expect(guessXmlRecords(repairs)).toBe('repairs/order');
    expect(guessXmlRecords('<a><head><x/></head><list><i/><i/></list></a>')).toBe('a/list/i');
  });
  it('makes a dataset of each structure', () => {
    const format = learnNested('xml', repairs, 'utf-8') as XmlFormat;
    expect(format.structures.map((s) => s.path)).toEqual(['', 'task', 'task.part']);
    expect(table(format, '', repairs)).toEqual([
      { _key: '1', '@no': '00417', bike: 'B1', 'cost.@currency': null, cost: null },
      { _key: '2', '@no': '00418', bike: null, 'cost.@currency': 'GBP', cost: '12.50' },
    ]);
    expect(table(format, 'task', repairs)).toEqual([
      { _key: '1.1', _parent_key: '1', _position: '1', '@code': 'F1', note: 'worn & torn' },
      { _key: '2.1', _parent_key: '2', _position: '1', '@code': 'F2', note: null },
      { _key: '2.2', _parent_key: '2', _position: '2', '@code': 'F3', note: null },
    ]);
    expect(table(format, 'task.part', repairs)).toEqual([
      { _key: '1.1.1', _parent_key: '1.1', _position: '1', value: 'C' },
      { _key: '1.1.2', _parent_key: '1.1', _position: '2', value: 'D' },
      { _key: '2.2.1', _parent_key: '2.2', _position: '1', value: 'E' },
    ]);
  });
  const all = (part: string, text: string): unknown[] =>
    table(learnNested('xml', text, 'utf-8') as XmlFormat, part, text);
  it('keeps the text of what repeats beside its attributes and its members', () => {
    const names = '<a><b><c lang="de">eins</c><c lang="en">one</c></b><b><c lang="fr">un<d>1</d></c></b></a>';
    expect(all('c', names)).toEqual([
      { _key: '1.1', _parent_key: '1', _position: '1', '@lang': 'de', value: 'eins', d: null },
      { _key: '1.2', _parent_key: '1', _position: '2', '@lang': 'en', value: 'one', d: null },
      { _key: '2.1', _parent_key: '2', _position: '1', '@lang': 'fr', value: 'un', d: '1' },
    ]);
  });
  it('keeps apart attributes that differ in their prefix only', () =>
    expect(all('', '<a xmlns:y="urn:y"><b id="1" y:id="2"/><b y:id="3"/></a>')).toEqual([
      { _key: '1', '@id': '1', '@y:id': '2' },
      { _key: '2', '@id': null, '@y:id': '3' },
    ]));
  it('takes what is nil for null, and not for an attribute of its own', () => {
    const text = '<a><b><c>x</c></b><b><c xsi:nil="true"/><d xsi:nil="true"/></b><b><c xsi:nil="1" by="me"/></b></a>';
    expect(all('', text)).toEqual([
      { _key: '1', c: 'x', d: null, 'c.@by': null },
      { _key: '2', c: null, d: null, 'c.@by': null },
      { _key: '3', c: null, d: null, 'c.@by': 'me' },
    ]);
    const strict: XmlFormat = { kind: 'xml', encoding: 'utf-8', records: 'a/b', structures: [{ path: '', fields: ['c', 'd'] }], part: '', withDoc: false, unknown: 'refused' }; // prettier-ignore
    expect(table(strict, '', text).slice(0, 2)).toEqual([{ _key: '1', c: 'x', d: null }, { _key: '2', c: null, d: null }]); // prettier-ignore
    const before: XmlFormat = { ...strict, structures: [{ path: '', fields: ['c', 'c.@xsi:nil', 'd', 'c.@by'] }] };
    expect(table(before, '', text)[1]).toEqual({ _key: '2', c: null, 'c.@xsi:nil': 'true', d: null, 'c.@by': null });
  });
  it('keeps blanks that stand in an element, and none that only set elements out', () =>
    expect(all('', '<a>\n <b>\n  <c>  in </c>\n  <d> </d>\n  <e x="1"> out</e>\n </b><b><c/></b></a>')).toEqual([
      { _key: '1', c: '  in ', d: null, 'e.@x': '1', e: ' out' },
      { _key: '2', c: null, d: null, 'e.@x': null, e: null },
    ]));
  it('says of a text that stands beside a member called as its field that one of them would be lost', () =>
    expect(all('c', '<a><b><c>one<value>two</value></c><c/></b><b/></a>')).toEqual([
      '“value” stands for two values of this record, so that one of them would be lost.',
      { _key: '1.2', _parent_key: '1', _position: '2', value: null },
    ]));
  it('caps the size of a record that has it in attributes', () => {
    const format = learnNested('xml', '<a><b x="1"/><b x="2"/></a>', 'utf-8') as XmlFormat;
    const long = `<a><b x="${'y'.repeat(5_000_000)}"/><b x="2"/></a>`;
    expect(table(format, '', long)).toEqual([expect.stringContaining('longer'), { _key: '2', '@x': '2' }]);
  });
  it('reads the same however it is cut', () => {
    const format = learnNested('xml', repairs, 'utf-8') as XmlFormat;
    for (const pieces of [2, 5, 33])
      expect(table(format, 'task', repairs, pieces)).toEqual(table(format, 'task', repairs));
  });
  it('never expands entities: a document type is refused', () => {
    const bomb = `<!DOCTYPE a [<!ENTITY x "${'y'.repeat(1000)}">]><a><b>&x;</b><b>&x;</b></a>`;
    expect(() => learnNested('xml', bomb, 'utf-8')).toThrow('<!DOCTYPE');
    expect(() => read(learnNested('xml', repairs, 'utf-8') as XmlFormat, bomb)).toThrow('<!DOCTYPE');
  });
  it('refuses 200,000 levels', () => {
    const deep = `<repairs>${'<a>'.repeat(200_000)}${'</a>'.repeat(200_000)}</repairs>`;
    expect(() => guessXmlRecords(deep)).toThrow('100 levels');
    expect(() => read(learnNested('xml', repairs, 'utf-8') as XmlFormat, deep)).toThrow('100 levels');
  });
  it('keeps what came before a fault, and says where it broke off', () => {
    const format = learnNested('xml', repairs, 'utf-8') as XmlFormat;
    const rows = table(format, '', repairs.replace('<bike/>', '<bike>').slice(0, -13));
    expect(rows).toHaveLength(2);
    expect(rows[0]).toMatchObject({ '@no': '00417' });
    expect(rows[1]).toContain("can't be read on from here");
  });
  it('says when a structure repeats that the sample did not repeat', () => {
    const format = learnNested('xml', '<a><b><c>1</c></b><b><c>2</c></b></a>', 'utf-8') as XmlFormat;
    expect(table(format, '', '<a><b><c>1</c></b><b><c>2</c><c>3</c></b></a>')).toEqual([
      { _key: '1', c: '1' },
      expect.stringContaining('“c” occurs more than once'),
    ]);
  });
});

/** What turns up behind the sample that a structure was learned from. */
describe('values that a structure does not know', () => {
  const unknownOf = (
    format: Parameters<typeof readerFor>[0],
    fields: readonly string[] | null,
    text: string,
    pieces: number,
  ): unknown => {
    const reader = readerFor(format, fields);
    const all = bytes(text);
    const batches = Array.from({ length: Math.ceil(all.length / pieces) }, (_, i) => reader.push(all.slice(i * pieces, (i + 1) * pieces))); // prettier-ignore
    return Object.fromEntries(mergeUnknown([...batches, reader.end()].map((b) => b.unknown)));
  };
  const json =
    '[{"a":"1","l":[{"x":"1"}]},{"a":"2","b":null,"c":{"d":"x","e":"y"}},{"a":"3","c":{"d":"z"},"l":[{"x":"1","y":"2"},{"y":"3"}]}]';
  it.each([1, 7, 1000])('are counted by path, with the row that has the first, %d bytes at a time', (pieces) => {
    const format = learnNested('json', json.slice(0, json.indexOf('},{')) + '}]', 'utf-8') as JsonFormat;
    const whole = { 'c.d': { count: 2, row: 2 }, 'c.e': { count: 1, row: 2 } };
    expect(unknownOf(format, null, json, pieces)).toEqual(whole);
    expect(unknownOf({ ...format, part: 'l' }, null, json, pieces)).toEqual({ y: { count: 2, row: 2 } });
    const xml = '<r><i n="1"><a>1</a></i><i n="2" m="3"><a>2</a><b><c>4</c></b></i></r>';
    const sample = learnNested('xml', '<r><i n="1"><a>1</a></i><i/></r>', 'utf-8') as XmlFormat;
    expect(unknownOf(sample, null, xml, pieces)).toEqual({ '@m': { count: 1, row: 2 }, 'b.c': { count: 1, row: 2 } });
    const lines = '{"a":1}\n{"a":2,"b":3,"c":null}\n{"b":4,"a":5}';
    const jsonl = { kind: 'jsonl', encoding: 'utf-8' } as const;
    expect(unknownOf(jsonl, ['a'], lines, pieces)).toEqual({ b: { count: 2, row: 2 } });
    // Where nobody says which fields there are, all are taken as they come.
    expect(unknownOf(jsonl, null, lines, pieces)).toEqual({});
    expect(unknownOf({ ...jsonl, landed: true }, ['a'], lines, pieces)).toEqual({});
  });
  it('are told apart up to a hundred paths', () => {
    const format = learnNested('json', '[{"a":"1"}]', 'utf-8') as JsonFormat;
    const text = JSON.stringify(Array.from({ length: 150 }, (_, i) => ({ a: '1', [`k${i}`]: 'v' })));
    const found = unknownOf(format, null, text, 1000) as Record<string, unknown>;
    expect(Object.keys(found)).toHaveLength(101);
    expect(found['…']).toEqual({ count: 50, row: 101 });
  });
});

/** What was read under a name in some records is not empty in others without a word. */
describe('records that are not as those before', () => {
  const tree = (text: string): Tree => parseJsonTree(text);
  /** The rows of pages that come one after the other, each by what is known by then. */
  const pages = (part: string, ...texts: string[]): unknown[] => {
    const learner = new StructureLearner(part);
    let number = 0;
    return texts.flatMap((text) => {
      const records = (tree(`[${text}]`) as Tree[]).slice();
      const { structures } = learner.add(records);
      if (!structures.some((s) => s.path === part)) return [];
      const flattener = new Flattener(structures, part, false);
      return records.flatMap((record) =>
        flattener
          .rows(record, ++number, () => '')
          .map((row) =>
            row instanceof Unreadable
              ? row.message
              : Object.fromEntries(
                  flattener.names.flatMap((n, i) => (n.startsWith('_') ? [] : [[n, (row as (string | null)[])[i]]])),
                ),
          ),
      );
    });
  };
  const TWICE = expect.stringContaining('“a” occurs more than once');
  const [VALUE, MEMBERS] = [expect.stringContaining('“a” is one value'), expect.stringContaining('“a” has members')];

  it.each<[string, string[], unknown[]]>([
    ['a list where one was', ['{"a":{"b":"1"}}', '{"a":[{"b":"2"},{"b":"3"}]},{"a":{"b":"4"}}'], [{ 'a.b': '1' }, TWICE, { 'a.b': '4' }]],
    ['a list of one, or of none, where one was', ['{"a":{"b":"1"}}', '{"a":[{"b":"2"}]},{"a":[]}'], [{ 'a.b': '1' }, { 'a.b': '2' }, { 'a.b': null }]],
    ['one where a list was', ['{"c":"0","a":[{"b":"1"},{"b":"2"}]}', '{"a":{"b":"3"}}'], [{ c: '0' }, { c: null }]],
    ['a value where members were', ['{"a":{"b":"1"}}', '{"a":"x"},{"a":null}'], [{ 'a.b': '1' }, VALUE, { 'a.b': null }]],
    ['members where a value was', ['{"a":"1"}', '{"a":{"b":"2"}},{"a":{}}'], [{ a: '1' }, MEMBERS, { a: null }]],
    ['members where nothing was', ['{"a":null}', '{"a":{"b":"2"}}'], [{ a: null }, { 'a.b': '2' }]],
    ['a list where nothing was', ['{"a":null}', '{"a":[{"b":"1"},{"b":"2"}]}'], [{ a: null }, {}]],
    ['both from the start', ['{"a":"1"},{"a":{"b":"2"}}', '{"a":"3"}'], [{ a: '1', 'a.b': null }, { a: null, 'a.b': '2' }, { a: '3', 'a.b': null }]],
  ])('%s', (_, texts, rows) => {
    expect(pages('', ...texts)).toEqual(rows);
  }); // prettier-ignore
  it('are read as repetitions by whoever reads those, also where they occur once', () => {
    const texts = ['{"a":{"b":"1"}}', '{"a":[{"b":"2"},{"b":"3"}]},{"a":{"b":"4"}}', '{"c":"1"}'];
    expect(pages('a', ...texts)).toEqual([{ b: '1' }, { b: '2' }, { b: '3' }, { b: '4' }]);
  });
  it('are told in files too', () => {
    const file = (...records: string[]): string => `[${records.join(',')}]`;
    const format = learnNested('json', file('{"a":{"b":"1"}}', '{"a":{"b":"2"}}'), 'utf-8') as JsonFormat;
    expect(table(format, '', file('{"a":{"b":"1"}}', '{"a":"x"}', '{"a":[{"b":"2"},{"b":"3"}]}'))).toEqual([
      { _key: '1', 'a.b': '1' },
      expect.stringContaining('“a” is one value'),
      expect.stringContaining('“a” occurs more than once'),
    ]);
  });
});
