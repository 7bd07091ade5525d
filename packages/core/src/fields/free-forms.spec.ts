import * as fc from 'fast-check';
import { Reference } from '../testing/reference.ts';
import { freshSeed as seed } from '../testing/seed.ts';
import { readDate, readTimestamp } from './date-input.ts';
import { dateText, intervalText, timestampText } from './dates.ts';
import { readInterval } from './interval-input.ts';

/** What is read of dates, times and intervals is what PostgreSQL reads; what is not certain is refused, never guessed. */
describe('free forms of dates, times and intervals', () => {
  let reference: Reference;
  beforeAll(async () => void (reference = await Reference.open()));
  afterAll(() => reference.close());

  const read = {
    interval: (t: string): string | null => {
      const value = readInterval(t);
      return value && intervalText(value);
    },
    date: (t: string): string | null => {
      const value = readDate(t);
      return value === null ? null : dateText(value);
    },
    timestamp: (t: string): string | null => {
      const value = readTimestamp(t);
      return value && timestampText(value);
    },
  };
  type Kind = keyof typeof read;

  it.each<[Kind, string, string]>([
    ['interval', 'P1Y2M3DT4H5M6.5S', '1 year 2 mons 3 days 04:05:06.5'],
    ['interval', 'P3W', '21 days'],
    ['interval', 'P-1D', '-1 days'],
    ['interval', '1-2', '1 year 2 mons'],
    ['interval', '1-2 3 4:05:06', '1 year 2 mons 3 days 04:05:06'],
    ['interval', '1.5 days', '1 day 12:00:00'],
    ['interval', '1.5 months', '1 mon 15 days'],
    ['interval', '0.5 years', '6 mons'],
    ['interval', '90', '00:01:30'],
    ['interval', '3 days ago', '-3 days'],
    ['interval', '1 day -02:03:04', '1 day -02:03:04'],
    ['date', 'Aug 3 2026', '2026-08-03'],
    ['date', 'August 3, 2026', '2026-08-03'],
    ['date', '3 Sept 2026', '2026-09-03'],
    ['date', '03-Aug-2026', '2026-08-03'],
    ['date', '2026-AUG-03', '2026-08-03'],
    ['date', '2026/8/3', '2026-08-03'],
    ['timestamp', 'Aug 3, 2026 2:05 PM', '2026-08-03 14:05:00'],
    ['timestamp', '2026-08-03 12:00 am', '2026-08-03 00:00:00'],
    ['timestamp', '2026/08/03 14:05:06.25', '2026-08-03 14:05:06.25'],
  ])('%s “%s” is %s', async (kind, text, value) => {
    expect(await reference.read([text], kind)).toEqual([value]);
    expect(read[kind](text)).toBe(value);
  });

  it.each<[Kind, string]>([
    ['interval', '1 day 2 days'],
    ['interval', '1:02 3 hours'],
    ['date', '2026-08-03 10:05 pmz'],
    ['timestamp', '2026-08-03 10:05 pmUTC'],
    ['interval', 'days'],
    ['interval', '1 2 3'],
    ['interval', 'P1D2Y'],
    ['interval', 'PT'],
    ['interval', 'ago'],
    ['date', 'Feb 30 2026'],
    ['date', 'Augustus 3 2026'],
    ['timestamp', '2026-08-03 13:00 PM'],
    ['timestamp', '2026-08-03 0:30 AM'],
  ])('%s “%s” is refused', (kind, text) => expect(read[kind](text)).toBeNull());

  const amount = fc.oneof(
    fc.integer({ min: -999, max: 9999 }).map(String),
    fc.tuple(fc.integer({ min: -99, max: 999 }), fc.nat(999_999)).map(([a, b]) => `${a}.${b}`),
    fc.constantFrom('0', '-0.5', '+3', '.5', '1.', '0.000001', '1e3'),
  );
  const unit = fc.constantFrom(
    ...'microsecond us ms msec milliseconds s sec seconds m min minutes h hrs hour d day days w week weeks mon mons month months y yr years decade decades decs century centuries millennium'.split(
      ' ',
    ),
  );
  const clock = fc
    .tuple(
      fc.constantFrom('', '-', '+'),
      fc.nat(99),
      fc.nat(61),
      fc.option(fc.nat(61)),
      fc.constantFrom('', '.5', '.123456', '.1234567'),
    )
    .map(([sign, h, m, s, f]) => {
      const two = (n: number): string => String(n).padStart(2, '0');
      return `${sign}${h}:${two(m)}${s === null ? '' : `:${two(s)}${f}`}`;
    });
  const piece = fc.oneof(
    fc.tuple(amount, fc.constantFrom(' ', ''), unit).map((p) => p.join('')),
    clock,
    amount,
    fc.tuple(fc.constantFrom('', '-', '+'), fc.nat(30), fc.nat(13)).map(([s, y, m]) => `${s}${y}-${m}`),
  );
  const designators = fc
    .tuple(
      ...'YMWD'.split('').map((d) => fc.option(amount.map((a) => a + d))),
      fc.option(fc.tuple(...'HMS'.split('').map((d) => fc.option(amount.map((a) => a + d))))),
    )
    .map((parts) => {
      const time = parts.pop() as (string | null)[] | null;
      return `P${(parts as (string | null)[]).join('')}${time === null ? '' : `T${time.join('')}`}`;
    });
  const intervals = fc.oneof(
    fc
      .tuple(fc.array(piece, { minLength: 1, maxLength: 4 }), fc.constantFrom('', '', ' ago'))
      .map(([p, a]) => p.join(' ') + a),
    designators,
  );
  const month = fc.constantFrom(
    'Jan',
    'feb',
    'MARCH',
    'april',
    'May',
    'Jun',
    'july',
    'Aug',
    'Sept',
    'sep',
    'October',
    'nov',
    'Dec',
    'Janu',
    'MAR.',
  );
  const number = (max: number): fc.Arbitrary<string> =>
    fc.tuple(fc.nat(max), fc.boolean()).map(([n, padded]) => (padded ? String(n).padStart(2, '0') : String(n)));
  const year = fc.oneof(
    fc.integer({ min: 1000, max: 9999 }).map(String),
    fc.constantFrom('26', '0044', '0000', '12026'),
  );
  const separator = fc.constantFrom(' ', ', ', '-', '/', '  ', '.', ',');
  const dates = fc.oneof(
    fc.tuple(month, separator, number(32), separator, year).map((p) => p.join('')),
    fc.tuple(number(32), separator, month, separator, year).map((p) => p.join('')),
    fc.tuple(year, separator, month, separator, number(32)).map((p) => p.join('')),
    fc.tuple(year, separator, number(13), separator, number(32)).map((p) => p.join('')),
  );
  const times = fc
    .tuple(
      number(25),
      fc.constantFrom(':', ':', '.'),
      number(61),
      fc.option(number(61)),
      fc.constantFrom('', ' am', 'PM', ' pm', ' AM Z', ' pmz', 'amUTC', ' pm+02', '+02', ' UTC'),
    )
    .map(([h, c, m, s, half]) => `${h}${c}${m}${s === null ? '' : `:${s}`}${half}`);
  const stamps = fc.tuple(dates, fc.constantFrom(' ', 'T', 't'), times).map((p) => p.join(''));

  it.each<[Kind, fc.Arbitrary<string>]>([
    ['interval', intervals],
    ['date', fc.oneof(dates, stamps)],
    ['timestamp', fc.oneof(dates, stamps)],
  ])('any %s that is read is read as PostgreSQL reads it', async (kind, texts) => {
    const cases = fc.sample(texts, { seed, numRuns: Number(process.env['VERSICLE_CASES'] ?? 3000) });
    const theirs = await reference.read(cases, kind);
    let agreed = 0;
    const differ = cases.flatMap((text, i) => {
      const ours = read[kind](text);
      if (ours !== null && ours === theirs[i]) agreed++;
      return ours === null || ours === theirs[i] ? [] : [`${text}: ${ours}, PostgreSQL ${theirs[i] ?? 'refuses'}`];
    });
    expect(differ.slice(0, 20)).toEqual([]);
    expect(agreed).toBeGreaterThan(cases.length / 200);
  });
});
