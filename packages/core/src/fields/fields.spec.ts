import * as fc from 'fast-check';
import {
  civilOf,
  converterTo,
  dateText,
  Decimal,
  decimalText,
  divideDecimals,
  fitInteger,
  floatText,
  integerOfDecimal,
  intervalText,
  Interval,
  isoWeek,
  Mismatch,
  nearest,
  outputText,
  parseDecimal,
  parseFieldType,
  quoted,
  readBoolean,
  readFloat,
  readInteger,
  roundDecimal,
  Timestamp,
  timestampText,
  TYPE_NAMES,
  valueText,
} from '../index.ts';

/** A decimal as a fraction, for comparing with exact arithmetic. */
const fraction = (d: Decimal): [top: bigint, bottom: bigint] => [BigInt(d.units), 10n ** BigInt(d.scale)];
const decimals = fc
  .tuple(fc.bigInt({ min: -(10n ** 24n), max: 10n ** 24n }), fc.integer({ min: 0, max: 9 }))
  .map(([units, scale]) => parseDecimal(decimalText(new Decimal(units, scale)))!);

describe('exact decimals', () => {
  it('read back what they print', () => {
    fc.assert(
      fc.property(decimals, (d) => {
        const again = parseDecimal(decimalText(d))!;
        expect([BigInt(again.units), again.scale]).toEqual([BigInt(d.units), d.scale]);
      }),
    );
  });
  it('divide to the nearest last place', () => {
    fc.assert(
      fc.property(decimals, decimals, (a, b) => {
        fc.pre(b.units != 0);
        const q = divideDecimals(a, b)!;
        const [at, ab] = fraction(a);
        const [bt, bb] = fraction(b);
        const [qt, qb] = fraction(q);
        // |a/b - q| is at most half of the last place of q.
        const difference = at * bb * qb - qt * ab * bt;
        const size = (n: bigint): bigint => (n < 0n ? -n : n);
        expect(size(difference) * 2n <= size(ab * bt)).toBe(true);
        expect(q.scale).toBeGreaterThanOrEqual(Math.max(a.scale, b.scale));
      }),
    );
  });
  it('round half away from zero, at any place', () => {
    fc.assert(
      fc.property(decimals, fc.integer({ min: 0, max: 9 }), (d, places) => {
        const rounded = roundDecimal(d, places);
        const [dt, db] = fraction(d);
        const [rt, rb] = fraction(rounded);
        const size = (n: bigint): bigint => (n < 0n ? -n : n);
        expect(size(dt * rb - rt * db) * 2n * 10n ** BigInt(places) <= db * rb).toBe(true);
      }),
    );
  });
  it.each([
    ['2.5', 0, '3'],
    ['-2.5', 0, '-3'],
    ['1.005', 2, '1.01'],
    ['0.0049', 2, '0.00'],
    ['12', 2, '12.00'],
    ['149', -2, '100'],
  ])('rounds %s to %d places: %s', (text, places, expected) =>
    expect(decimalText(roundDecimal(parseDecimal(text)!, places))).toBe(expected),
  );
  it.each([
    ['0.5', 1],
    ['0.49999999999999999999', 0],
    ['-0.5', -1],
    ['1234567890.4999999999999', 1234567890],
    ['99999999999999999999.5', 100000000000000000000n],
  ])('%s becomes the integer %s', (text, expected) => expect(integerOfDecimal(parseDecimal(text)!)).toBe(expected));
  it.each([
    ['12', 12, 0],
    ['-0.10', -10, 2],
    ['1e3', 1000, 0],
    ['1.5e-2', 15, 3],
    [' 7 ', 7, 0],
    ['1_000', 1000, 0],
    ['0x1F', 31, 0],
    ['.5', 5, 1],
  ])('reads %j', (text, units, scale) => expect(parseDecimal(text)).toEqual(new Decimal(units, scale)));
  it.each(['', ' ', 'x', '1,5', '1.2.3', '--1', '1e', '0xZZ', '1__0', '12a'])('does not read %j', (text) =>
    expect(parseDecimal(text)).toBeNull(),
  );
});

describe('integers, floats, booleans', () => {
  it.each([
    ['12', 'int4', 12],
    ['+7', 'int4', 7],
    ['-32768', 'int2', -32768],
    ['32768', 'int2', null],
    ['2147483648', 'int4', null],
    ['9223372036854775807', 'int8', 9223372036854775807n],
    ['9223372036854775808', 'int8', null],
    ['0b101', 'int4', 5],
    ['1.0', 'int4', undefined],
    ['', 'int4', undefined],
    ['000000000000000000012', 'int4', 12],
  ] as const)('reads %j as %s', (text, type, expected) => expect(readInteger(text, type)).toBe(expected));
  it('brings bigints back to numbers where that is safe', () => {
    expect(fitInteger(12n, 'int8')).toBe(12);
    expect(fitInteger(2n ** 60n, 'int8')).toBe(2n ** 60n);
    expect(fitInteger(2n ** 63n, 'int8')).toBeNull();
  });
  it.each([
    [0.1, '0.1'],
    [1e15, '1e+15'],
    [123456789012345, '123456789012345'],
    [1e-5, '1e-05'],
    [-0, '-0'],
    [NaN, 'NaN'],
    [-Infinity, '-Infinity'],
    [1.5e300, '1.5e+300'],
  ])('prints the double %d', (value, text) => expect(floatText(value)).toBe(text));
  it('prints doubles that read back the same', () => {
    fc.assert(fc.property(fc.double({ noNaN: true }), (d) => expect(readFloat(floatText(d))).toBe(d)));
  });
  it('reads doubles with hexadecimal digits, as strtod does', () => {
    const positive = fc.double({ noNaN: true, noDefaultInfinity: true, min: 0 });
    fc.assert(fc.property(positive, (d) => expect(readFloat(`0x${d.toString(16)}`)).toBe(d)));
  });
  it.each([
    ['0x1A', 26],
    ['-0x03', -3],
    [' 0X.8p+1 ', 1],
    ['0x1.p1', 2],
    ['0x1e5', 485],
    ['0x1p-1074', 5e-324],
    ['0x1.8p-1075', 5e-324],
    ['0x1.00000000000008', 1],
    ['0x1.000000000000080001', 1.0000000000000002],
    ['0x1.ffffffffffffffp0', 2],
    ['0x0p99999', 0],
    ['0x', null],
    ['0x1p', null],
    ['0xp1', null],
    ['0x1_0', null],
    ['0x1p-1080', null],
    ['0x1p1024', null],
  ])('reads the hexadecimal %s as %s', (text, value) => expect(readFloat(text)).toBe(value));
  it.each([
    ['t', true],
    ['YES', true],
    [' on ', true],
    ['1', true],
    ['fal', false],
    ['of', false],
    ['0', false],
    ['o', null],
    ['', null],
    ['ja', null],
  ])('reads the boolean %j', (text, expected) => expect(readBoolean(text)).toBe(expected));
});

describe('dates without zone traps', () => {
  it('agree with the platform’s calendar, day by day', () => {
    fc.assert(
      fc.property(fc.integer({ min: -600_000, max: 2_000_000 }), (day) => {
        const date = new Date(day * 86_400_000);
        expect(civilOf(day)).toEqual({
          year: date.getUTCFullYear(),
          month: date.getUTCMonth() + 1,
          day: date.getUTCDate(),
        });
        if (date.getUTCFullYear() > 0 && date.getUTCFullYear() < 10_000)
          expect(dateText(day)).toBe(date.toISOString().slice(0, 10));
      }),
    );
  });
  it.each([
    ['2026-01-01', 2026, 1],
    ['2025-12-29', 2026, 1],
    ['2027-01-03', 2026, 53],
    ['2024-12-30', 2025, 1],
  ])('knows the ISO week of %s', (iso, year, week) =>
    expect(isoWeek(Date.parse(`${iso}T00:00Z`) / 86_400_000)).toEqual({ year, week }),
  );
  it.each([
    [new Timestamp(0, 0), '1970-01-01 00:00:00'],
    [new Timestamp(20_668, 50_706_500_000), '2026-08-03 14:05:06.5'],
    [new Timestamp(20_668, 86_399_999_999), '2026-08-03 23:59:59.999999'],
    [new Timestamp(-719_529, 0), '0002-12-31 00:00:00 BC'],
    [new Timestamp(3_000_000, 60e6), '10183-09-21 00:01:00'],
  ])('prints %o', (value, text) => expect(timestampText(value)).toBe(text));
  it.each([
    [new Interval(0, 0, 0), '00:00:00'],
    [new Interval(14, 3, 3_661_000_000), '1 year 2 mons 3 days 01:01:01'],
    [new Interval(-1, 2, -5e6), '-1 mons +2 days -00:00:05'],
    [new Interval(0, 1, 500_000), '1 day 00:00:00.5'],
  ])('prints the interval %o', (value, text) => expect(intervalText(value)).toBe(text));
});

describe('field types', () => {
  it.each([
    ['varchar(12)', { value: 'text', sql: 'varchar(12)', length: 12 }],
    ['CHAR', { value: 'text', sql: 'char(1)', length: 1, padded: true }],
    ['character  varying ( 3 )', { value: 'text', sql: 'varchar(3)', length: 3 }],
    ['decimal(9,2)', { value: 'numeric', sql: 'numeric(9,2)', precision: 9, scale: 2 }],
    ['numeric', { value: 'numeric', sql: 'numeric' }],
    ['timestamp with time zone', { value: 'timestamptz', sql: 'timestamptz' }],
    ['int', { value: 'int4', sql: 'integer' }],
  ])('reads %s', (text, expected) => expect(parseFieldType(text)).toEqual(expected));
  it.each([
    ['varchr(4)', /no type “varchr\(4\)”\. Did you mean varchar\?/],
    ['varchar(0)', /between 1 and 10485760/],
    ['numeric(3,5)', /between 0 and the precision, 3/],
    ['numeric(2000)', /between 1 and 1000/],
    ['integer(4)', /takes no number in brackets; write integer/],
    ['varchar(3,4)', /takes one number/],
    ['', /no type/],
    ['constructor', /no type “constructor”/],
    ['date; DROP TABLE x', /no type/],
  ])('refuses %j', (text, sentence) => expect(() => parseFieldType(text)).toThrow(sentence));
  it('knows a spelling for each of its names', () => {
    for (const name of TYPE_NAMES) expect(() => parseFieldType(name)).not.toThrow();
  });
});

describe('strict conversion to a target type', () => {
  const convert = (
    type: string,
    from: Parameters<typeof converterTo>[1],
    value: Parameters<ReturnType<typeof converterTo>>[0],
  ): string => {
    const target = parseFieldType(type);
    const result = converterTo(target, from)(value);
    return result instanceof Mismatch
      ? `${result.cause}: ${result.message}`
      : (outputText(result, target.value) ?? 'null');
  };
  it.each([
    ['char(4)', 'text', 'ab', 'ab  '],
    ['char(2)', 'text', 'abc', /^too_long/],
    ['date', 'text', '2026-08-03', '2026-08-03'],
    ['date', 'text', '2026-02-30', /^type_mismatch/],
    ['timestamp', 'text', '2026-08-03T14:05:06', '2026-08-03 14:05:06'],
    ['timestamp', 'text', '3 Aug 2026', /^type_mismatch/],
    ['boolean', 'text', 'no', 'f'],
    ['uuid', 'text', '123e4567-e89b-12d3-a456-426614174000', '123e4567-e89b-12d3-a456-426614174000'],
    ['uuid', 'text', '123', /^type_mismatch/],
    ['numeric(5,2)', 'text', '1e2', '100.00'],
    ['numeric(5,2)', 'text', '12,5', /parse_number/],
    ['integer', 'numeric', new Decimal(125, 1), /./],
    ['text', 'date', 20_668, '2026-08-03'],
    ['varchar(3)', 'int4', 1234, /^too_long/],
    ['bigint', 'int4', 7, '7'],
    ['double precision', 'text', '1.5e3', '1500'],
  ] as const)('%s from %s %s', (type, from, value, expected) => {
    const result = convert(type, from, value);
    if (typeof expected === 'string') expect(result).toBe(expected);
    else expect(result).toMatch(expected);
  });
  it('refuses what does not become the type by itself', () =>
    expect(() => converterTo(parseFieldType('date'), 'bool')).toThrow(/cast it in a rule/));
});

describe('words', () => {
  it.each([
    ['m.jioned', ['m.joined', 'm.name'], 'm.joined'],
    ['uper', ['upper', 'lower'], 'upper'],
    ['itmes.csv', ['items.csv', 'trips.csv'], 'items.csv'],
    ['nothing', ['alpha', 'beta'], null],
    ['x', ['abcdef'], null],
  ])('the nearest to %s', (wanted, candidates, expected) => expect(nearest(wanted, candidates)).toBe(expected));
  it('makes control and direction characters visible in a quotation, and shortens it', () => {
    expect(quoted('a\u0000b\u202ec')).toBe('“a\\u0000b\\u202ec”');
    expect(quoted('x'.repeat(100))).toBe(`“${'x'.repeat(60)}…”`);
  });
  it('prints booleans as PostgreSQL does in a cast and on output', () => {
    expect([valueText(true, 'bool'), outputText(true, 'bool'), outputText(null, 'bool')]).toEqual(['true', 't', null]);
  });
});
