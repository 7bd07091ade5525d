import { DAY_MICROS, Interval } from './dates.ts';

/**
 * Text to intervals as PostgreSQL reads them (`interval_in`): numbers with unit words, a clock, years-months, ISO 8601
 * durations, `ago`. What leaves room for guessing is null: it is refused rather than guessed.
 */

const SECOND = 1e6;
const HOUR = 3600 * SECOND;

/** Bits for what was said already: the same unit twice is no interval. */
const Said = {
  Micros: 1,
  Millis: 2,
  Seconds: 4,
  Minutes: 8,
  Hours: 16,
  Days: 32,
  Weeks: 64,
  Months: 128,
  Years: 256,
  Decades: 512,
  Centuries: 1024,
} as const;
const ALL_SECONDS = Said.Micros | Said.Millis | Said.Seconds;
const CLOCK = Said.Hours | Said.Minutes | Said.Seconds;

interface Unit {
  readonly said: number;
  readonly months?: number;
  readonly days?: number;
  readonly micros?: number;
}
const UNITS: readonly (readonly [words: string, unit: Unit])[] = [
  ['microsecond microseconds us usec usecs', { said: Said.Micros, micros: 1 }],
  ['millisecond milliseconds ms msec msecs', { said: Said.Millis, micros: 1e3 }],
  ['second seconds sec secs s', { said: Said.Seconds, micros: SECOND }],
  ['minute minutes min mins m', { said: Said.Minutes, micros: 60 * SECOND }],
  ['hour hours hr hrs h', { said: Said.Hours, micros: HOUR }],
  ['day days d', { said: Said.Days, days: 1 }],
  ['week weeks w', { said: Said.Weeks, days: 7 }],
  ['month months mon mons', { said: Said.Months, months: 1 }],
  ['year years yr yrs y', { said: Said.Years, months: 12 }],
  ['decade decades', { said: Said.Decades, months: 120 }],
  ['century centuries', { said: Said.Centuries, months: 1200 }],
];
const BY_WORD = new Map(UNITS.flatMap(([words, unit]) => words.split(' ').map((word) => [word, unit] as const)));

class Sum {
  months = 0;
  days = 0;
  micros = 0;
  private said = 0;

  /** Whether this was not said before. */
  once(bits: number): boolean {
    if (this.said & bits) return false;
    this.said |= bits;
    return true;
  }
  /** `fraction` has the sign of the number. Fractions of months and years go over as PostgreSQL has it. */
  add(unit: Unit, whole: number, fraction: number): void {
    if (unit.micros !== undefined) {
      this.micros += whole * unit.micros + rounded(fraction * unit.micros);
    } else if (unit.days !== undefined) {
      this.days += whole * unit.days;
      this.partOfDays(fraction * unit.days);
    } else if (unit.said === Said.Months) {
      this.months += whole;
      this.partOfDays(fraction * 30);
    } else {
      this.months += whole * unit.months! + halfToEven(fraction * unit.months!);
    }
  }
  private partOfDays(days: number): void {
    const whole = Math.trunc(days);
    this.days += whole;
    this.micros += rounded((days - whole) * DAY_MICROS);
  }
  result(sign: 1 | -1): Interval | null {
    const { months, days, micros } = this;
    if (Math.abs(months) > 2147483647 || Math.abs(days) > 2147483647 || !Number.isSafeInteger(micros)) return null;
    return new Interval(sign * months || 0, sign * days || 0, sign * micros || 0);
  }
}
/** Halves stay where they are, as PostgreSQL's own rounding of fractions has it. */
function rounded(micros: number): number {
  const whole = Math.trunc(micros);
  const rest = micros - whole;
  return rest > 0.5 ? whole + 1 : rest < -0.5 ? whole - 1 : whole;
}
function halfToEven(n: number): number {
  const floor = Math.floor(n);
  const rest = n - floor;
  return rest < 0.5 || (rest === 0.5 && floor % 2 === 0) ? floor : floor + 1;
}

const NUMBER = /^([+-]?)(\d{1,9})(?:\.(\d{1,6}))?$/;
function numberOf(text: string): { whole: number; fraction: number; exact: boolean } | null {
  const match = NUMBER.exec(text);
  if (!match) return null;
  const sign = match[1] === '-' ? -1 : 1;
  const fraction = match[3] === undefined ? 0 : Number(`0.${match[3]}`);
  return { whole: sign * Number(match[2]), fraction: sign * fraction, exact: fraction === 0 };
}

/** Months, days and microseconds; null when not understood for certain. */
export function readInterval(input: string): Interval | null {
  const text = input.replace(/^[ \t\n\v\f\r]+|[ \t\n\v\f\r]+$/g, '');
  if (/^P/i.test(text)) return readDuration(text);
  // A number and its unit may stand together.
  const words = text
    .toLowerCase()
    .replace(/(\d)([a-z])/g, '$1 $2')
    .split(/[ \t\n\v\f\r]+/);
  const ago = words.at(-1) === 'ago';
  if (ago) words.pop();
  return readWords(words, ago ? -1 : 1);
}

function readWords(words: readonly string[], sign: 1 | -1): Interval | null {
  const sum = new Sum();
  // Beside a clock, PostgreSQL forgets fractions of other units.
  const whole = words.some(isClock);
  if (words.length === 1 && sign < 0) return null;
  let said = false;
  for (let i = 0; i < words.length; i++) {
    const word = words[i]!;
    const next = words[i + 1];
    const number = numberOf(word);
    if (number === null) {
      const read = readClock(word, sum) || (i === 0 && readYearsMonths(word, sum));
      if (!read) return null;
    } else {
      const unit = next === undefined ? undefined : BY_WORD.get(next);
      // Without a unit a number means seconds where it stands alone, and days before a clock.
      const meant = unit ?? (words.length === 1 ? BY_WORD.get('s')! : isClock(next) ? BY_WORD.get('d')! : null);
      if (meant === null) return null;
      const small = meant.said === Said.Micros || meant.said === Said.Millis;
      if (whole && (small || !number.exact)) return null;
      const bits = meant.said === Said.Seconds && !number.exact ? ALL_SECONDS : meant.said;
      if (!sum.once(bits)) return null;
      sum.add(meant, number.whole, number.fraction);
      if (unit !== undefined) i++;
    }
    said = true;
  }
  return said ? sum.result(sign) : null;
}

const CLOCK_TEXT = /^([+-]?)(\d{1,7}):(\d{2})(?::(\d{2})(?:\.(\d{1,6}))?)?$/;
const isClock = (word: string | undefined): boolean => word !== undefined && CLOCK_TEXT.test(word);
function readClock(word: string, sum: Sum): boolean {
  const match = CLOCK_TEXT.exec(word);
  if (!match || Number(match[3]) > 59 || Number(match[4] ?? 0) > 59 || !sum.once(CLOCK)) return false;
  const size =
    ((Number(match[2]) * 60 + Number(match[3])) * 60 + Number(match[4] ?? 0)) * SECOND +
    Number((match[5] ?? '').padEnd(6, '0'));
  sum.micros += match[1] === '-' ? -size : size;
  return true;
}
function readYearsMonths(word: string, sum: Sum): boolean {
  const match = /^([+-]?)(\d{1,6})-(\d{1,2})$/.exec(word);
  if (!match || Number(match[3]) > 11 || !sum.once(Said.Months)) return false;
  const months = Number(match[2]) * 12 + Number(match[3]);
  sum.months += match[1] === '-' ? -months : months;
  return true;
}

/** ISO 8601 with designators: `P1Y2M3W4DT5H6M7.5S`; each at most once, in their order. */
const DURATION =
  /^P(?:(-?\d{1,9}(?:\.\d{1,6})?)Y)?(?:(-?\d{1,9}(?:\.\d{1,6})?)M)?(?:(-?\d{1,9}(?:\.\d{1,6})?)W)?(?:(-?\d{1,9}(?:\.\d{1,6})?)D)?(?:T(?=[\d-])(?:(-?\d{1,9}(?:\.\d{1,6})?)H)?(?:(-?\d{1,9}(?:\.\d{1,6})?)M)?(?:(-?\d{1,9}(?:\.\d{1,6})?)S)?)?$/;
const DESIGNATORS = ['y', 'mon', 'w', 'd', 'h', 'm', 's'];
function readDuration(text: string): Interval | null {
  const match = DURATION.exec(text);
  if (!match || match.slice(1).every((part) => part === undefined)) return null;
  const sum = new Sum();
  for (const [i, designator] of DESIGNATORS.entries()) {
    const part = match[i + 1];
    if (part === undefined) continue;
    // Here the fraction is what is left of the number, with all that doubles make of it.
    const number = Number(part);
    const whole = Math.trunc(number);
    sum.add(BY_WORD.get(designator)!, whole, number - whole);
  }
  return sum.result(1);
}
