import { civilOf, dayIfReal, dayOfYear, isoWeek, isoWeekday, Timestamp, timestampOf } from '../fields/dates.ts';

/** PostgreSQL's date patterns (formatting.c): written by to_char, read strictly by parse_date and parse_timestamp. */

export const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];
export const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];

/** Longest first, as PostgreSQL matches them; names are matched by their exact case. */
const CODES = [
  'MONTH',
  'Month',
  'month',
  'MON',
  'Mon',
  'mon',
  'MM',
  'MI',
  'MS',
  'Y,YYY',
  'YYYY',
  'YYY',
  'YY',
  'Y',
  'IYYY',
  'IYY',
  'IY',
  'IDDD',
  'ID',
  'IW',
  'I',
  'DDD',
  'DD',
  'DAY',
  'Day',
  'day',
  'DY',
  'Dy',
  'dy',
  'D',
  'HH24',
  'HH12',
  'HH',
  'SSSSS',
  'SSSS',
  'SS',
  'US',
  'FF1',
  'FF2',
  'FF3',
  'FF4',
  'FF5',
  'FF6',
  'A.D.',
  'B.C.',
  'AD',
  'BC',
  'A.M.',
  'P.M.',
  'AM',
  'PM',
  'a.d.',
  'b.c.',
  'ad',
  'bc',
  'a.m.',
  'p.m.',
  'am',
  'pm',
  'TZH',
  'TZM',
  'TZ',
  'tz',
  'OF',
  'CC',
  'J',
  'Q',
  'RM',
  'rm',
  'WW',
  'W',
];
const LOWER_OK = new Set([
  'MM',
  'MI',
  'MS',
  'Y,YYY',
  'YYYY',
  'YYY',
  'YY',
  'Y',
  'IYYY',
  'IYY',
  'IY',
  'IDDD',
  'ID',
  'IW',
  'I',
  'DDD',
  'DD',
  'D',
  'HH24',
  'HH12',
  'HH',
  'SSSSS',
  'SSSS',
  'SS',
  'US',
  'CC',
  'J',
  'Q',
  'WW',
  'W',
]);

export interface PatternPart {
  readonly code: string | null;
  readonly text: string;
  readonly fill: boolean;
  readonly ordinal: '' | 'TH' | 'th';
}

/** A pattern's parts. Throws Error with a sentence for letters that are not supported. */
export function readPattern(pattern: string): PatternPart[] {
  const parts: PatternPart[] = [];
  let at = 0;
  const literal = (text: string): void => void parts.push({ code: null, text, fill: false, ordinal: '' });
  while (at < pattern.length) {
    // FM holds for what follows it at once; a second one is text.
    const fill = pattern.startsWith('FM', at) || pattern.startsWith('fm', at);
    if (fill) at += 2;
    if (at >= pattern.length) break;
    if (/^(FX|fx|TM|tm)/.test(pattern.slice(at, at + 2)))
      throw new Error(`The pattern letters ${pattern.slice(at, at + 2)} are not supported.`);
    if (pattern[at] === '"') {
      const end = pattern.indexOf('"', at + 1);
      if (end < 0) throw new Error('The quoted text in the pattern has no end.');
      if (pattern.slice(at, end).includes('\\')) throw new Error('Backslashes in a pattern are not supported.');
      literal(pattern.slice(at + 1, end));
      at = end + 1;
      continue;
    }
    if (pattern[at] === '\\') throw new Error('Backslashes in a pattern are not supported.');
    const code = codeAt(pattern, at);
    if (code === null) {
      literal(pattern[at]!);
      at++;
      continue;
    }
    at += code.length;
    let ordinal: PatternPart['ordinal'] = '';
    if (/^(TH|th)/.test(pattern.slice(at, at + 2))) {
      ordinal = pattern.slice(at, at + 2) as 'TH';
      at += 2;
    }
    if (/^(SP|sp)/.test(pattern.slice(at, at + 2))) throw new Error('The pattern letters SP are not supported.');
    parts.push({ code, text: code, fill, ordinal });
  }
  return parts;
}

export function codeAt(pattern: string, at: number): string | null {
  for (const code of CODES) {
    const text = pattern.slice(at, at + code.length);
    if (text === code) return code;
    if (LOWER_OK.has(code) && text === code.toLowerCase()) return code;
  }
  return null;
}

const ROMAN = ['I', 'II', 'III', 'IV', 'V', 'VI', 'VII', 'VIII', 'IX', 'X', 'XI', 'XII'];
const zeros = (n: number, width: number, fill: boolean): string => {
  const digits = String(Math.abs(n));
  return (n < 0 ? '-' : '') + (fill ? digits : digits.padStart(width, '0'));
};
function ordinalOf(text: string, kind: PatternPart['ordinal']): string {
  // Names have no ordinal.
  if (kind === '' || !/\d$/.test(text)) return text;
  const last = text.slice(-1);
  const ending =
    text.slice(-2, -1) === '1' && text.length > 1
      ? 'th'
      : last === '1'
        ? 'st'
        : last === '2'
          ? 'nd'
          : last === '3'
            ? 'rd'
            : 'th';
  return text + (kind === 'TH' ? ending.toUpperCase() : ending);
}

/** to_char for dates and timestamps; null for a value that has no calendar parts (infinity). `zone` is what TZ prints. */
export function writePattern(parts: readonly PatternPart[], t: Timestamp, zone: boolean): string | null {
  if (!Number.isFinite(t.day)) return null;
  let result = '';
  for (const part of parts)
    result += part.code === null ? part.text : ordinalOf(writePart(part, t, zone), part.ordinal);
  return result;
}

function writePart({ code, fill }: PatternPart, t: Timestamp, zone: boolean): string {
  const { year, month, day } = civilOf(t.day);
  const shownYear = year > 0 ? year : 1 - year;
  const hour = Math.floor(t.micros / 36e8);
  const minute = Math.floor(t.micros / 6e7) % 60;
  const second = Math.floor(t.micros / 1e6) % 60;
  const fraction = t.micros % 1e6;
  const iso = (): number => {
    const y = isoWeek(t.day).year;
    return y > 0 ? y : 1 - y;
  };
  const name = (text: string, like: string, width: number): string => {
    const cased =
      like === like.toUpperCase() ? text.toUpperCase() : like === like.toLowerCase() ? text.toLowerCase() : text;
    return fill ? cased : cased.padEnd(width);
  };
  const weekday = DAYS[isoWeekday(t.day) % 7]!;
  switch (code) {
    case 'YYYY':
      return zeros(shownYear, 4, fill);
    case 'Y,YYY':
      return `${Math.floor(shownYear / 1000)},${String(shownYear % 1000).padStart(3, '0')}`;
    case 'YYY':
      return zeros(shownYear % 1000, 3, fill);
    case 'YY':
      return zeros(shownYear % 100, 2, fill);
    case 'Y':
      return String(shownYear % 10);
    case 'IYYY':
      return zeros(iso(), 4, fill);
    case 'IYY':
      return zeros(iso() % 1000, 3, fill);
    case 'IY':
      return zeros(iso() % 100, 2, fill);
    case 'I':
      return String(iso() % 10);
    case 'MONTH':
    case 'Month':
    case 'month':
      return name(MONTHS[month - 1]!, code, 9);
    case 'MON':
    case 'Mon':
    case 'mon':
      return name(MONTHS[month - 1]!.slice(0, 3), code, 3);
    case 'MM':
      return zeros(month, 2, fill);
    case 'DAY':
    case 'Day':
    case 'day':
      return name(weekday, code, 9);
    case 'DY':
    case 'Dy':
    case 'dy':
      return name(weekday.slice(0, 3), code, 3);
    case 'DDD':
      return zeros(dayOfYear(t.day), 3, fill);
    case 'IDDD':
      return zeros((isoWeek(t.day).week - 1) * 7 + isoWeekday(t.day), 3, fill);
    case 'DD':
      return zeros(day, 2, fill);
    case 'D':
      return String((isoWeekday(t.day) % 7) + 1);
    case 'ID':
      return String(isoWeekday(t.day));
    case 'IW':
      return zeros(isoWeek(t.day).week, 2, fill);
    case 'WW':
      return zeros(Math.floor((dayOfYear(t.day) - 1) / 7) + 1, 2, fill);
    case 'W':
      return String(Math.floor((day - 1) / 7) + 1);
    case 'Q':
      return String(Math.floor((month - 1) / 3) + 1);
    case 'J':
      return String(t.day + 2440588);
    case 'RM':
    case 'rm': {
      const roman = code === 'RM' ? ROMAN[month - 1]! : ROMAN[month - 1]!.toLowerCase();
      return fill ? roman : roman.padEnd(4);
    }
    case 'CC':
      return zeros(year > 0 ? Math.floor((year - 1) / 100) + 1 : -(Math.floor(-year / 100) + 1), 2, fill);
    case 'HH24':
      return zeros(hour, 2, fill);
    case 'HH12':
    case 'HH':
      return zeros(hour % 12 === 0 ? 12 : hour % 12, 2, fill);
    case 'MI':
      return zeros(minute, 2, fill);
    case 'SS':
      return zeros(second, 2, fill);
    case 'SSSS':
    case 'SSSSS':
      return String(Math.floor(t.micros / 1e6));
    case 'MS':
      return String(Math.floor(fraction / 1000)).padStart(3, '0');
    case 'US':
    case 'FF6':
      return String(fraction).padStart(6, '0');
    case 'FF1':
    case 'FF2':
    case 'FF3':
    case 'FF4':
    case 'FF5':
      return String(fraction).padStart(6, '0').slice(0, Number(code[2]));
    case 'AM':
    case 'PM':
      return hour >= 12 ? 'PM' : 'AM';
    case 'am':
    case 'pm':
      return hour >= 12 ? 'pm' : 'am';
    case 'A.M.':
    case 'P.M.':
      return hour >= 12 ? 'P.M.' : 'A.M.';
    case 'a.m.':
    case 'p.m.':
      return hour >= 12 ? 'p.m.' : 'a.m.';
    case 'AD':
    case 'BC':
      return year > 0 ? 'AD' : 'BC';
    case 'ad':
    case 'bc':
      return year > 0 ? 'ad' : 'bc';
    case 'A.D.':
    case 'B.C.':
      return year > 0 ? 'A.D.' : 'B.C.';
    case 'a.d.':
    case 'b.c.':
      return year > 0 ? 'a.d.' : 'b.c.';
    case 'TZ':
      return zone ? 'UTC' : '';
    case 'tz':
      return zone ? 'utc' : '';
    case 'TZH':
    case 'OF':
      return zone ? '+00' : code === 'OF' ? '+00' : '+00';
    case 'TZM':
      return '00';
    default:
      return '';
  }
}

/** Codes that the strict readers take, with how many digits they read. */
const READ_DIGITS: Record<string, [least: number, most: number]> = {
  YYYY: [4, 4],
  YY: [2, 2],
  MM: [1, 2],
  DD: [1, 2],
  DDD: [3, 3],
  HH24: [1, 2],
  HH12: [1, 2],
  HH: [1, 2],
  MI: [2, 2],
  SS: [2, 2],
  MS: [3, 3],
  US: [6, 6],
};

export type ReadResult = Timestamp | string;
export type PatternReader = (text: string) => ReadResult;

/**
 * Compiles a strict reader: the whole text must match, every part lies in its range, a four-digit year has four digits.
 * Returns a reader that gives a Timestamp, or a sentence that says what is wrong. Throws Error for patterns it does not take.
 */
export function compileReader(pattern: string): PatternReader {
  const parts = readPattern(pattern);
  const seen = new Set<string>();
  for (const { code, ordinal } of parts) {
    if (code === null) continue;
    const kind = partKind(code);
    if (kind === null || ordinal !== '')
      throw new Error(
        `The pattern letters ${code}${ordinal} can't be read; use YYYY, MM, DD, Mon, HH24, HH12, MI, SS, MS, US, AM.`,
      );
    if (seen.has(kind)) throw new Error(`The pattern has two parts for the ${kind}.`);
    seen.add(kind);
  }
  if (!seen.has('year') || !(seen.has('day of the year') || (seen.has('month') && seen.has('day'))))
    throw new Error('The pattern must have a year, a month and a day, such as DD.MM.YYYY.');
  const fixed = compileFixed(parts, pattern);
  const slow: PatternReader = (text) => readParts(parts, pattern, text);
  return fixed ? (text) => fixed(text) ?? slow(text) : slow;
}

function partKind(code: string): string | null {
  if (code === 'YYYY' || code === 'YY') return 'year';
  if (code === 'MM' || /^mon/i.test(code)) return 'month';
  if (code === 'DD') return 'day';
  if (code === 'DDD') return 'day of the year';
  if (/^HH/.test(code)) return 'hour';
  if (code === 'MI') return 'minute';
  if (code === 'SS') return 'second';
  if (code === 'MS' || code === 'US') return 'fraction';
  if (/^[ap]\.?m\.?$/i.test(code)) return 'half of the day';
  return null;
}

/** The fast way for patterns of fixed width (DD.MM.YYYY HH24:MI): null when the text needs the slow way. */
function compileFixed(parts: readonly PatternPart[], pattern: string): ((text: string) => Timestamp | null) | null {
  const steps: { at: number; width: number; target: number }[] = [];
  const literals: [at: number, code: number][] = [];
  const targets = ['YYYY', 'MM', 'DD', 'HH24', 'MI', 'SS'];
  let at = 0;
  for (const { code, text } of parts) {
    if (code === null) {
      for (const c of text) {
        if (c.length > 1) return null;
        literals.push([at++, c.charCodeAt(0)]);
      }
    } else {
      const target = targets.indexOf(code);
      if (target < 0) return null;
      const width = code === 'YYYY' ? 4 : 2;
      steps.push({ at, width, target });
      at += width;
    }
  }
  const length = at;
  if (pattern === '') return null;
  return (text) => {
    if (text.length !== length) return null;
    for (const [where, code] of literals) if (text.charCodeAt(where) !== code) return null;
    let year = 0;
    let month = 1;
    let day = 1;
    let hour = 0;
    let minute = 0;
    let second = 0;
    for (const step of steps) {
      let n = 0;
      for (let i = 0; i < step.width; i++) {
        const digit = text.charCodeAt(step.at + i) - 48;
        if (digit < 0 || digit > 9) return null;
        n = n * 10 + digit;
      }
      if (step.target === 0) year = n;
      else if (step.target === 1) month = n;
      else if (step.target === 2) day = n;
      else if (step.target === 3) hour = n;
      else if (step.target === 4) minute = n;
      else second = n;
    }
    if (year === 0 || hour > 23 || minute > 59 || second > 59) return null;
    const days = dayIfReal(year, month, day);
    return days === null ? null : new Timestamp(days, ((hour * 60 + minute) * 60 + second) * 1e6);
  };
}

function readParts(parts: readonly PatternPart[], pattern: string, text: string): ReadResult {
  const found: Record<string, number> = {};
  let at = 0;
  const mismatch = `does not have the form ${pattern}`;
  for (const { code, text: literal } of parts) {
    if (code === null) {
      if (!text.startsWith(literal, at)) return mismatch;
      at += literal.length;
      continue;
    }
    const kind = partKind(code)!;
    if (/^mon/i.test(code)) {
      const names = code.length === 5 ? MONTHS : MONTHS.map((m) => m.slice(0, 3));
      const index = names.findIndex((m) => text.slice(at, at + m.length).toLowerCase() === m.toLowerCase());
      if (index < 0) return mismatch;
      found[kind] = index + 1;
      at += names[index]!.length;
      continue;
    }
    if (kind === 'half of the day') {
      const word = text.slice(at, at + code.length).toLowerCase();
      if (!/^[ap]\.?m\.?$/.test(word) || word.length !== code.length) return mismatch;
      found[kind] = word.startsWith('p') ? 1 : 0;
      at += code.length;
      continue;
    }
    const [least, most] = READ_DIGITS[code]!;
    let end = at;
    while (end < text.length && end - at < most && text.charCodeAt(end) >= 48 && text.charCodeAt(end) <= 57) end++;
    if (end - at < least)
      return code === 'YYYY' && end > at ? `has a year of ${end - at} digits where ${pattern} wants four` : mismatch;
    const value = Number(text.slice(at, end));
    found[kind] = code === 'YY' ? (value < 70 ? 2000 + value : 1900 + value) : code === 'MS' ? value * 1000 : value;
    at = end;
    if (code === 'HH12' || code === 'HH') found['twelve'] = 1;
  }
  if (at < text.length) return mismatch;
  return assemble(found);
}

function assemble(found: Record<string, number>): ReadResult {
  const year = found['year']!;
  if (found['month'] === 0 || found['day'] === 0) return 'is not a date: day and month must be at least 1';
  if (year === 0) return 'is not a date: the year must be at least 1';
  let day: number | null;
  if (found['day of the year'] !== undefined) {
    const first = dayIfReal(year, 1, 1)!;
    day = first + found['day of the year'] - 1;
    if (found['day of the year'] < 1 || civilOf(day).year !== year)
      return 'is not a date: the day of the year is out of range';
  } else {
    const month = found['month']!;
    const dom = found['day']!;
    if (month > 12) return `is not a date: there is no month ${month}`;
    day = dayIfReal(year, month, dom);
    if (day === null) return `is not a date: ${MONTHS[month - 1]} ${year} has no day ${dom}`;
  }
  let hour = found['hour'] ?? 0;
  if (found['twelve']) {
    if (hour < 1 || hour > 12) return 'is no time: the hour must lie between 1 and 12';
    hour = (hour % 12) + (found['half of the day'] ?? 0) * 12;
  }
  const minute = found['minute'] ?? 0;
  const second = found['second'] ?? 0;
  if (hour > 23) return 'is no time: the hour must lie between 0 and 23';
  if (minute > 59 || second > 59) return 'is no time: minutes and seconds must lie between 0 and 59';
  return timestampOf(day, ((hour * 60 + minute) * 60 + second) * 1e6 + (found['fraction'] ?? 0));
}
