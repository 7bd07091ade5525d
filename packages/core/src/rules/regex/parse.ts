/**
 * PostgreSQL's advanced regular expressions (PostgreSQL, “POSIX Regular Expressions”; src/backend/regex/regcomp.c): text to
 * syntax tree. Back references and what only other flavours have are refused. Throws Error with a sentence.
 */

export interface RegexFlags {
  readonly insensitive: boolean;
  /** `.` and negated brackets don't match a line feed. */
  readonly newlineStops: boolean;
  /** `^` and `$` also match around line feeds. */
  readonly newlineAnchors: boolean;
  /** White space and comments in the pattern are left out. */
  readonly expanded: boolean;
  /** The pattern is plain text. */
  readonly literal: boolean;
}
/** Which end a part prefers when there are several: 0 none, 1 the farthest, 2 the nearest. */
export type Preference = 0 | 1 | 2;
export const LONGER = 1;
export const SHORTER = 2;

export type Test = (code: number) => boolean;
export type Atom =
  | { readonly kind: 'set'; readonly test: Test }
  | { readonly kind: 'group'; readonly re: Branches; readonly capture: number }
  | { readonly kind: 'assert'; readonly assert: Assertion };
export type Assertion =
  | {
      readonly at: 'start' | 'end' | 'line start' | 'line end' | 'word start' | 'word end' | 'boundary' | 'no boundary';
    }
  | { readonly at: 'look'; readonly behind: boolean; readonly negated: boolean; readonly re: Branches };
export interface Item {
  readonly atom: Atom;
  readonly min: number;
  readonly max: number;
  readonly prefers: Preference;
}
export type Branches = readonly (readonly Item[])[];
export interface Pattern {
  readonly branches: Branches;
  readonly captures: number;
  readonly flags: RegexFlags;
}

/** The letters that functions take as flags; `g` is left to them. */
export function readFlags(letters: string): RegexFlags {
  const flags = {
    insensitive: false,
    newlineStops: false,
    newlineAnchors: false,
    expanded: false,
    literal: false,
  };
  for (const letter of letters)
    switch (letter) {
      case 'i':
        flags.insensitive = true;
        break;
      case 'c':
        flags.insensitive = false;
        break;
      case 'n':
      case 'm':
        flags.newlineStops = flags.newlineAnchors = true;
        break;
      case 'p':
        flags.newlineStops = true;
        flags.newlineAnchors = false;
        break;
      case 'w':
        flags.newlineStops = false;
        flags.newlineAnchors = true;
        break;
      case 's':
        flags.newlineStops = flags.newlineAnchors = false;
        break;
      case 'x':
        flags.expanded = true;
        break;
      case 't':
        flags.expanded = false;
        break;
      case 'q':
        flags.literal = true;
        break;
      default:
        throw new Error(`The option “${letter}” of a regular expression is not supported.`);
    }
  return flags;
}

export function parseRegex(pattern: string, given: RegexFlags): Pattern {
  let text = pattern;
  let flags = given;
  if (!flags.literal && text.startsWith('***')) {
    if (text.startsWith('***:')) text = text.slice(4);
    else if (text.startsWith('***=')) {
      text = text.slice(4);
      flags = { ...flags, literal: true };
    } else throw invalid('quantifier operand invalid');
  }
  if (!flags.literal) {
    const options = /^\(\?([a-zA-Z]+)\)/.exec(text);
    if (options) {
      flags = merged(flags, options[1]!);
      text = text.slice(options[0].length);
    }
  }
  if (flags.literal) {
    const items = [...text].map((c) => once({ kind: 'set', test: exactly(c.codePointAt(0)!, flags) }));
    return { branches: [items], captures: 0, flags };
  }
  return new Parser([...text], flags).whole();
}
function merged(flags: RegexFlags, letters: string): RegexFlags {
  let result = flags;
  for (const letter of letters) {
    const one = readFlags(letter);
    if ('ic'.includes(letter)) result = { ...result, insensitive: one.insensitive };
    else if ('xt'.includes(letter)) result = { ...result, expanded: one.expanded };
    else if (letter === 'q') result = { ...result, literal: true };
    else result = { ...result, newlineStops: one.newlineStops, newlineAnchors: one.newlineAnchors };
  }
  return result;
}

const invalid = (what: string): Error => new Error(`This is not a valid regular expression: ${what}.`);
const once = (atom: Atom): Item => ({ atom, min: 1, max: 1, prefers: 0 });

/* ---- characters ---- */

/** Digits of other scripts count as letters, not as digits. */
const ALPHA = /[\p{Alphabetic}\p{Nd}]/u;
/** Blanks that must not be broken at are none (U+00A0, U+2007, U+202F). */
const SPACE = /[\u0085\u2000-\u2006\u2008-\u200a\u2028\u2029\u205f\u3000]/u;
const UPPER = /\p{Uppercase}/u;
const LOWER = /\p{Lowercase}/u;
const PUNCTUATION = /[\p{P}\p{S}]/u;
const by =
  (ascii: (c: number) => boolean, other: RegExp | null): Test =>
  (c) =>
    c < 128 ? ascii(c) : other !== null && other.test(String.fromCodePoint(c));
const digit = (c: number): boolean => c >= 48 && c <= 57;
const upper = (c: number): boolean => c >= 65 && c <= 90;
const lower = (c: number): boolean => c >= 97 && c <= 122;
const space = (c: number): boolean => c === 32 || (c >= 9 && c <= 13);
const isAlpha = by((c) => upper(c) || lower(c), ALPHA);
const isSpace = by(space, SPACE);
const isDigit = by(digit, null);
export const isWord: Test = (c) => c === 95 || digit(c) || isAlpha(c);
export const isLetterOrDigit: Test = (c) => digit(c) || isAlpha(c);
const CLASSES: Readonly<Record<string, Test>> = {
  alpha: isAlpha,
  alnum: isLetterOrDigit,
  digit: isDigit,
  space: isSpace,
  upper: by(upper, UPPER),
  lower: by(lower, LOWER),
  punct: by((c) => c > 32 && c < 127 && !digit(c) && !upper(c) && !lower(c), PUNCTUATION),
  xdigit: by((c) => digit(c) || (c >= 65 && c <= 70) || (c >= 97 && c <= 102), null),
  blank: (c) => c === 32 || c === 9,
  word: isWord,
  ascii: (c) => c < 128,
};
export const anything: Test = () => true;
const single = (text: string): number | null => ([...text].length === 1 ? text.codePointAt(0)! : null);
/** The other case of a character, where it has just one. */
function otherCase(c: number): number | null {
  const text = String.fromCodePoint(c);
  const up = single(text.toUpperCase());
  if (up !== null && up !== c) return up;
  const down = single(text.toLowerCase());
  return down !== null && down !== c ? down : null;
}
function exactly(code: number, { insensitive }: RegexFlags): Test {
  if (!insensitive) return (c) => c === code;
  const other = otherCase(code);
  return other === null ? (c) => c === code : (c) => c === code || c === other;
}

/* ---- syntax ---- */

const MAX_REPEAT = 255;
const MAX_LENGTH = 10_000;
const MAX_DEPTH = 100;
const CONTROL: Readonly<Record<string, number>> = { a: 7, b: 8, e: 27, f: 12, n: 10, r: 13, t: 9, v: 11, B: 92 };

class Parser {
  private at = 0;
  private captures = 0;
  private depth = 0;
  /** Within a look around, brackets capture nothing. */
  private looking = false;

  constructor(
    private readonly text: readonly string[],
    private readonly flags: RegexFlags,
  ) {
    if (text.length > MAX_LENGTH)
      throw new Error(`The regular expression is longer than ${MAX_LENGTH.toLocaleString('en-GB')} characters.`);
  }

  whole(): Pattern {
    const branches = this.branches();
    if (this.at < this.text.length) throw invalid('parentheses () not balanced');
    return { branches, captures: this.captures, flags: this.flags };
  }

  private peek(ahead = 0): string | undefined {
    if (this.flags.expanded) this.skipExpanded();
    return this.text[this.at + ahead];
  }
  private skipExpanded(): void {
    for (;;) {
      const c = this.text[this.at];
      if (c !== undefined && /\s/.test(c)) this.at++;
      else if (c === '#') while (this.at < this.text.length && this.text[this.at] !== '\n') this.at++;
      else return;
    }
  }
  private follows(text: string): boolean {
    return this.text.slice(this.at, this.at + text.length).join('') === text;
  }

  private branches(): Branches {
    if (++this.depth > MAX_DEPTH)
      throw new Error(`The regular expression is nested more than ${MAX_DEPTH} levels deep.`);
    const found: Item[][] = [this.branch()];
    while (this.peek() === '|') {
      this.at++;
      found.push(this.branch());
    }
    this.depth--;
    return found;
  }
  private branch(): Item[] {
    const items: Item[] = [];
    for (let c = this.peek(); c !== undefined && c !== '|' && c !== ')'; c = this.peek()) items.push(this.item());
    // An unbalanced bracket at the top is told apart by whoever asked.
    return items;
  }

  private item(): Item {
    const atom = this.atom();
    if (atom.kind === 'assert') {
      const next = this.peek();
      if (next !== undefined && ('*+?'.includes(next) || (next === '{' && digitAt(this.text[this.at + 1]))))
        throw invalid('quantifier operand invalid');
      return once(atom);
    }
    const { min, max, prefers } = this.quantifier();
    const next = this.peek();
    if (
      !(min === 1 && max === 1 && prefers === 0) &&
      next !== undefined &&
      ('*+?'.includes(next) || (next === '{' && digitAt(this.text[this.at + 1])))
    )
      throw invalid('quantifier operand invalid');
    return { atom, min, max, prefers };
  }
  private quantifier(): { min: number; max: number; prefers: Preference } {
    const c = this.peek();
    const range = (min: number, max: number): { min: number; max: number; prefers: Preference } => {
      this.at++;
      return { min, max, prefers: this.preference() };
    };
    if (c === '*') return range(0, Infinity);
    if (c === '+') return range(1, Infinity);
    if (c === '?') return range(0, 1);
    if (c !== '{' || !digitAt(this.text[this.at + 1])) return { min: 1, max: 1, prefers: 0 };
    const end = this.text.indexOf('}', this.at);
    const found = /^(\d{1,3})(?:(,)(\d{0,3}))?$/.exec(this.text.slice(this.at + 1, end < 0 ? undefined : end).join(''));
    if (end < 0 || !found) throw invalid('invalid repetition count(s)');
    const min = Number(found[1]);
    const max = found[2] === undefined ? min : found[3] === '' ? Infinity : Number(found[3]);
    if (min > MAX_REPEAT || (max !== Infinity && max > MAX_REPEAT) || min > max)
      throw invalid('invalid repetition count(s)');
    this.at = end + 1;
    const prefers = this.preference();
    return { min, max, prefers: found[2] === undefined ? 0 : prefers };
  }
  private preference(): Preference {
    if (this.text[this.at] !== '?') return LONGER;
    this.at++;
    return SHORTER;
  }

  private atom(): Atom {
    const c = this.peek()!;
    this.at++;
    switch (c) {
      case '(':
        return this.group();
      case '[':
        return this.bracket();
      case '.':
        return { kind: 'set', test: this.flags.newlineStops ? (x) => x !== 10 : anything };
      case '^':
        return { kind: 'assert', assert: { at: this.flags.newlineAnchors ? 'line start' : 'start' } };
      case '$':
        return { kind: 'assert', assert: { at: this.flags.newlineAnchors ? 'line end' : 'end' } };
      case '\\':
        return this.escape();
      case '*':
      case '+':
      case '?':
        throw invalid('quantifier operand invalid');
      case '{':
        if (digitAt(this.text[this.at])) throw invalid('quantifier operand invalid');
        break;
      default:
    }
    return { kind: 'set', test: exactly(c.codePointAt(0)!, this.flags) };
  }

  private group(): Atom {
    let capture = 0;
    let look: { behind: boolean; negated: boolean } | null = null;
    if (this.text[this.at] === '?') {
      if (this.follows('?:')) this.at += 2;
      else if (this.follows('?#')) {
        const end = this.text.indexOf(')', this.at);
        if (end < 0) throw invalid('parentheses () not balanced');
        this.at = end + 1;
        // A comment stands for nothing, and what follows it is what it was.
        return { kind: 'group', re: [[]], capture: 0 };
      } else {
        const found = /^\?(<?)([=!])/.exec(this.text.slice(this.at, this.at + 3).join(''));
        if (!found) throw invalid('quantifier operand invalid');
        look = { behind: found[1] === '<', negated: found[2] === '!' };
        this.at += found[0].length;
      }
    } else if (!this.looking) capture = ++this.captures;
    const before = this.looking;
    this.looking ||= look !== null;
    const re = this.branches();
    this.looking = before;
    if (this.peek() !== ')') throw invalid('parentheses () not balanced');
    this.at++;
    return look === null ? { kind: 'group', re, capture } : { kind: 'assert', assert: { at: 'look', ...look, re } };
  }

  private escape(): Atom {
    const c = this.text[this.at];
    if (c === undefined) throw invalid('invalid escape \\ sequence');
    const shorthand = SHORTHAND[c];
    const negatedStops = this.flags.newlineStops;
    if (shorthand) {
      this.at++;
      const negated = c === c.toUpperCase();
      return {
        kind: 'set',
        test: negated ? (x) => !shorthand(x) && !(negatedStops && x === 10) : shorthand,
      };
    }
    const place = PLACES[c];
    if (place) {
      this.at++;
      return { kind: 'assert', assert: { at: place } };
    }
    return { kind: 'set', test: exactly(this.escaped(), this.flags) };
  }
  /** The character that an escape stands for; `at` is behind the backslash. */
  private escaped(): number {
    const c = this.text[this.at++];
    if (c === undefined) throw invalid('invalid escape \\ sequence');
    if (!/[A-Za-z0-9]/.test(c)) return c.codePointAt(0)!;
    const control = CONTROL[c];
    if (control !== undefined) return control;
    const hex = (length: number): number => {
      const digits = this.text.slice(this.at, this.at + length).join('');
      if (digits.length < length || !/^[0-9A-Fa-f]+$/.test(digits)) throw invalid('invalid escape \\ sequence');
      this.at += length;
      return parseInt(digits, 16);
    };
    switch (c) {
      case 'c': {
        const next = this.text[this.at++];
        if (next === undefined) throw invalid('invalid escape \\ sequence');
        return next.codePointAt(0)! & 31;
      }
      case 'u':
        return hex(4);
      case 'U':
        return validPoint(hex(8));
      case 'x': {
        const digits = /^[0-9A-Fa-f]+/.exec(this.text.slice(this.at).join(''))?.[0];
        if (digits === undefined) throw invalid('invalid escape \\ sequence');
        this.at += digits.length;
        return validPoint(parseInt(digits, 16));
      }
      case '0': {
        const digits = /^[0-7]{0,2}/.exec(this.text.slice(this.at).join(''))![0];
        this.at += digits.length;
        return parseInt(`0${digits}`, 8);
      }
      default:
        if (/[1-9]/.test(c)) throw new Error('Back references in a regular expression are not supported.');
        throw invalid('invalid escape \\ sequence');
    }
  }

  private bracket(): Atom {
    const { insensitive, newlineStops } = this.flags;
    // Word boundaries in the notation of old.
    if (this.follows('[:<:]]') || this.follows('[:>:]]')) {
      const at = this.text[this.at + 2] === '<' ? ('word start' as const) : ('word end' as const);
      this.at += 6;
      return { kind: 'assert', assert: { at } };
    }
    const negated = this.text[this.at] === '^';
    if (negated) this.at++;
    const tests: Test[] = [];
    for (let first = true; ; first = false) {
      const c = this.text[this.at];
      if (c === undefined) throw invalid('brackets [] not balanced');
      if (c === ']' && !first) {
        this.at++;
        break;
      }
      tests.push(this.bracketPart(first));
    }
    const plain: Test = (c) => tests.some((test) => test(c));
    const either: Test = insensitive
      ? (c) => {
          if (plain(c)) return true;
          const other = otherCase(c);
          return other !== null && plain(other);
        }
      : plain;
    return { kind: 'set', test: negated ? (c) => !either(c) && !(newlineStops && c === 10) : either };
  }
  private bracketPart(first: boolean): Test {
    const { insensitive } = this.flags;
    if (this.follows('[:')) {
      const end = this.text.slice(this.at).join('').indexOf(':]');
      const name = this.text.slice(this.at + 2, this.at + Math.max(2, end)).join('');
      const test = end < 0 || !Object.hasOwn(CLASSES, name) ? null : CLASSES[name]!;
      if (!test) throw invalid('invalid character class');
      this.at += [...`[:${name}:]`].length;
      return insensitive && (name === 'lower' || name === 'upper') ? isAlpha : test;
    }
    if (this.follows('[.') || this.follows('[='))
      throw new Error('Collating elements such as [. .] in a regular expression are not supported.');
    if (this.text[this.at] === '\\') {
      const shorthand = SHORTHAND[this.text[this.at + 1] ?? ''];
      if (shorthand) {
        const negated = /[A-Z]/.test(this.text[this.at + 1]!);
        this.at += 2;
        return negated ? (c) => !shorthand(c) : shorthand;
      }
    }
    const from = this.bracketPoint(first);
    if (this.text[this.at] !== '-' || this.text[this.at + 1] === ']' || this.text[this.at + 1] === undefined)
      return (c) => c === from;
    this.at++;
    if (this.follows('[')) throw invalid('invalid character range');
    const to = this.bracketPoint(false);
    if (to < from) throw invalid('invalid character range');
    return (c) => c >= from && c <= to;
  }
  private bracketPoint(first: boolean): number {
    const c = this.text[this.at++]!;
    if (c === '-' && !first && this.text[this.at] !== ']') throw invalid('invalid character range');
    if (c !== '\\') return c.codePointAt(0)!;
    if (/[dswDSWAmMyYZ]/.test(this.text[this.at] ?? '')) throw invalid('invalid escape \\ sequence');
    return this.escaped();
  }
}
const digitAt = (c: string | undefined): boolean => c !== undefined && /[0-9]/.test(c);
function validPoint(code: number): number {
  if (code > 0x10ffff) throw invalid('invalid escape \\ sequence');
  return code;
}
const SHORTHAND: Readonly<Record<string, Test>> = {
  d: isDigit,
  D: isDigit,
  s: isSpace,
  S: isSpace,
  w: isWord,
  W: isWord,
};
const PLACES: Readonly<Record<string, 'start' | 'end' | 'word start' | 'word end' | 'boundary' | 'no boundary'>> = {
  A: 'start',
  Z: 'end',
  m: 'word start',
  M: 'word end',
  y: 'boundary',
  Y: 'no boundary',
};
