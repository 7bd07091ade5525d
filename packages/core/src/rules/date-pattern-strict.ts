import { civilOf, dayIfReal, Timestamp, timestampOf } from '../fields/dates.ts';
import { MONTHS, readPattern, type PatternPart } from './date-pattern.ts';

/** Dates and timestamps read strictly by a pattern, for parse_date and parse_timestamp. */

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
