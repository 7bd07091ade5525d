import { compileMapping } from '../compile/compile.ts';
import { parseDocument } from '../document/document.ts';
import { timestampOfMillis } from '../rules/context.ts';
import { rowTyper } from '../compile/source.ts';
import type { ValueType } from '../fields/types.ts';
import { HighestSeen, watermarkFilter } from './watermark.ts';

const names = ['no', 'at', 'on'] as const;
const types: readonly ValueType[] = ['text', 'timestamp', 'date'];
const compiled = (filter?: string) =>
  compileMapping(
    parseDocument({
      versicle: 1,
      name: 'Trips',
      source: { primary: { alias: 't', dataset: 'a/trips' }, ...(filter ? { filter } : {}) },
      target: { dataset: 'b/trips', key: ['no'], fields: [{ name: 'no', label: 'No', type: 'text' }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
      write: { mode: 'upsert', existing: 'overwrite' },
    }),
    names.map((name, i) => ({ alias: 't', name, type: types[i]! })),
  );
const startedAt = timestampOfMillis(0);
function highest(field: string, rows: (string | null)[][]): string | null {
  const mapping = compiled();
  const seen = new HighestSeen(mapping, { field }, startedAt);
  const typed = rowTyper(mapping.sourceFields)!;
  for (const row of rows) seen.see(typed(row) as never);
  return seen.take()?.value ?? null;
}

describe('the highest value of a watermark', () => {
  it('goes by the order of its type, and is taken once', () => {
    const rows = [
      ['9', '2019-03-01 10:00:00.5', '2019-03-01'],
      ['10', '2019-03-01 10:00:00.25', '2018-12-31'],
      [null, null, null],
    ];
    expect(highest('t.at', rows)).toBe('2019-03-01 10:00:00.5');
    expect(highest('t.on', rows)).toBe('2019-03-01');
    expect(highest('CAST(t.no AS int)', rows)).toBe('10');
    const seen = new HighestSeen(compiled(), { field: 't.at' }, startedAt);
    expect(seen.take()).toBeNull();
  });
  it('is never without end, nor one that can’t be told', () => {
    const of = (...texts: string[]): (string | null)[][] => texts.map((no) => [no, null, null]);
    expect(highest('CAST(t.no AS timestamp)', of('infinity', '2019-03-01', '-infinity'))).toBe('2019-03-01 00:00:00');
    expect(highest('CAST(t.no AS date)', of('2019-03-01', 'infinity', 'x'))).toBe('2019-03-01');
    expect(highest('CAST(t.no AS numeric)', of('x', '7', 'NaN', 'Infinity'))).toBe('7');
  });
  it.each([
    ['t.no', undefined, 'which is text'],
    ['t.at > t.on', undefined, 'which is boolean'],
    ['CAST(t.no AS int)', '1 day', 'no looking back 1 day from a number'],
    ['t.other', undefined, 'other'],
    ['t.at +', undefined, ''],
  ])('%s is refused', (field, overlap, words) => {
    expect(() => new HighestSeen(compiled(), { field, overlap } as never, startedAt)).toThrow(words);
  });
});

describe('the filter of a watermark', () => {
  it.each([
    ['t.at', '1 day', { value: '2019-03-01 10:00:00', type: 'timestamp' }],
    ['t.on', '2 h', { value: '2019-03-01', type: 'date' }],
    ['CAST(t.at AS timestamptz)', undefined, { value: '2019-03-01 10:00:00+00', type: 'timestamptz' }],
    ['CAST(t.no AS numeric)', undefined, { value: '12.5', type: 'numeric' }],
    ['CAST(t.no AS int)', undefined, { value: '12', type: 'int4' }],
  ] as const)('of %s, looking back %s, is a rule', (field, overlap, value) => {
    const filter = watermarkFilter({ field, overlap } as never, value);
    expect(compiled(`(t.no <> 'x') AND (${filter})`).problems).toEqual([]);
  });
});
