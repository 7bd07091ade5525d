import * as fc from 'fast-check';
import {
  HyperLogLog,
  patternOf,
  Profiler,
  QualityCheck,
  Unreadable,
  type FieldProfile,
  type RawRow,
} from '../index.ts';
import { TextHash } from './text-hash.ts';

const profile = (
  names: string[],
  rows: RawRow[],
): Record<string, FieldProfile> & { all: ReturnType<Profiler['result']> } => {
  const profiler = new Profiler(names);
  profiler.push(rows);
  const all = profiler.result();
  return Object.assign(Object.fromEntries(all.fields.map((f) => [f.name, f])), { all }) as never;
};
const column = (values: (string | null)[]): FieldProfile =>
  profile(
    ['x'],
    values.map((v) => [v]),
  )['x']!;

describe('a profile', () => {
  it('counts what is filled and different, and agrees with plain counting', () => {
    fc.assert(
      fc.property(
        fc.array(fc.option(fc.constantFrom('a', 'b', ' ', '', 'é', '12', '7')), { maxLength: 60 }),
        (values) => {
          const filled = values.filter((v) => v !== null && v.trim() !== '');
          const found = column(values);
          expect(found.filled).toBe(filled.length);
          expect(found.distinct).toBe(new Set(filled).size);
          expect(found.top.reduce((sum, t) => sum + t.count, 0)).toBe(filled.length);
          expect(found.patterns.reduce((sum, p) => sum + p.count, 0)).toBe(filled.length);
        },
      ),
    );
  });
  it('orders numbers as numbers and texts as texts', () => {
    expect(column(['9', '10', '-2.5'])).toMatchObject({ min: '-2.5', max: '10' });
    expect(column(['9', '10', 'x'])).toMatchObject({ min: '10', max: 'x' });
    expect(column([null])).toMatchObject({ min: null, max: null, shortest: null, longest: null, meaning: null });
  });
  it('writes patterns', () => {
    expect(patternOf('AB-123')).toBe('AA-999');
    expect(patternOf('Österreich 7')).toBe('Aaaaaaaaaa 9');
    expect(patternOf('a long text with many words')).toBe('a a+ a+ a+ a+ a+');
  });
  it.each([
    ['e-mail', ['a@example.org', 'b.c@example.net']],
    ['date DD.MM.YYYY', ['31.12.2020', '1.2.2021']],
    ['date YYYY-MM-DD', ['2020-12-31']],
    ['date YYYYMMDD', ['20201231', '20190101']],
    ['timestamp', ['2020-12-31T10:00:00Z', '31.12.2020 10:00']],
    ['boolean', ['yes', 'No']],
    ['country', ['GB', 'DE', 'GB']],
    ['currency', ['GBP', 'EUR']],
    ['postcode', ['AB1 2CD', 'L1 1AA']],
    ['phone', ['01632 960001', '+44 1632 960002']],
    ['uuid', ['00000000-0000-4000-8000-000000000000']],
    ['whole number', ['1', '17-']],
    ['number', ['1.5', '2']],
    ['number ,', ['1.234,50', '2,0']],
  ])('recognises %s', (name, values) => expect(column(values).meaning?.name).toBe(name));
  it('points out what other programs spoiled', () => {
    const whats = (values: string[]): string[] => column(values).damages.map((d) => d.what);
    expect(whats(['0007501', '0007502', '7.51E+03'])).toContain('scientific notation');
    expect(whats(['0007501', '0007502', '0007503', '7504'])).toContain('leading zeros lost');
    expect(whats(['12.50-', '3.00'])).toContain('minus behind the number');
    expect(whats(['######', 'a'])).toContain('#### in place of a value');
    expect(whats(['MÃ¼ller', 'Tarn'])).toContain('letters read in the wrong encoding');
    expect(whats(['2020-01-31', '31.01.2020'])).toContain('dates in several patterns');
    expect(whats(['2020-01-31', '17', 'abc', '100'])).toEqual([]);
  });
  it('finds keys of one, two and three fields', () => {
    const rows = (of: (n: number) => string[]): RawRow[] => Array.from({ length: 60 }, (_, n) => of(n));
    expect(
      profile(
        ['a', 'b'],
        rows((n) => [String(n), 'x']),
      ).all.keys,
    ).toEqual([['a']]);
    const pair = profile(
      ['a', 'b', 'c'],
      rows((n) => [String(n % 10), String(Math.floor(n / 10)), 'x']),
    ).all;
    expect(pair.keys).toEqual([['a', 'b']]);
    const triple = profile(
      ['a', 'b', 'c'],
      rows((n) => [String(n % 5), String(Math.floor(n / 5) % 4), String(Math.floor(n / 20))]),
    ).all;
    expect(triple.keys).toEqual([['a', 'b', 'c']]);
    expect(profile(['a'], [...rows((n) => [String(n)]), [null]]).all.keys).toEqual([]);
  });
  it('is the same whether one profiler has all fields or several have some each', () => {
    const names = ['a', 'b', 'c'];
    const rows = Array.from({ length: 40 }, (_, n) => [String(n % 7), String(n), n % 3 === 0 ? null : 'x']);
    const parts = [0, 1].map((part) => new Profiler(names, (at) => at % 2 === part));
    for (const part of parts) part.push(rows);
    expect(parts[0]!.result([parts[1]!.profiled()])).toEqual(profile(names, rows).all);
  });
  it('estimates many different values within five in a hundred, and says so; uniqueness is still proved', () => {
    const profiler = new Profiler(['unique', 'twice']);
    for (let n = 0; n < 100_000; n += 1000)
      profiler.push(Array.from({ length: 1000 }, (_, i) => [`U${n + i}`, `T${Math.floor((n + i) / 2)}`]));
    const { fields, keys } = profiler.result();
    expect(fields[0]).toMatchObject({ distinct: 100_000, distinctExact: false, topExact: false });
    expect(Math.abs(fields[1]!.distinct - 50_000)).toBeLessThan(2500);
    expect(keys).toEqual([['unique']]);
  });
  it('counts fewer values of each field where there are thousands of fields, and still tells what they are', () => {
    const names = Array.from({ length: 2000 }, (_, at) => `f${at}`);
    const profiler = new Profiler(names);
    for (let n = 0; n < 700; n++)
      profiler.push([names.map((_, at) => (at === 7 ? `U${n}` : String((n * 31 + at) % (at === 8 ? 650 : 3))))]);
    const { fields, keys } = profiler.result();
    expect(keys).toEqual([['f7']]);
    expect(fields[0]).toMatchObject({ distinct: 3, distinctExact: true, topExact: true, filled: 700 });
    expect(fields[7]).toMatchObject({ distinct: 700, distinctExact: false });
    expect(fields[8]).toMatchObject({ distinctExact: false, min: '0', max: '649', filled: 700 });
    expect(Math.abs(fields[8]!.distinct - 650)).toBeLessThan(60);
  });
  it('HyperLogLog stays within its error from few to very many', () => {
    for (const n of [10, 1000, 300_000]) {
      const log = new HyperLogLog();
      const hash = new TextHash();
      for (let i = 0; i < n; i++) {
        hash.take(`value ${i}`);
        log.add(hash.first);
      }
      expect(Math.abs(log.count() - n)).toBeLessThanOrEqual(Math.max(2, n * 0.05));
    }
  });
});

describe('quality', () => {
  const names = ['no', 'mail', 'born', 'town'];
  const rows: RawRow[] = [
    ...Array.from({ length: 20 }, (_, i) => [String(i + 1), `p${i}@example.org`, '2001-01-31', 'Larkway']),
    ['5', 'nonsense', '2001-01-31', 'Larkway'],
    [null, 'x@example.org', '31.01.2001', null],
    new Unreadable('broken', 'x'),
    ['99', 'y@example.org', '2001-01-31', 'A town with a very long name'],
  ];
  const check = (checks: { id: number; rule: string; message: string }[] = []): QualityCheck => {
    const profiler = new Profiler(names);
    profiler.push(rows);
    return new QualityCheck(
      names,
      [
        { name: 'no', type: 'integer', nullable: false, key: true },
        { name: 'mail', type: 'text', nullable: true, key: false },
        { name: 'born', type: 'date', nullable: true, key: false },
        { name: 'town', type: 'varchar(12)', nullable: false, key: false },
      ],
      checks,
      profiler.result(),
    );
  };
  it('counts records that have nothing against them, and files what speaks against the others', () => {
    const quality = check();
    quality.push(rows, 'a.csv');
    const result = quality.result();
    expect(result).toMatchObject({ records: 24, clean: 20 });
    expect(result.findings.map((f) => [f.dimension, f.field ?? '', f.count]).sort()).toEqual([
      ['completeness', 'no', 1],
      ['completeness', 'town', 1],
      ['uniqueness', 'no', 1],
      ['validity', '', 1],
      ['validity', 'born', 1],
      ['validity', 'mail', 1],
      ['validity', 'town', 1],
    ]);
    expect(result.dimensions).toEqual({ completeness: 23, uniqueness: 23, validity: 20, consistency: null });
    expect(result.findings.find((f) => f.field === 'mail')!.rows).toEqual([
      { row: 21, file: 'a.csv', value: 'nonsense' },
    ]);
  });
  it('takes checks in the rule language: true or null passes', () => {
    const quality = check([{ id: 1, rule: "town = 'Larkway'", message: 'is not of our town' }]);
    quality.push(rows, null);
    const found = quality.result().findings.find((f) => f.dimension === 'consistency')!;
    expect(found).toMatchObject({ count: 1, what: 'is not of our town', filter: "NOT (town = 'Larkway')" });
    expect(() => check([{ id: 1, rule: 'nothing = 1', message: '' }])).toThrow('There is no field');
  });
});
