import { dayIfReal, MAX_DAY, MIN_DAY, Timestamp, timestampInRange, timestampOf } from './dates.ts';

/**
 * Text to dates and timestamps: ISO 8601 and the spellings of PostgreSQL's input that leave no room for guessing. Anything
 * else is null: it is refused rather than guessed (docs/rules.md, deliberate differences).
 */

const DATE = /^(\d{4,7})-(\d{1,2})-(\d{1,2})$/;
const COMPACT = /^(\d{4})(\d{2})(\d{2})$/;
/** The year first, as its four digits tell; or the month as a word. */
const SLASHED = /^(\d{4})\/(\d{1,2})\/(\d{1,2})$/;
const DAY_MONTH = /^(\d{1,2})-([a-z]+)-(\d{4})$/i;
const DAY_MONTH_APART = /^(\d{1,2}) +([a-z]+),? +(\d{4})$/i;
const MONTH_DAY = /^([a-z]+) +(\d{1,2})(?:,? +)(\d{4})$/i;
const YEAR_MONTH = /^(\d{4})-([a-z]+)-(\d{1,2})$/i;

const MONTHS = 'january february march april may june july august september october november december'.split(' ');
function monthOf(word: string): string | null {
  const lower = word.toLowerCase();
  const found = MONTHS.findIndex((m) => m === lower || m.slice(0, 3) === lower);
  return found >= 0 ? String(found + 1) : lower === 'sept' ? '9' : null;
}

/** The day of a text that is nothing but a date; null when it isn't one. */
function readDay(text: string): number | null {
  const numbers = DATE.exec(text) ?? COMPACT.exec(text) ?? SLASHED.exec(text);
  if (numbers) return realDay(numbers[1]!, numbers[2]!, numbers[3]!);
  const inWords = (year: string, month: string, day: string): number | null => {
    const number = monthOf(month);
    return number === null ? null : realDay(year, number, day);
  };
  const dayFirst = DAY_MONTH.exec(text) ?? DAY_MONTH_APART.exec(text);
  if (dayFirst) return inWords(dayFirst[3]!, dayFirst[2]!, dayFirst[1]!);
  const monthFirst = MONTH_DAY.exec(text);
  if (monthFirst) return inWords(monthFirst[3]!, monthFirst[1]!, monthFirst[2]!);
  const yearFirst = YEAR_MONTH.exec(text);
  return yearFirst && inWords(yearFirst[1]!, yearFirst[2]!, yearFirst[3]!);
}

const trimmed = (text: string): string => text.replace(/^[ \t\n\v\f\r]+|[ \t\n\v\f\r]+$/g, '');

/** Days since 1970-01-01, ±Infinity, or null. A time part behind a date is read and dropped, as PostgreSQL does. */
export function readDate(input: string): number | null {
  const text = trimmed(input);
  return readDay(text) ?? readStamp(text)?.day ?? readSpecialDay(text);
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
  /^(.+?)(?:(?:(?<=^[\d-]+)T|[ \t]+)(\d{1,2}):(\d{2})(?::(\d{2})(?:\.(\d+))?)?(?:[ \t]*(am|pm)\b)?(?:[ \t]*(Z|z|UTC|utc|[+-]\d{1,2}(?::?\d{2})?))?)?$/i;

interface ReadStamp {
  readonly day: number;
  readonly micros: number;
  /** Offset east of UTC in minutes, or null when none was written. */
  readonly offset: number | null;
}

function readStamp(text: string): ReadStamp | null {
  const match = STAMP.exec(text);
  if (!match) return null;
  const day = readDay(match[1]!);
  if (day === null) return null;
  if (match[2] === undefined) return { day, micros: 0, offset: null };
  const half = match[6]?.toLowerCase();
  const written = Number(match[2]);
  if (half !== undefined && (written < 1 || written > 12)) return null;
  const hour = half === undefined ? written : (written % 12) + (half === 'pm' ? 12 : 0);
  const [minute, second] = [Number(match[3]), Number(match[4] ?? 0)];
  const fraction = match[5] === undefined ? 0 : Math.round(Number(`0.${match[5]}`) * 1e6);
  if (minute > 59 || second > 60 || hour > 24 || (hour === 24 && (minute > 0 || second > 0 || fraction > 0)))
    return null;
  const offset = match[7] === undefined ? null : readOffset(match[7]);
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
