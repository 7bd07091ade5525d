import fc from 'fast-check';
import { Reference } from '../testing/reference.ts';
import { freshSeed as seed } from '../testing/seed.ts';
import { converterTo, Mismatch } from './convert.ts';
import { Decimal } from './decimal.ts';
import { parseFieldType } from './types.ts';
import { outputText, type Value } from './values.ts';

/**
 * The strict last step may refuse more than PostgreSQL does, but what it takes must be the value that PostgreSQL reads
 * from the same text; anything else would be a record that is changed without a word.
 */

const digits = fc.array(fc.constantFrom(...'0123456789'), { minLength: 1, maxLength: 12 }).map((d) => d.join(''));
const pieces = (least: number, most: number, ...items: string[]): fc.Arbitrary<string> =>
  fc.array(fc.constantFrom(...items), { minLength: least, maxLength: most }).map((parts) => parts.join(''));
const numbers = fc.oneof(
  digits,
  fc.tuple(fc.constantFrom('', '-', '+'), digits, digits).map(([s, a, b]) => `${s}${a}.${b}`),
  fc.tuple(digits, fc.integer({ min: -30, max: 30 })).map(([a, e]) => `${a}e${e}`),
  pieces(0, 7, '0', '1', '9', '.', ',', '-', '+', 'e', 'E', '_', ' ', 'x', 'inf', 'NaN', '٣', '\u00a0'),
  fc.constantFrom('2147483648', '-2147483649', '9223372036854775808', '32768', '1e400', '1e-400', '0.1', '.5', '5.'),
);
const dates = fc.oneof(
  fc
    .date({ min: new Date('0001-01-02'), max: new Date('9999-12-30'), noInvalidDate: true })
    .map((d) => d.toISOString().slice(0, 10)),
  fc
    .tuple(fc.integer({ min: 0, max: 2400 }), fc.nat(14), fc.nat(33))
    .map(([y, m, d]) => `${String(y).padStart(4, '0')}-${String(m).padStart(2, '0')}-${String(d).padStart(2, '0')}`),
  pieces(0, 8, '2026', '-', '08', '8', '03', '31', '/', '.', ' ', 'Aug', 'infinity', 'today', 'BC', '0'),
);
const clock = fc.oneof(
  fc
    .tuple(fc.nat(25), fc.nat(61), fc.nat(61), fc.constantFrom('', '.5', '.123456', '.1234567', '.999999999'))
    .map(
      ([h, m, s, f]) => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}:${String(s).padStart(2, '0')}${f}`,
    ),
  pieces(0, 5, '10', ':', '05', '5', '24', '00', '.', ' pm', 'AM'),
);
const zone = fc.constantFrom(
  '',
  'Z',
  '+00',
  '+02',
  '-05:30',
  '+0530',
  ' UTC',
  ' Europe/London',
  '+25',
  '+02:00:30',
  'z',
);
const moments = fc.tuple(dates, fc.constantFrom('T', ' ', '  ', 't'), clock, zone).map((parts) => parts.join(''));
const words = pieces(
  0,
  3,
  't',
  'true',
  'yes',
  'y',
  'on',
  'of',
  'off',
  'no',
  'n',
  'f',
  '1',
  '0',
  ' ',
  'TRUE',
  'J',
  'wahr',
);
const uuids = fc.oneof(
  fc.uuid(),
  fc.uuid().map((u) => u.toUpperCase()),
  fc.uuid().map((u) => u.replaceAll('-', '')),
  fc.uuid().map((u) => `{${u}}`),
  fc.uuid().map((u) => u.slice(1)),
);
const documents = fc.oneof(
  fc.json({ maxDepth: 2 }),
  pieces(
    0,
    6,
    '{',
    '}',
    '[',
    ']',
    '"a"',
    ':',
    ',',
    '1',
    '-0',
    '01',
    '1.50',
    '1e3',
    'true',
    'null',
    ' ',
    '"\\u00e9"',
    'NaN',
  ),
);

const targets: Record<string, fc.Arbitrary<string>> = {
  smallint: numbers,
  integer: numbers,
  bigint: numbers,
  numeric: numbers,
  'numeric(9,2)': numbers,
  'numeric(3,3)': numbers,
  'double precision': numbers,
  boolean: words,
  date: fc.oneof(dates, moments),
  timestamp: fc.oneof(dates, moments),
  timestamptz: fc.oneof(dates, moments),
  uuid: uuids,
  jsonb: documents,
};

describe('what the strict conversion takes is what PostgreSQL reads', () => {
  let reference: Reference;
  beforeAll(async () => {
    reference = await Reference.open();
  });
  afterAll(() => reference.close());

  test.each(Object.entries(targets))('texts for %s', async (type, arbitrary) => {
    const texts = [...new Set(fc.sample(arbitrary, { seed, numRuns: 1500 }))].filter((t) => !t.includes('\\u0000'));
    const target = parseFieldType(type);
    const convert = converterTo(target, 'text');
    const theirs = await reference.read(texts, type);
    let taken = 0;
    const wrong = texts.flatMap((text, i) => {
      const value = convert(text);
      if (value instanceof Mismatch) return value.message === '' ? [`${text}: no sentence`] : [];
      taken++;
      // A boolean is t or f where it is written out, and true or false as a text; a document keeps how it was written.
      const ours = outputText(value, target.value)!;
      if (type === 'jsonb') return theirs[i] === null ? [`${text}: PostgreSQL refuses it`] : [];
      const wanted = type === 'boolean' ? theirs[i]?.slice(0, 1) : theirs[i];
      return ours === wanted ? [] : [`${JSON.stringify(text)}: ours ${ours}, PostgreSQL ${theirs[i]}`];
    });
    expect(wrong).toEqual([]);
    expect(taken).toBeGreaterThan(texts.length / 100);
  });
});

describe('from one type to another', () => {
  const made = (from: Parameters<typeof converterTo>[1], value: NonNullable<Value>, type: string): string => {
    const target = parseFieldType(type);
    const result = converterTo(target, from)(value);
    return result instanceof Mismatch ? `${result.cause}: ${result.message}` : outputText(result, target.value)!;
  };
  it('a decimal beyond a double is refused, not made infinite or nothing', () => {
    expect(made('numeric', new Decimal(10n ** 400n, 0), 'double precision')).toMatch(
      /^type_mismatch: .*out of the range/,
    );
    expect(made('numeric', new Decimal(1, 400), 'double precision')).toMatch(/^type_mismatch: .*out of the range/);
    expect(made('numeric', new Decimal(0, 5), 'double precision')).toBe('0');
    expect(made('numeric', new Decimal(15, 1), 'double precision')).toBe('1.5');
  });
  it('whole numbers keep every digit or are refused', () =>
    fc.assert(
      fc.property(fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }), (n) => {
        const value = n >= -(2n ** 53n) + 1n && n < 2n ** 53n ? Number(n) : n;
        expect(made('int8', value, 'bigint')).toBe(String(n));
        expect(made('int8', value, 'numeric')).toBe(String(n));
        expect(made('int8', value, 'text')).toBe(String(n));
        const small = made('int8', value, 'integer');
        if (n >= -(2n ** 31n) && n < 2n ** 31n) expect(small).toBe(String(n));
        else expect(small).toMatch(/^type_mismatch: .*out of the range/);
      }),
    ));
  it('a fraction never becomes a whole number by itself', () =>
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 1, max: 6 }), (units, scale) => {
        const result = made('numeric', new Decimal(units, scale), 'bigint');
        if (units % 10 ** scale === 0) expect(result).toBe(String(units / 10 ** scale + 0));
        else expect(result).toMatch(/^type_mismatch: .*round it in a rule/);
      }),
    ));
  it('a text is never cut, counted in characters', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 12 }), fc.integer({ min: 1, max: 8 }), (text, length) => {
        const count = [...text].length;
        const result = made('text', text, `varchar(${length})`);
        if (count <= length) expect(result).toBe(text);
        else expect(result).toMatch(new RegExp(`^too_long: .*${count} characters; the field takes ${length}`, 's'));
        const padded = made('text', text, `char(${length})`);
        if (count <= length) expect([...padded]).toHaveLength(length);
      }),
    ));
});
