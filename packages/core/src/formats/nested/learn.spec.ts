import * as fc from 'fast-check';
import {
  learnNested,
  mergeUnknown,
  readerFor,
  sampleFields,
  Unreadable,
  WholeLearner,
  type JsonFormat,
  type Learned,
  type LearnedText,
  type StreamFormat,
} from '../../index.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
function* pieces(text: string, size: number): Generator<Uint8Array> {
  const all = bytes(text);
  for (let at = 0; at < all.length; at += size) yield all.slice(at, at + size);
}
function learned(format: LearnedText, texts: readonly string[], size = 64): Learned {
  const learner = new WholeLearner(format);
  for (const text of texts) {
    learner.beginFile();
    for (const piece of pieces(text, size)) learner.push(piece);
    learner.endFile();
  }
  return learner.result();
}
/** What a reader meets that its structure does not know, and what it can't read by it. */
function strangeIn(format: StreamFormat, text: string, fields: readonly string[] | null = null): string[] {
  const reader = readerFor(format, fields);
  const batches = [reader.push(bytes(text)), reader.end()];
  const failed = batches.flatMap((b) => b.rows).filter((row) => row instanceof Unreadable);
  return [...mergeUnknown(batches.map((b) => b.unknown)).keys(), ...failed.map((row) => row.message)];
}

describe('a structure that is learned from all records', () => {
  const first = '{"id": 1, "name": "a"}';
  const late = '{"id": 3, "late": "here", "tags": ["x", "y"], "at": {"lat": 1, "lon": 2}}';

  it('has what only the last one of them has, behind what was known', () => {
    const known = learnNested('json', `[${first}]`, 'utf-8');
    const text = `[${first}, ${first}, ${late}]`;
    expect(strangeIn(known, text)).toEqual([
      'late',
      'at.lat',
      'at.lon',
      expect.stringContaining('“tags” occurs more than once'),
    ]);
    const { format, records, unread } = learned(known, [text]);
    expect(format).toMatchObject({
      structures: [
        { path: '', fields: ['id', 'name', 'late', 'at.lat', 'at.lon'] },
        { path: 'tags', fields: ['value'] },
      ],
    });
    expect({ records, unread }).toEqual({ records: 3, unread: 0 });
    expect(strangeIn(format as JsonFormat, text)).toEqual([]);
  });
  it('knows an element that occurs twice in one record only', () => {
    const xml = (...orders: string[]): string => `<all>${orders.map((o) => `<order>${o}</order>`).join('')}</all>`;
    const plain = '<id>1</id><task>a</task>';
    const known = learnNested('xml', xml(plain, plain), 'utf-8');
    const { format, records } = learned(known, [
      xml(plain, plain),
      xml(plain, '<id>2</id><task>b</task><task>c</task>'),
    ]);
    expect(records).toBe(4);
    expect((format as JsonFormat).structures).toEqual([
      { path: '', fields: ['id', 'task'] },
      { path: 'task', fields: ['value'] },
    ]);
  });
  it('is that of the names of all lines', () => {
    const text = `${first}\n${late}\nno object\n${first}`;
    const { format, records, unread } = learned({ kind: 'jsonl', encoding: 'utf-8', fields: ['id', 'name'] }, [text]);
    expect(format).toMatchObject({ fields: ['id', 'name', 'late', 'tags', 'at'] });
    expect({ records, unread }).toEqual({ records: 4, unread: 1 });
  });
  it('is refused where names are values', () => {
    const records = Array.from({ length: 300 }, (_, r) =>
      JSON.stringify(Object.fromEntries(Array.from({ length: 100 }, (__, i) => [`n${r}_${i}`, i]))),
    );
    const known = learnNested('json', `[${first}]`, 'utf-8');
    const sentence = 'more than 20,000 different names';
    expect(() => learned(known, [`[${records.join(',')}]`], 4096)).toThrow(sentence);
    expect(() => learned({ kind: 'jsonl', encoding: 'utf-8' }, [records.join('\n')], 4096)).toThrow(sentence);
    expect(() => learnNested('json', `[${records.join(',')}]`, 'utf-8')).toThrow(sentence);
  });

  /** What a member is goes by its name, as it does in real records; whether it is there goes by the record. */
  const scalar = fc.oneof(fc.integer(), fc.string(), fc.boolean());
  const { tree } = fc.letrec<{ tree: object }>((tie) => ({
    tree: fc.record(
      {
        a: scalar,
        é: scalar,
        n: fc.constant(null),
        o: fc.oneof({ depthSize: 'small' }, fc.record({ x: scalar }), tie('tree')),
        l: fc.array(fc.oneof({ depthSize: 'small' }, fc.record({ y: scalar }), tie('tree')), { maxLength: 3 }),
        v: fc.array(scalar, { maxLength: 3 }),
        m: fc.oneof(scalar, fc.record({ r: fc.array(scalar, { maxLength: 2 }) })),
      },
      { requiredKeys: [] },
    ),
  }));
  const record = tree.map((t) => ({ id: 1, ...t }));

  it('leaves nothing unknown, wherever the text is cut', () => {
    fc.assert(
      fc.property(fc.array(record, { minLength: 1, maxLength: 12 }), fc.integer({ min: 1, max: 90 }), (all, size) => {
        const text = JSON.stringify(all);
        const { format, records, unread } = learned(learnNested('json', `[${first}]`, 'utf-8'), [text], size);
        expect({ records, unread }).toEqual({ records: all.length, unread: 0 });
        for (const { path } of (format as JsonFormat).structures)
          expect(strangeIn({ ...(format as JsonFormat), part: path }, text)).toEqual([]);
        const lines = all.map((r) => JSON.stringify(r)).join('\n');
        const of = learned({ kind: 'jsonl', encoding: 'utf-8' }, [lines], size).format;
        const { fields } = of as { fields: readonly string[] };
        expect(strangeIn(of as StreamFormat, lines, fields)).toEqual([]);
        expect([...fields].sort()).toEqual([...new Set(all.flatMap((r) => Object.keys(r)))].sort());
        expect(sampleFields(bytes(lines), { kind: 'jsonl', encoding: 'utf-8' })).toEqual(fields);
      }),
    );
  });
});
