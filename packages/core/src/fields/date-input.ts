import { dayIfReal, Interval, MAX_DAY, MIN_DAY, Timestamp, timestampInRange, timestampOf } from './dates.ts';

/**
 * Text to dates, timestamps and intervals: ISO 8601 and the spellings of PostgreSQL's input that leave no room for
 * guessing. Anything else is null: it is refused rather than guessed (docs/rules.md, deliberate differences).
 */

const DATE = /^(\d{4,7})-(\d{1,2})-(\d{1,2})$/;
const COMPACT = /^(\d{4})(\d{2})(\d{2})$/;

const trimmed = (text: string): string => text.replace(/^[ \t\n\v\f\r]+|[ \t\n\v\f\r]+$/g, '');

/** Days since 1970-01-01, ±Infinity, or null. A time part behind a date is read and dropped, as PostgreSQL does. */
export function readDate(input: string): number | null {
  const text = trimmed(input);
  const match = DATE.exec(text) ?? COMPACT.exec(text);
  if (match) return realDay(match[1]!, match[2]!, match[3]!);
  if (/^\d/.test(text)) return readTimestamp(text)?.day ?? null;
  return readSpecialDay(text);
}

function realDay(year: string, month: string, day: string): number | null {
  const y = Number(year);
  return y === 0 ? null : dayIfReal(y, Number(month), Number(day));
}

function readSpecialDay(text: string): number | null {
  switch (text.toLowerCase()) {
    case 'infinity':
      return Infinity;
    case '-infinity':
      return -Infinity;
    case 'epoch':
      return 0;
    default:
      return null;
  }
}

const STAMP =
  /^(\d{4,7}-\d{1,2}-\d{1,2}|\d{8})(?:(?:T|t|[ \t]+)(\d{1,2}):(\d{2})(?::(\d{2})(?:\.(\d+))?)?(?:[ \t]*(Z|z|UTC|utc|[+-]\d{1,2}(?::?\d{2})?))?)?$/;

interface ReadStamp {
  readonly day: number;
  readonly micros: number;
  /** Offset east of UTC in minutes, or null when none was written. */
  readonly offset: number | null;
}

function readStamp(text: string): ReadStamp | null {
  const match = STAMP.exec(text);
  if (!match) return null;
  const date = DATE.exec(match[1]!) ?? COMPACT.exec(match[1]!);
  const day = date && realDay(date[1]!, date[2]!, date[3]!);
  if (day === null) return null;
  if (match[2] === undefined) return { day, micros: 0, offset: null };
  const [hour, minute, second] = [Number(match[2]), Number(match[3]), Number(match[4] ?? 0)];
  const fraction = match[5] === undefined ? 0 : Math.round(Number(`0.${match[5]}`) * 1e6);
  if (minute > 59 || second > 60 || hour > 24 || (hour === 24 && (minute > 0 || second > 0 || fraction > 0)))
    return null;
  const offset = match[6] === undefined ? null : readOffset(match[6]);
  if (offset !== null && Number.isNaN(offset)) return null;
  return { day, micros: ((hour * 60 + minute) * 60 + second) * 1e6 + fraction, offset };
}

/** Minutes east of UTC; NaN when out of range (PostgreSQL takes up to ±15:59). */
function readOffset(text: string): number {
  if (/^(z|utc)$/i.test(text)) return 0;
  const match = /^([+-])(\d{1,2}):?(\d{2})?$/.exec(text)!;
  const hours = Number(match[2]);
  const minutes = Number(match[3] ?? 0);
  if (hours > 15 || minutes > 59) return NaN;
  return (match[1] === '-' ? -1 : 1) * (hours * 60 + minutes);
}

/** A timestamp without zone: an offset in the text is read and ignored, as PostgreSQL does. */
export function readTimestamp(input: string): Timestamp | null {
  const text = trimmed(input);
  const stamp = readStamp(text);
  if (stamp) return checked(timestampOf(stamp.day, stamp.micros));
  const special = readSpecialDay(text);
  return special === null ? null : new Timestamp(special, 0);
}

/** A timestamp with zone, held in UTC; without an offset the text is taken as UTC. */
export function readTimestampTz(input: string): Timestamp | null {
  const text = trimmed(input);
  const stamp = readStamp(text);
  if (stamp) return checked(timestampOf(stamp.day, stamp.micros - (stamp.offset ?? 0) * 60e6));
  const special = readSpecialDay(text);
  return special === null ? null : new Timestamp(special, 0);
}

function checked(t: Timestamp): Timestamp | null {
  return timestampInRange(t) && t.day >= MIN_DAY && t.day <= MAX_DAY ? t : null;
}

const UNITS: Record<string, [months: number, days: number, micros: number]> = {
  microsecond: [0, 0, 1],
  millisecond: [0, 0, 1e3],
  second: [0, 0, 1e6],
  sec: [0, 0, 1e6],
  s: [0, 0, 1e6],
  minute: [0, 0, 6e7],
  min: [0, 0, 6e7],
  hour: [0, 0, 36e8],
  hr: [0, 0, 36e8],
  h: [0, 0, 36e8],
  day: [0, 1, 0],
  d: [0, 1, 0],
  week: [0, 7, 0],
  w: [0, 7, 0],
  month: [1, 0, 0],
  mon: [1, 0, 0],
  year: [12, 0, 0],
  yr: [12, 0, 0],
  y: [12, 0, 0],
  decade: [120, 0, 0],
  century: [1200, 0, 0],
};

/** Intervals as whole or decimal numbers with unit words and an optional `hh:mm[:ss]`; null when not understood for certain. */
export function readInterval(input: string): Interval | null {
  let months = 0;
  let days = 0;
  let micros = 0;
  let rest = trimmed(input);
  if (rest === '') return null;
  while (rest !== '') {
    const clock = /^([+-]?)(\d{1,7}):(\d{2})(?::(\d{2})(?:\.(\d{1,6}))?)?(?:\s+|$)/.exec(rest);
    if (clock) {
      const size =
        ((Number(clock[2]) * 60 + Number(clock[3])) * 60 + Number(clock[4] ?? 0)) * 1e6 +
        Number((clock[5] ?? '').padEnd(6, '0'));
      if (Number(clock[3]) > 59 || Number(clock[4] ?? 0) > 59) return null;
      micros += clock[1] === '-' ? -size : size;
      rest = rest.slice(clock[0].length);
      continue;
    }
    const part = /^([+-]?\d{1,9})(\.\d{1,6})?\s*([a-z]+)(?:\s+|$)/i.exec(rest);
    const unit = part && unitOf(part[3]!);
    if (!unit) return null;
    if (part[2] !== undefined && unit[2] === 0) return null;
    const amount = Number(part[1]! + (part[2] ?? ''));
    months += unit[0] * amount;
    days += unit[1] * amount;
    micros += Math.round(unit[2] * amount);
    rest = rest.slice(part[0].length);
  }
  if (Math.abs(months) > 2147483647 || Math.abs(days) > 2147483647 || !Number.isSafeInteger(micros)) return null;
  return new Interval(months, days, micros);
}

function unitOf(word: string): (typeof UNITS)[string] | undefined {
  const lower = word.toLowerCase();
  if (Object.hasOwn(UNITS, lower)) return UNITS[lower];
  const singular = lower === 'centuries' ? 'century' : lower.endsWith('s') ? lower.slice(0, -1) : lower;
  return Object.hasOwn(UNITS, singular) && singular.length > 1 ? UNITS[singular] : undefined;
}
