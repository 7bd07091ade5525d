import * as T from '../fields/dates.ts';
import type { RuleContext } from './context.ts';
import { age, partOf, truncStamp } from './date-parts.ts';
import { readPattern } from './date-pattern.ts';
import { writePattern } from './date-pattern-output.ts';
import { instantToLocal, localToInstant } from './date-zones.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

const { Timestamp } = T;
type Stamp = T.Timestamp;

const patternCache = new Map<string, ReturnType<typeof readPattern>>();
function patternOf(pattern: string): ReturnType<typeof readPattern> {
  let parts = patternCache.get(pattern);
  if (!parts) {
    parts = readPattern(pattern);
    if (patternCache.size > 200) patternCache.clear();
    patternCache.set(pattern, parts);
  }
  return parts;
}
function toChar(zone: boolean): Pick<Overload, 'run' | 'prepare'> {
  return {
    run: (t: Stamp, pattern: string, ctx: RuleContext) => {
      try {
        return pattern === '' ? null : writePattern(patternOf(pattern), t, zone);
      } catch (error) {
        return ctx.fail((error as Error).message);
      }
    },
    prepare: ([, pattern]) => {
      if (typeof pattern !== 'string' || pattern === '') return null;
      const parts = readPattern(pattern);
      return (t: Stamp) => writePattern(parts, t, zone);
    },
  };
}

const withRun = (
  args: Overload['args'],
  returns: Overload['returns'],
  parts: Pick<Overload, 'run' | 'prepare'>,
): Overload => over(args, returns, parts.run, parts.prepare ? { prepare: parts.prepare } : {});
const changing = { changing: true } as const;
const today = (ctx: RuleContext): Stamp => new Timestamp(ctx.now.day, 0);

type Entry = [
  name: string,
  signature: string,
  summary: string,
  rule: string,
  value: string | null,
  overloads: Overload[],
];
const entries: Entry[] = [
  [
    'to_char',
    'to_char(date or time, pattern) → text',
    'A date or time written by a pattern.',
    "to_char(DATE '2026-08-03', 'DD.MM.YYYY')",
    '03.08.2026',
    [
      { ...withRun(['timestamp', 'text'], 'text', toChar(false)), ...changing },
      { ...withRun(['timestamptz', 'text'], 'text', toChar(true)), ...changing },
    ],
  ],
  [
    'extract',
    'extract(part FROM date or time) → numeric',
    'A part of a date: year, month, day, hour, dow, isodow, week, quarter, doy, epoch …',
    "extract(year FROM DATE '2026-08-03')",
    '2026',
    [
      withRun(['text', 'date'], 'numeric', partOf('date', false)),
      withRun(['text', 'timestamp'], 'numeric', partOf('stamp', false)),
      withRun(['text', 'timestamptz'], 'numeric', partOf('stamp', false)),
      withRun(['text', 'interval'], 'numeric', partOf('interval', false)),
    ],
  ],
  [
    'date_part',
    "date_part('part', date or time) → double precision",
    'A part of a date as double precision; extract gives an exact number.',
    "date_part('month', DATE '2026-08-03')",
    '8',
    [
      withRun(['text', 'date'], 'float8', partOf('date', true)),
      withRun(['text', 'timestamp'], 'float8', partOf('stamp', true)),
      withRun(['text', 'timestamptz'], 'float8', partOf('stamp', true)),
      withRun(['text', 'interval'], 'float8', partOf('interval', true)),
    ],
  ],
  [
    'date_trunc',
    "date_trunc('part', date or time) → date or time",
    'Cut to the beginning of its hour, day, week (Monday), month, quarter or year.',
    "date_trunc('week', TIMESTAMP '2026-08-05 14:30')::date",
    '2026-08-03',
    [over(['text', 'timestamp'], 'timestamp', truncStamp), over(['text', 'timestamptz'], 'timestamptz', truncStamp)],
  ],
  [
    'age',
    'age(later [, earlier]) → interval',
    'The time between two dates in years, months and days; with one date, up to today.',
    "age(DATE '2026-08-03', DATE '2024-05-01')",
    '2 years 3 mons 2 days',
    [
      over(['timestamp', 'timestamp'], 'interval', age),
      over(['timestamptz', 'timestamptz'], 'interval', age),
      over(['timestamp'], 'interval', (t: Stamp, ctx: RuleContext) => age(today(ctx), t, ctx), changing),
      over(['timestamptz'], 'interval', (t: Stamp, ctx: RuleContext) => age(today(ctx), t, ctx), changing),
    ],
  ],
  [
    'make_date',
    'make_date(year, month, day) → date',
    'A date from its parts.',
    'make_date(2026, 8, 3)',
    '2026-08-03',
    [
      over(['int4', 'int4', 'int4'], 'date', (y: number, m: number, d: number, ctx: RuleContext) => {
        const day = y === 0 ? null : T.dayIfReal(y < 0 ? y + 1 : y, m, d);
        return day ?? ctx.fail(`There is no date with year ${y}, month ${m} and day ${d}.`);
      }),
    ],
  ],
  [
    'current_date',
    'CURRENT_DATE → date',
    'The day on which the run started (UTC).',
    'CURRENT_DATE IS NOT NULL',
    'true',
    [over([], 'date', (ctx: RuleContext) => ctx.now.day, changing)],
  ],
  [
    'current_timestamp',
    'CURRENT_TIMESTAMP → timestamptz',
    'The moment at which the run started.',
    'CURRENT_TIMESTAMP IS NOT NULL',
    'true',
    [over([], 'timestamptz', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'localtimestamp',
    'LOCALTIMESTAMP → timestamp',
    'The moment at which the run started, in UTC, without zone.',
    'LOCALTIMESTAMP IS NOT NULL',
    'true',
    [over([], 'timestamp', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'now',
    'now() → timestamptz',
    'The moment at which the run started.',
    'now() = CURRENT_TIMESTAMP',
    'true',
    [over([], 'timestamptz', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'timezone',
    "timestamp AT TIME ZONE 'zone' → timestamptz; timestamptz AT TIME ZONE 'zone' → timestamp",
    'Local time of a zone to a moment, and back. Zones by name: Europe/London, UTC.',
    "(TIMESTAMP '2026-08-03 12:00' AT TIME ZONE 'Europe/London')::text",
    '2026-08-03 11:00:00+00',
    [
      over(['text', 'timestamp'], 'timestamptz', localToInstant),
      over(['text', 'timestamptz'], 'timestamp', instantToLocal),
    ],
  ],
  [
    'isfinite',
    'isfinite(date or time) → boolean',
    'Whether it is a real date and not infinity.',
    "isfinite(DATE '2026-08-03')",
    'true',
    [
      over(['date'], 'bool', (d: number) => Number.isFinite(d)),
      over(['timestamp'], 'bool', (t: Stamp) => Number.isFinite(t.day)),
      over(['timestamptz'], 'bool', (t: Stamp) => Number.isFinite(t.day)),
    ],
  ],
];

export const dateFunctions: RuleFunction[] = entries.map(([name, signature, summary, rule, value, overloads]) => ({
  name,
  group: 'date',
  signature,
  summary,
  example: { rule, value },
  overloads,
}));
