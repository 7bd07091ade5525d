import { civilOf, dayOfYear, isoWeek, isoWeekday, type Timestamp } from '../fields/dates.ts';
import { DAYS, MONTHS, type PatternPart } from './date-pattern.ts';

/** Dates and timestamps written by PostgreSQL's patterns (formatting.c), as to_char does. */

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
