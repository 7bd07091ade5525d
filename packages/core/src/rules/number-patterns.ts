import * as D from '../fields/decimal.ts';
import type { Decimal } from '../fields/decimal.ts';

/**
 * PostgreSQL's patterns for numbers (src/backend/utils/adt/formatting.c, NUM_processor), for to_char and to_number. The locale
 * is C: decimal point, comma between groups, no currency symbol.
 */

type Part = { readonly code: string } | { readonly literal: string };
export interface NumberPattern {
  readonly parts: readonly Part[];
  readonly pre: number;
  readonly post: number;
  readonly multi: number;
  readonly sign: 'none' | 'before' | 'after';
  /** Digits before the decimal point when an S in front was met. */
  readonly preAtSign: number;
  readonly zeroStart: number;
  readonly zeroEnd: number;
  readonly has: ReadonlySet<Flag>;
}
type Flag = 'decimal' | 'fill' | 'locale sign' | 'minus' | 'plus' | 'bracket' | 'zero' | 'multi' | 'blank';

/** Longest first where one is the beginning of another. */
const CODES = ['EEEE', 'FM', 'MI', 'PL', 'PR', 'RN', 'SG', 'SP', 'TH', 'S', 'B', 'C', 'D', 'G', 'L', 'V'];
function codeAt(pattern: string, at: number): string | null {
  const c = pattern[at]!;
  if (',.09'.includes(c)) return c;
  for (const code of CODES) {
    const text = pattern.slice(at, at + code.length);
    if (text === code || text === code.toLowerCase()) return text === 'th' ? 'th' : code;
  }
  return null;
}

/** Throws Error with a sentence for a pattern that PostgreSQL refuses, or that is not supported. */
export function readNumberPattern(pattern: string): NumberPattern {
  const parts: Part[] = [];
  const has = new Set<Flag>();
  const found = {
    pre: 0,
    post: 0,
    multi: 0,
    sign: 'none' as NumberPattern['sign'],
    preAtSign: 0,
    zeroStart: 0,
    zeroEnd: 0,
  };
  const refuse = (what: string): never => {
    throw new Error(`The number pattern can't be used: ${what}.`);
  };
  const signed = (): void => {
    if (has.has('locale sign')) refuse('S and another sign exclude each other');
  };
  for (let at = 0; at < pattern.length;) {
    const code = codeAt(pattern, at);
    if (code === null) {
      if (pattern[at] === '"') {
        at++;
        while (at < pattern.length && pattern[at] !== '"') {
          if (pattern[at] === '\\' && at + 1 < pattern.length) at++;
          const c = String.fromCodePoint(pattern.codePointAt(at)!);
          parts.push({ literal: c });
          at += c.length;
        }
        at++;
      } else {
        if (pattern[at] === '\\' && pattern[at + 1] === '"') at++;
        const c = String.fromCodePoint(pattern.codePointAt(at)!);
        parts.push({ literal: c });
        at += c.length;
      }
      continue;
    }
    at += code.length;
    parts.push({ code });
    switch (code) {
      case '9':
        if (has.has('bracket')) refuse('9 must stand before PR');
        if (has.has('multi')) found.multi++;
        else if (has.has('decimal')) found.post++;
        else found.pre++;
        break;
      case '0':
        if (has.has('bracket')) refuse('0 must stand before PR');
        if (!has.has('zero') && !has.has('decimal')) {
          has.add('zero');
          found.zeroStart = found.pre + 1;
        }
        if (has.has('decimal')) found.post++;
        else found.pre++;
        found.zeroEnd = found.pre + found.post;
        break;
      case 'B':
        if (found.pre === 0 && found.post === 0 && !has.has('zero')) has.add('blank');
        break;
      case '.':
      case 'D':
        if (has.has('decimal')) refuse('it has two decimal points');
        if (has.has('multi')) refuse('V and a decimal point exclude each other');
        has.add('decimal');
        break;
      case 'FM':
        has.add('fill');
        break;
      case 'S':
        if (has.has('locale sign')) refuse('it has S twice');
        if (has.has('plus') || has.has('minus') || has.has('bracket')) refuse('S and another sign exclude each other');
        has.add('locale sign');
        if (!has.has('decimal')) {
          found.sign = 'before';
          found.preAtSign = found.pre;
        } else if (found.sign === 'none') found.sign = 'after';
        break;
      case 'MI':
        signed();
        has.add('minus');
        break;
      case 'PL':
        signed();
        has.add('plus');
        break;
      case 'SG':
        signed();
        has.add('minus').add('plus');
        break;
      case 'PR':
        if (has.has('locale sign') || has.has('plus') || has.has('minus'))
          refuse('PR and another sign exclude each other');
        has.add('bracket');
        break;
      case 'V':
        if (has.has('decimal')) refuse('V and a decimal point exclude each other');
        has.add('multi');
        break;
      case 'EEEE':
      case 'RN':
        throw new Error(`The number pattern ${code} is not supported.`);
      default:
    }
  }
  return { parts, has, ...found };
}

const ENDINGS = ['th', 'st', 'nd', 'rd'];
function ordinal(digits: string): string {
  const whole = digits.split('.')[0]!;
  const last = Number(whole.slice(-1));
  return whole.slice(-2, -1) === '1' && whole.length > 1 ? 'th' : (ENDINGS[last] ?? 'th');
}

/** to_char for an exact number. */
export class NotWritten extends Error {}
export function writeNumber(pattern: NumberPattern, value: Decimal): string | NotWritten {
  try {
    return new Writer(pattern, value).write();
  } catch (error) {
    if (error instanceof NotWritten) return error;
    throw error;
  }
}

class Writer {
  private out = '';
  private readonly number: string;
  private readonly sign: '+' | '-';
  private readonly spaces: number;
  private readonly has: Set<Flag>;
  private readonly zeroStart: number;
  private signAfter: boolean;
  private signWritten: boolean;
  private count: number;
  private at = 0;
  private current = 0;
  private inNumber = false;
  /** Index into the number of the last digit that counts; -1 for none. */
  private readonly relevant: number;

  constructor(
    private readonly pattern: NumberPattern,
    value: Decimal,
  ) {
    const { post, multi } = pattern;
    const pre = pattern.pre + multi;
    this.has = new Set(pattern.has);
    const scaled = multi > 0 ? D.multiplyDecimals(value, D.parseDecimal(`1${'0'.repeat(multi)}`)!) : value;
    const rounded = D.roundDecimal(scaled, post);
    const text = D.decimalText(rounded);
    const negative = text.startsWith('-');
    this.sign = negative ? '-' : '+';
    const digits = negative ? text.slice(1) : text;
    const whole = digits.split('.')[0]!.length;
    this.number = whole > pre ? `${'#'.repeat(pre)}.${'#'.repeat(post)}` : digits;
    this.spaces = whole < pre ? pre - whole : 0;
    this.zeroStart = pattern.zeroStart > 0 ? pattern.zeroStart - 1 : 0;
    this.signAfter = pattern.sign === 'after';
    if (this.has.has('plus') || this.has.has('minus'))
      this.signWritten = !(this.has.has('plus') && !this.has.has('minus'));
    else {
      if (this.sign !== '-' && this.has.has('bracket') && this.has.has('fill')) this.has.delete('bracket');
      this.signWritten = this.sign === '+' && this.has.has('fill') && !this.has.has('locale sign');
      if (pattern.sign === 'before' && pre === pattern.preAtSign) this.signAfter = true;
    }
    this.count = post + pre - 1;
    this.relevant = this.has.has('fill') && this.has.has('decimal') ? this.lastRelevant() : -1;
    if (!this.signWritten && this.spaces === 0) this.count++;
  }
  private lastRelevant(): number {
    const { number } = this;
    const point = number.indexOf('.');
    if (point < 0) return -1;
    let last = point;
    for (let i = point + 1; i < number.length; i++) if (number[i] !== '0') last = i;
    if (this.pattern.zeroEnd > this.spaces)
      last = Math.max(last, Math.min(number.length - 1, this.pattern.zeroEnd - this.spaces));
    return last;
  }

  write(): string {
    for (const part of this.pattern.parts) {
      if ('literal' in part) this.out += part.literal;
      else this.code(part.code);
    }
    const end = this.out.indexOf('\u0000');
    return end < 0 ? this.out : this.out.slice(0, end);
  }
  private code(code: string): void {
    const fill = this.has.has('fill');
    switch (code) {
      case '9':
      case '0':
      case '.':
      case 'D':
        return this.digit(code);
      case ',':
      case 'G':
        if (this.inNumber) this.out += ',';
        else if (!fill) this.out += ' ';
        return;
      case 'L':
        this.out += ' ';
        return;
      case 'MI':
        if (this.sign === '-') this.out += '-';
        else if (!fill) this.out += ' ';
        return;
      case 'PL':
        if (this.sign === '+') this.out += '+';
        else if (!fill) this.out += ' ';
        return;
      case 'SG':
        this.out += this.sign;
        return;
      case 'TH':
      case 'th': {
        if (this.number.startsWith('#') || this.sign === '-' || this.has.has('decimal')) return;
        if (!/\d$/.test(this.number)) throw new NotWritten('A pattern without digits has no ordinal.');
        const ending = ordinal(this.number);
        this.out += code === 'TH' ? ending.toUpperCase() : ending;
        return;
      }
      default:
    }
  }

  private beforePoint(): boolean {
    return !this.has.has('zero') && this.at === 0 && this.number[0] === '0' && this.pattern.post !== 0;
  }
  private relevantIsPoint(): boolean {
    return this.relevant >= 0 && this.number[this.relevant] === '.';
  }
  private digit(code: string): void {
    const { has } = this;
    const fill = has.has('fill');
    const zero = has.has('zero');
    this.inNumber = false;
    if (
      !this.signWritten &&
      (this.current >= this.spaces || (zero && this.zeroStart === this.current)) &&
      (!this.beforePoint() || this.relevantIsPoint())
    ) {
      if (has.has('locale sign')) {
        if (!this.signAfter) {
          this.out += this.sign;
          this.signWritten = true;
        }
      } else if (has.has('bracket')) {
        this.out += this.sign === '+' ? ' ' : '<';
        this.signWritten = true;
      } else if (this.sign === '+') {
        if (!fill) this.out += ' ';
        this.signWritten = true;
      } else {
        this.out += '-';
        this.signWritten = true;
      }
    }
    if (this.current < this.spaces && (this.zeroStart > this.current || !zero)) {
      if (!fill) this.out += ' ';
    } else if (zero && this.current < this.spaces && this.zeroStart <= this.current) {
      this.out += '0';
      this.inNumber = true;
    } else {
      const c = this.number[this.at];
      if (c === '.') {
        if (!this.relevantIsPoint() || fill) this.out += '.';
      } else if (this.relevant >= 0 && this.at > this.relevant && code !== '0') {
        // What does not count is left out.
      } else if (this.beforePoint()) {
        if (!fill) this.out += ' ';
        else if (this.relevantIsPoint()) this.out += '0';
      } else {
        // Behind the last digit there is the end of the text, and with it ends what is written.
        this.out += c ?? '\u0000';
        this.inNumber = true;
      }
      if (c !== undefined) this.at++;
    }
    let end = this.count + (this.spaces > 0 ? 1 : 0) + (has.has('decimal') ? 1 : 0);
    if (this.relevant >= 0 && this.relevant === this.at) end = this.current;
    if (this.current + 1 === end) {
      if (this.signWritten && has.has('bracket')) this.out += this.sign === '+' ? ' ' : '>';
      else if (has.has('locale sign') && this.signAfter) this.out += this.sign;
    }
    this.current++;
  }
}

/** to_number: gives the digits that it reads, for numeric's own input, and the numeric(p,s) that they must fit. */
export function readNumberBy(
  pattern: NumberPattern,
  text: string,
): { digits: string; precision: number; scale: number } | null {
  return new Reader(pattern, text).read();
}
class Reader {
  private at = 0;
  private sign = ' ';
  private digits = '';
  private readPre = 0;
  private readPost = 0;
  private readPoint = false;
  private readonly text: readonly string[];

  constructor(
    private readonly pattern: NumberPattern,
    text: string,
  ) {
    this.text = [...text];
  }
  private get over(): boolean {
    return this.at >= this.text.length;
  }
  read(): { digits: string; precision: number; scale: number } {
    const { pattern } = this;
    const fill = pattern.has.has('fill');
    for (const part of pattern.parts) {
      if (this.over) break;
      if ('literal' in part) {
        this.at++;
        continue;
      }
      const c = this.text[this.at];
      switch (part.code) {
        case '9':
        case '0':
        case '.':
        case 'D':
          this.digit(part.code);
          break;
        case ',':
        case 'G':
          // Before the first digit a group mark stands for nothing in fill mode.
          if (fill) continue;
          if (c !== ',') continue;
          break;
        case 'L':
          this.skip(1);
          continue;
        case 'TH':
        case 'th':
          if (pattern.has.has('decimal')) continue;
          this.skip(2);
          continue;
        case 'MI':
          if (c !== '-') {
            this.skip(1);
            continue;
          }
          this.sign = '-';
          break;
        case 'PL':
          if (c !== '+') {
            this.skip(1);
            continue;
          }
          this.sign = '+';
          break;
        case 'SG':
          if (c !== '-' && c !== '+') {
            this.skip(1);
            continue;
          }
          this.sign = c;
          break;
        default:
          continue;
      }
      this.at++;
    }
    const digits = this.digits.endsWith('.') ? this.digits.slice(0, -1) : this.digits;
    return {
      digits: `${this.sign}${digits}`,
      precision: pattern.pre + pattern.multi + this.readPost,
      scale: this.readPost,
    };
  }
  private skip(count: number): void {
    for (let i = 0; i < count && !this.over && !'0123456789.,+-'.includes(this.text[this.at]!); i++) this.at++;
  }
  private digit(code: string): void {
    const { has, sign } = this.pattern;
    let isRead = false;
    if (this.over) return;
    if (this.text[this.at] === ' ') this.at++;
    if (this.over) return;
    if (this.sign === ' ' && (code === '0' || code === '9') && this.readPre + this.readPost === 0) {
      const c = this.text[this.at];
      if (has.has('locale sign') && sign === 'before') {
        if (c === '-' || c === '+') {
          this.sign = c;
          this.at++;
        }
      } else if (c === '-' || (has.has('bracket') && c === '<')) {
        this.sign = '-';
        this.at++;
      } else if (c === '+') {
        this.sign = '+';
        this.at++;
      }
    }
    if (this.over) return;
    const c = this.text[this.at]!;
    if (/[0-9]/.test(c)) {
      if (this.readPoint && this.readPost === this.pattern.post) return;
      this.digits += c;
      if (this.readPoint) this.readPost++;
      else this.readPre++;
      isRead = true;
    } else if (has.has('decimal') && !this.readPoint && c === '.') {
      this.digits += '.';
      this.readPoint = true;
      isRead = true;
    }
    if (this.over) return;
    if (this.sign !== ' ' || this.readPre + this.readPost === 0) return;
    const next = this.text[this.at + 1];
    if (has.has('locale sign') && isRead && next !== undefined && !/[0-9]/.test(next)) {
      if (next === '-' || next === '+') {
        this.sign = next;
        this.at++;
      }
    } else if (!isRead && !has.has('locale sign') && (has.has('plus') || has.has('minus')) && (c === '-' || c === '+'))
      this.sign = c;
  }
}
