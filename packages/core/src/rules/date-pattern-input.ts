import * as T from '../fields/dates.ts';
import { codeAt, DAYS, MONTHS } from './date-pattern.ts';

/**
 * to_date and to_timestamp as PostgreSQL reads (src/backend/utils/adt/formatting.c, DCH_from_char and do_to_timestamp): with
 * all its leniency, which the strict readers are there to avoid.
 */

interface Node {
  readonly kind: 'code' | 'separator' | 'space' | 'character';
  readonly text: string;
  readonly fill: boolean;
  readonly ordinal: boolean;
}
const REFUSED = new Set(['TZ', 'tz', 'TZH', 'TZM', 'OF', 'RM', 'rm']);

/** Throws Error with a sentence for letters that are not supported. */
export function readInputPattern(pattern: string): readonly Node[] {
  const nodes: Node[] = [];
  const plain = (kind: Node['kind'], text: string): void =>
    void nodes.push({ kind, text, fill: false, ordinal: false });
  for (let at = 0; at < pattern.length;) {
    let fill = false;
    if (/^(FM|fm)/.test(pattern.slice(at, at + 2))) {
      fill = true;
      at += 2;
    } else if (/^(TM|tm|FX|fx)/.test(pattern.slice(at, at + 2)))
      throw new Error(`The pattern letters ${pattern.slice(at, at + 2)} are not supported.`);
    if (at >= pattern.length) break;
    const code = codeAt(pattern, at);
    if (code !== null) {
      if (REFUSED.has(code)) throw new Error(`The pattern letters ${code} can't be read.`);
      at += code.length;
      let ordinal = false;
      if (/^(TH|th)/.test(pattern.slice(at, at + 2))) {
        ordinal = true;
        at += 2;
      } else if (/^(SP|sp)/.test(pattern.slice(at, at + 2)))
        throw new Error('The pattern letters SP are not supported.');
      nodes.push({ kind: 'code', text: code, fill, ordinal });
      continue;
    }
    if (pattern[at] === '"') {
      at++;
      while (at < pattern.length && pattern[at] !== '"') {
        if (pattern[at] === '\\' && at + 1 < pattern.length) at++;
        const c = String.fromCodePoint(pattern.codePointAt(at)!);
        plain('character', c);
        at += c.length;
      }
      at++;
      continue;
    }
    if (pattern[at] === '\\' && pattern[at + 1] === '"') at++;
    const c = String.fromCodePoint(pattern.codePointAt(at)!);
    plain(isSeparator(c) ? 'separator' : isSpace(c) ? 'space' : 'character', c);
    at += c.length;
  }
  return nodes;
}
const isSpace = (c: string | undefined): boolean => c !== undefined && /[ \t\n\v\f\r]/.test(c);
const isSeparator = (c: string | undefined): boolean => c !== undefined && /^[!-/:-@[-`{-~]$/.test(c);

/** How many characters a part takes where the next part is digits, too. */
const WIDTHS: Record<string, number> = {
  YYYY: 4,
  IYYY: 4,
  YYY: 3,
  IYY: 3,
  YY: 2,
  IY: 2,
  Y: 1,
  I: 1,
  MM: 2,
  DD: 2,
  DDD: 3,
  IDDD: 3,
  D: 1,
  ID: 1,
  HH: 2,
  HH12: 2,
  HH24: 2,
  MI: 2,
  SS: 2,
  SSSS: 4,
  SSSSS: 5,
  MS: 3,
  US: 6,
  FF1: 1,
  FF2: 2,
  FF3: 3,
  FF4: 4,
  FF5: 5,
  FF6: 6,
  WW: 2,
  IW: 2,
  W: 1,
  Q: 1,
  CC: 2,
  J: 1,
};
const GREGORIAN = /^(DDD|DD|D|MM|MON|MONTH|WW|W|Y|YY|YYY|YYYY|Y,YYY)$/i;
const WEEKS = /^(IDDD|ID|IW|I|IY|IYY|IYYY)$/i;
const isDigits = (code: string): boolean => code in WIDTHS || code === 'Y,YYY';

type Fields = Record<
  | 'year'
  | 'mm'
  | 'dd'
  | 'ddd'
  | 'd'
  | 'ww'
  | 'w'
  | 'cc'
  | 'j'
  | 'hh'
  | 'mi'
  | 'ss'
  | 'ssss'
  | 'ms'
  | 'us'
  | 'pm'
  | 'bc',
  number
>;

export function readByPattern(nodes: readonly Node[], text: string): T.Timestamp | string {
  return new DateReader(nodes, text).read();
}

class Wrong extends Error {}

class DateReader {
  private at = 0;
  private readonly f: Fields = {
    year: 0,
    mm: 0,
    dd: 0,
    ddd: 0,
    d: 0,
    ww: 0,
    w: 0,
    cc: 0,
    j: 0,
    hh: 0,
    mi: 0,
    ss: 0,
    ssss: 0,
    ms: 0,
    us: 0,
    pm: 0,
    bc: 0,
  };
  private yearSize = 0;
  private twelve = false;
  private mode: 'none' | 'gregorian' | 'weeks' = 'none';

  constructor(
    private readonly nodes: readonly Node[],
    private readonly text: string,
  ) {}

  read(): T.Timestamp | string {
    try {
      this.scan();
      return this.assembled();
    } catch (error) {
      if (error instanceof Wrong) return error.message;
      throw error;
    }
  }

  private spaces(): number {
    const from = this.at;
    while (isSpace(this.text[this.at])) this.at++;
    return this.at - from;
  }
  private character(): void {
    this.at += String.fromCodePoint(this.text.codePointAt(this.at) ?? 0).length;
  }
  private scan(): void {
    let extra = 0;
    for (const [i, node] of this.nodes.entries()) {
      if (this.at >= this.text.length) return;
      if (node.kind === 'code' || i === 0) extra += this.spaces();
      if (node.kind === 'space' || node.kind === 'separator') {
        extra--;
        if (isSpace(this.text[this.at]) || isSeparator(this.text[this.at])) {
          this.at++;
          extra++;
        }
        continue;
      }
      if (node.kind === 'character') {
        if (extra > 0) extra--;
        else this.character();
        continue;
      }
      this.field(node, this.nodes[i + 1]);
      extra = this.spaces();
    }
  }

  private set(name: keyof Fields, value: number): void {
    if (this.f[name] !== 0 && this.f[name] !== value) throw new Wrong('has two different values for the same part');
    this.f[name] = value;
  }
  private word(names: readonly string[], what: string): number {
    const rest = this.text.slice(this.at).toLowerCase();
    const index = names.findIndex((name) => rest.startsWith(name.toLowerCase()));
    if (index < 0) throw new Wrong(`has no ${what} where the pattern wants one`);
    this.at += names[index]!.length;
    return index;
  }
  /** An integer; gives how many characters it took. Where digits of another part follow, it takes its own width. */
  private integer(node: Node, next: Node | undefined, name: keyof Fields | null): { length: number; value: number } {
    const width = WIDTHS[node.text]!;
    const start = this.at;
    this.spaces();
    const slurp = node.fill || node.ordinal || endsDigits(next);
    const rest = this.text.slice(slurp ? start : this.at);
    const candidate = slurp ? rest : rest.slice(0, width);
    if (!slurp && byteLength(rest) < width) throw new Wrong(`is too short for ${node.text}`);
    const found = /^[ \t\n\v\f\r]*[+-]?\d+/.exec(candidate)?.[0] ?? '';
    if (slurp) this.at = start + found.length;
    else {
      if (found.length > 0 && found.length < width) throw new Wrong(`has too few digits for ${node.text}`);
      this.at += found.length;
    }
    if (found === '') throw new Wrong(`has no number where the pattern wants ${node.text}`);
    const value = Number(found);
    if (Math.abs(value) > 2147483647 && value !== -2147483648)
      throw new Wrong(`has a number that is out of range for ${node.text}`);
    if (name !== null) this.set(name, value + 0);
    return { length: this.at - start, value: value + 0 };
  }
  private ordinal(node: Node): void {
    if (node.ordinal) this.at = Math.min(this.text.length, this.at + 2);
  }

  private field(node: Node, next: Node | undefined): void {
    const code = node.text;
    const mode = GREGORIAN.test(code) ? 'gregorian' : WEEKS.test(code) ? 'weeks' : 'none';
    if (mode !== 'none') {
      if (this.mode !== 'none' && this.mode !== mode) throw new Wrong('mixes weeks of ISO 8601 with months');
      this.mode = mode;
    }
    const year = (size: number): void => {
      const { length, value } = this.integer(node, next, null);
      this.set('year', value);
      if (size < 4 && length < 4) this.f.year = fullYear(value);
      this.yearSize = size;
      this.ordinal(node);
    };
    switch (code.toUpperCase()) {
      case 'A.M.':
      case 'P.M.':
        this.set('pm', this.word(['a.m.', 'p.m.'], 'a.m. or p.m.') % 2);
        this.twelve = true;
        return;
      case 'AM':
      case 'PM':
        this.set('pm', this.word(['am', 'pm'], 'AM or PM') % 2);
        this.twelve = true;
        return;
      case 'A.D.':
      case 'B.C.':
        this.set('bc', this.word(['a.d.', 'b.c.'], 'A.D. or B.C.') % 2);
        return;
      case 'AD':
      case 'BC':
        this.set('bc', this.word(['ad', 'bc'], 'AD or BC') % 2);
        return;
      case 'MONTH':
        this.set('mm', this.word(MONTHS, 'name of a month') + 1);
        return;
      case 'MON':
        this.set(
          'mm',
          this.word(
            MONTHS.map((m) => m.slice(0, 3)),
            'name of a month',
          ) + 1,
        );
        return;
      case 'DAY':
        this.set('d', this.word(DAYS, 'name of a day'));
        this.f.d++;
        return;
      case 'DY':
        this.set(
          'd',
          this.word(
            DAYS.map((d) => d.slice(0, 3)),
            'name of a day',
          ),
        );
        this.f.d++;
        return;
      case 'HH':
      case 'HH12':
        this.integer(node, next, 'hh');
        this.twelve = true;
        return this.ordinal(node);
      case 'HH24':
        this.integer(node, next, 'hh');
        return this.ordinal(node);
      case 'MI':
        this.integer(node, next, 'mi');
        return this.ordinal(node);
      case 'SS':
        this.integer(node, next, 'ss');
        return this.ordinal(node);
      case 'SSSS':
      case 'SSSSS':
        this.integer(node, next, 'ssss');
        return this.ordinal(node);
      case 'MS': {
        const { length } = this.integer(node, next, 'ms');
        this.f.ms *= length === 1 ? 100 : length === 2 ? 10 : 1;
        return this.ordinal(node);
      }
      case 'US':
      case 'FF1':
      case 'FF2':
      case 'FF3':
      case 'FF4':
      case 'FF5':
      case 'FF6': {
        const { length } = this.integer(node, next, 'us');
        this.f.us *= 10 ** Math.max(0, 6 - length);
        return this.ordinal(node);
      }
      case 'MM':
        this.integer(node, next, 'mm');
        return this.ordinal(node);
      case 'DDD':
      case 'IDDD':
        this.integer(node, next, 'ddd');
        return this.ordinal(node);
      case 'DD':
        this.integer(node, next, 'dd');
        return this.ordinal(node);
      case 'D':
        this.integer(node, next, 'd');
        return this.ordinal(node);
      case 'ID':
        this.integer(node, next, 'd');
        if (++this.f.d > 7) this.f.d = 1;
        return this.ordinal(node);
      case 'WW':
      case 'IW':
        this.integer(node, next, 'ww');
        return this.ordinal(node);
      case 'W':
        this.integer(node, next, 'w');
        return this.ordinal(node);
      case 'Q':
        this.integer(node, next, null);
        return this.ordinal(node);
      case 'CC':
        this.integer(node, next, 'cc');
        return this.ordinal(node);
      case 'J':
        this.integer(node, next, 'j');
        return this.ordinal(node);
      case 'Y,YYY': {
        const found = /^[ \t\n\v\f\r]*([+-]?\d+),[ \t\n\v\f\r]*([+-]?\d{1,3})/.exec(this.text.slice(this.at));
        if (!found) throw new Wrong('has no year with a comma');
        this.set('year', Number(found[1]) * 1000 + Number(found[2]));
        this.yearSize = 4;
        this.at += found[0].length;
        return this.ordinal(node);
      }
      case 'YYYY':
      case 'IYYY':
        return year(4);
      case 'YYY':
      case 'IYY':
        return year(3);
      case 'YY':
      case 'IY':
        return year(2);
      default:
        return year(1);
    }
  }

  private assembled(): T.Timestamp | string {
    const { f } = this;
    let hour = 0;
    let minute = 0;
    let second = 0;
    if (f.ssss !== 0) {
      hour = Math.trunc(f.ssss / 3600);
      minute = Math.trunc((f.ssss % 3600) / 60);
      second = f.ssss % 60;
    }
    if (f.ss !== 0) second = f.ss;
    if (f.mi !== 0) minute = f.mi;
    if (f.hh !== 0) hour = f.hh;
    if (this.twelve) {
      if (hour < 1 || hour > 12) return 'has an hour that is none of a clock of twelve';
      if (f.pm !== 0 && hour < 12) hour += 12;
      else if (f.pm === 0 && hour === 12) hour = 0;
    }
    let year = 0;
    let month = 1;
    let day = 1;
    const known = { year: false, month: false, day: false };
    if (f.year !== 0) {
      year = this.yearOf();
      known.year = true;
    } else if (f.cc !== 0) {
      const cc = f.bc ? -f.cc : f.cc;
      year = word(cc >= 0 ? (cc - 1) * 100 + 1 : cc * 100 + 1);
      known.year = true;
    }
    const toDate = (days: number): void => {
      ({ year, month, day } = T.civilOf(days));
      known.year = known.month = known.day = true;
    };
    if (f.j !== 0) toDate(f.j - 2440588);
    if (f.ww !== 0) {
      if (this.mode === 'weeks') {
        const monday = weekStart(year, f.ww);
        toDate(f.d === 0 ? monday : monday + (f.d > 1 ? f.d - 2 : 6));
      } else f.ddd = word((f.ww - 1) * 7 + 1);
    }
    if (f.w !== 0) f.dd = word((f.w - 1) * 7 + 1);
    if (f.dd !== 0) {
      day = f.dd;
      known.day = true;
    }
    if (f.mm !== 0) {
      month = f.mm;
      known.month = true;
    }
    if (f.ddd !== 0 && (month <= 1 || day <= 1)) {
      if (year === 0 && !f.bc) return 'has a day of the year, but no year';
      if (this.mode === 'weeks') toDate(weekStart(year, 1) - 1 + f.ddd);
      else {
        const ends = yearDays(T.isLeap(year));
        let i = 1;
        while (i <= 12 && f.ddd > ends[i]!) i++;
        if (month <= 1) month = i;
        if (day <= 1) day = f.ddd - ends[i - 1]!;
        known.month = known.day = true;
      }
    }
    const micros = f.ms * 1000 + f.us;
    if (known.month && (month < 1 || month > 12)) return 'has a month that is none';
    if (known.day && (day < 1 || day > 31)) return 'has a day that is none';
    if (known.year && known.month && known.day && day > T.daysInMonth(year, month))
      return 'has a day that its month has not';
    if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 59 || micros < 0 || micros >= 1e6)
      return 'has a time of day that is none';
    if (year < -4713 || (year === -4713 && month < 11) || year > 5874898) return 'is out of range';
    const days = T.dayOf(year, month, day);
    if (days < T.MIN_DAY || days > T.MAX_DAY) return 'is out of range';
    return new T.Timestamp(days, ((hour * 60 + minute) * 60 + second) * 1e6 + micros);
  }
  private yearOf(): number {
    const { f } = this;
    if (f.cc !== 0 && this.yearSize <= 2) {
      const cc = f.bc ? -f.cc : f.cc;
      const within = f.year % 100;
      if (within === 0) return word(cc * 100 + (cc >= 0 ? 0 : 1));
      return word(cc >= 0 ? within + (cc - 1) * 100 : (cc + 1) * 100 - within + 1);
    }
    const year = f.bc ? -f.year : f.year;
    return year < 0 ? year + 1 : year;
  }
}

/** What runs over a machine word of 32 bits is refused. */
function word(value: number): number {
  if (Math.abs(value) > 2147483647) throw new Wrong('is out of range');
  return value;
}
/** is_next_separator: whether what follows can't be more digits of the same number. */
function endsDigits(next: Node | undefined): boolean {
  if (next === undefined) return true;
  return next.kind === 'code' ? !isDigits(next.text) : !/^[0-9]$/.test(next.text);
}
function byteLength(text: string): number {
  return new TextEncoder().encode(text).length;
}
/** adjust_partial_year_to_2020. */
function fullYear(year: number): number {
  if (year < 70) return year + 2000;
  if (year < 100) return year + 1900;
  if (year < 520) return year + 2000;
  return year < 1000 ? year + 1000 : year;
}
function weekStart(year: number, week: number): number {
  const fourth = T.dayOf(year, 1, 4);
  return fourth - (T.isoWeekday(fourth) - 1) + (week - 1) * 7;
}
function yearDays(leap: boolean): number[] {
  const ends = [0];
  for (let month = 1; month <= 12; month++) ends.push(ends[month - 1]! + T.daysInMonth(leap ? 2024 : 2023, month));
  // Beyond December there is no end.
  return [...ends, Infinity];
}
