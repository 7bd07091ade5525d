/** PostgreSQL's date patterns (formatting.c): their codes, and a pattern as its parts. */

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
