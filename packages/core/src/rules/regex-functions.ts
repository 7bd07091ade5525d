import type { Value } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { MAX_TEXT } from './text-functions.ts';
import { over, type Implementation, type Overload, type RuleFunction } from './registry.ts';
import { freshBudget, Regex, TooMuchWork, type Budget, type Match } from './regex/match.ts';
import { parseRegex, readFlags } from './regex/parse.ts';
import { Subject } from './regex/subject.ts';

/** The functions on regular expressions (src/backend/utils/adt/regexp.c, varlena.c). */

const compiled = new Map<string, Regex | string>();
function regexFor(pattern: string, flags: string): Regex | string {
  const key = `${flags}/${pattern}`;
  let found = compiled.get(key);
  if (found === undefined) {
    try {
      found = new Regex(parseRegex(pattern, readFlags(flags)));
    } catch (error) {
      found = (error as Error).message;
    }
    if (compiled.size > 500) compiled.clear();
    compiled.set(key, found);
  }
  return found;
}
/** Throws Error with a sentence when a pattern that is known beforehand can't be used. */
export function requireRegex(pattern: string, flags: string): Regex {
  const regex = regexFor(pattern, flags);
  if (typeof regex === 'string') throw new Error(regex);
  return regex;
}

function search(regex: Regex, text: Subject, from: number, ctx: RuleContext, budget?: Budget): Match | null {
  try {
    return regex.search(text.points, from, budget);
  } catch (error) {
    if (error instanceof TooMuchWork) return ctx.fail(error.message);
    throw error;
  }
}
function withRegex<T>(pattern: string, flags: string, ctx: RuleContext, use: (regex: Regex) => T): T | null {
  const regex = regexFor(pattern, flags);
  return typeof regex === 'string' ? ctx.fail(regex) : use(regex);
}
const noGlobal = (flags: string, name: string, ctx: RuleContext): boolean =>
  !flags.includes('g') || ctx.fail(`${name} does not take the option “g”.`) !== null;

export function regexMatches(text: string, pattern: string, flags: string, ctx: RuleContext): boolean | null {
  return withRegex(pattern, flags, ctx, (regex) => {
    const found = search(regex, new Subject(text), 0, ctx);
    return ctx.fault ? null : found !== null;
  });
}

type Captured = (string | null)[];
function regexpMatch(text: string, pattern: string, flags: string, ctx: RuleContext): Captured | null {
  if (!noGlobal(flags, 'regexp_match', ctx)) return null;
  return withRegex(pattern, flags, ctx, (regex) => {
    const subject = new Subject(text);
    const found = search(regex, subject, 0, ctx);
    return found && captured(found, subject, regex);
  });
}
function captured(found: Match, subject: Subject, { captures }: Regex): Captured {
  if (captures === 0) return [subject.slice(found.start, found.end)];
  return found.captures.slice(1).map((c) => (c ? subject.slice(c[0], c[1]) : null));
}

/** Matches one after the other, as setup_regexp_matches finds them; `split`: what matches nothing beside another is left out. */
function allMatches(regex: Regex, subject: Subject, from: number, split: boolean, ctx: RuleContext): Match[] {
  const found: Match[] = [];
  const budget = freshBudget(subject.length);
  let previous = 0;
  for (let at = from; at <= subject.length;) {
    const match = search(regex, subject, at, ctx, budget);
    if (match === null) break;
    if (!split || (match.start < subject.length && match.end > previous)) found.push(match);
    previous = match.end;
    at = match.end === match.start ? match.end + 1 : match.end;
  }
  return found;
}

function replaced(
  text: string,
  pattern: string,
  replacement: string,
  from: number,
  nth: number,
  flags: string,
  ctx: RuleContext,
): string | null {
  return withRegex(pattern, flags, ctx, (regex) => {
    const subject = new Subject(text);
    let result = '';
    const budget = freshBudget(subject.length);
    let copied = 0;
    let seen = 0;
    for (let at = from; at <= subject.length;) {
      const match = search(regex, subject, at, ctx, budget);
      if (ctx.fault) return null;
      if (match === null) break;
      const { start, end } = match;
      at = start === end ? end + 1 : end;
      seen++;
      if (nth > 0 && seen !== nth) continue;
      result += subject.slice(copied, start) + filled(replacement, match, subject);
      copied = end;
      if (result.length > MAX_TEXT) return ctx.fail('The result is longer than 1,048,576 characters.');
      if (nth > 0) break;
    }
    return result + subject.slice(copied, subject.length);
  });
}
function filled(replacement: string, match: Match, subject: Subject): string {
  if (!replacement.includes('\\')) return replacement;
  return replacement.replace(/\\([1-9&\\])/g, (_, mark: string) => {
    if (mark === '\\') return '\\';
    const place = mark === '&' ? ([match.start, match.end] as const) : match.captures[Number(mark)];
    return place ? subject.slice(place[0], place[1]) : '';
  });
}
/** A text of flags that is none may have been meant for the start position. */
function replaceFlags(flags: string, ctx: RuleContext): string | null {
  if (/^[0-9]/.test(flags))
    return ctx.fail(`“${flags}” are no options; to replace from a position, give a number without quotes.`);
  return flags.replaceAll('g', '');
}

function position(name: string, value: number, what: string, ctx: RuleContext): boolean {
  return value > 0 || ctx.fail(`${name} counts its ${what} from 1.`) !== null;
}

function substrOf(
  text: string,
  pattern: string,
  start: number,
  nth: number,
  flags: string,
  group: number,
  ctx: RuleContext,
): string | null {
  const place = instance('regexp_substr', text, pattern, start, nth, flags, group, ctx);
  return place && place.subject.slice(place.at[0], place.at[1]);
}
function instance(
  name: string,
  text: string,
  pattern: string,
  start: number,
  nth: number,
  flags: string,
  group: number,
  ctx: RuleContext,
): { at: readonly [number, number]; subject: Subject } | null {
  if (!position(name, start, 'start', ctx) || !position(name, nth, 'matches', ctx)) return null;
  if (group < 0) return ctx.fail(`${name} counts its groups from 0.`);
  if (!noGlobal(flags, name, ctx)) return null;
  return withRegex(pattern, flags, ctx, (regex) => {
    const subject = new Subject(text);
    const match = allMatches(regex, subject, start - 1, false, ctx)[nth - 1];
    if (!match || ctx.fault || group > regex.captures) return null;
    const at = group === 0 ? ([match.start, match.end] as const) : match.captures[group];
    return at ? { at, subject } : null;
  });
}
function instrOf(
  text: string,
  pattern: string,
  start: number,
  nth: number,
  end: number,
  flags: string,
  group: number,
  ctx: RuleContext,
): number | null {
  if (end !== 0 && end !== 1) return ctx.fail('regexp_instr takes 0 (where it begins) or 1 (behind its end).');
  const place = instance('regexp_instr', text, pattern, start, nth, flags, group, ctx);
  return ctx.fault ? null : place ? place.at[end] + 1 : 0;
}
function countOf(text: string, pattern: string, start: number, flags: string, ctx: RuleContext): number | null {
  if (!position('regexp_count', start, 'start', ctx) || !noGlobal(flags, 'regexp_count', ctx)) return null;
  return withRegex(pattern, flags, ctx, (regex) => {
    const found = allMatches(regex, new Subject(text), start - 1, false, ctx);
    return ctx.fault ? null : found.length;
  });
}
function splitOf(text: string, pattern: string, flags: string, ctx: RuleContext): string[] | null {
  if (!noGlobal(flags, 'regexp_split_to_array', ctx)) return null;
  return withRegex(pattern, flags, ctx, (regex) => {
    const subject = new Subject(text);
    const parts: string[] = [];
    let from = 0;
    for (const { start, end } of allMatches(regex, subject, 0, true, ctx)) {
      parts.push(subject.slice(from, start));
      from = end;
    }
    return ctx.fault ? null : [...parts, subject.slice(from, subject.length)];
  });
}

/** substring(text FROM pattern): the first bracket's part, or the whole match where the pattern has none. */
export function substringByPattern(text: string, pattern: string, ctx: RuleContext): string | null {
  return withRegex(pattern, '', ctx, (regex) => {
    const subject = new Subject(text);
    const match = search(regex, subject, 0, ctx);
    if (match === null) return null;
    const at = regex.captures > 0 ? match.captures[1] : ([match.start, match.end] as const);
    return at ? subject.slice(at[0], at[1]) : null;
  });
}

/**
 * SIMILAR TO's pattern as an advanced regular expression (similar_escape_internal in regexp.c). Throws Error. `escape` is
 * one character, or empty for none.
 */
export function similarPattern(pattern: string, escape: string): string {
  let out = '^(?:';
  let depth = 0;
  let bracketStart = false;
  let escaped = false;
  let quotes = 0;
  for (const c of pattern) {
    if (escaped) {
      if (c === '"' && depth === 0) {
        if (quotes === 0) out += '){1,1}?(';
        else if (quotes === 1) out += '){1,1}(?:';
        else throw new Error('A SIMILAR pattern takes no more than two separators of its parts.');
        quotes++;
      } else out += `\\${c}`;
      escaped = false;
    } else if (c === escape && escape !== '') escaped = true;
    else if (depth > 0) {
      if (c === '\\') out += '\\';
      out += c;
      if (c === ']' && !bracketStart) depth = 0;
      bracketStart = bracketStart && c === '^';
    } else if (c === '[') {
      out += c;
      depth = 1;
      bracketStart = true;
    } else if (c === '%') out += '.*';
    else if (c === '_') out += '.';
    else if (c === '(') out += '(?:';
    else if (c === '\\' || c === '.' || c === '^' || c === '$') out += `\\${c}`;
    else out += c;
  }
  return `${out})$`;
}

const T = 'text' as const;
const I = 'int4' as const;
const A = 'text[]' as const;
/** A pattern (and flags) written out in the rule is looked at when the rule is checked. */
const prepared =
  (flagsAt: number | null, without = '') =>
  (constants: readonly (Value | undefined)[]): Implementation | null => {
    const pattern = constants[1];
    const flags = flagsAt === null ? '' : constants[flagsAt];
    if (typeof pattern === 'string' && typeof flags === 'string') {
      let known = flags;
      for (const letter of without) known = known.replaceAll(letter, '');
      requireRegex(pattern, known);
    }
    return null;
  };
const pattern = (
  args: Overload['args'],
  returns: Overload['returns'],
  run: Implementation,
  flagsAt: number | null = null,
): Overload => over(args, returns, run, { prepare: prepared(flagsAt, 'g') });

export const regexFunctions: RuleFunction[] = [
  {
    name: 'regexp_replace',
    group: 'text',
    signature: 'regexp_replace(text, pattern, replacement [, flags]) → text',
    summary:
      'Replaces what matches a regular expression; with the flag g all of it. \\1 is a bracket’s part, \\& the whole.',
    example: { rule: "regexp_replace('Tide  bridge', '\\s+', ' ', 'g')", value: 'Tide bridge' },
    overloads: [
      pattern([T, T, T], T, (t: string, p: string, r: string, ctx: RuleContext) => replaced(t, p, r, 0, 1, '', ctx)),
      pattern(
        [T, T, T, T],
        T,
        (t: string, p: string, r: string, f: string, ctx: RuleContext) => {
          const flags = replaceFlags(f, ctx);
          return flags === null ? null : replaced(t, p, r, 0, f.includes('g') ? 0 : 1, flags, ctx);
        },
        3,
      ),
      pattern([T, T, T, I], T, (t: string, p: string, r: string, from: number, ctx: RuleContext) =>
        position('regexp_replace', from, 'start', ctx) ? replaced(t, p, r, from - 1, 1, '', ctx) : null,
      ),
      pattern([T, T, T, I, I], T, (t: string, p: string, r: string, from: number, n: number, ctx: RuleContext) =>
        position('regexp_replace', from, 'start', ctx) && position('regexp_replace', n + 1, 'matches', ctx)
          ? replaced(t, p, r, from - 1, n, '', ctx)
          : null,
      ),
      pattern(
        [T, T, T, I, I, T],
        T,
        (t: string, p: string, r: string, from: number, n: number, f: string, ctx: RuleContext) =>
          position('regexp_replace', from, 'start', ctx) && position('regexp_replace', n + 1, 'matches', ctx)
            ? replaced(t, p, r, from - 1, n, f.replaceAll('g', ''), ctx)
            : null,
        5,
      ),
    ],
  },
  {
    name: 'regexp_match',
    group: 'text',
    signature: 'regexp_match(text, pattern [, flags]) → text[]',
    summary: 'The parts of the first match that stand in brackets, or the whole match; (…)[1] takes the first.',
    example: { rule: "(regexp_match('TB-0417', '([A-Z]+)-(\\d+)'))[2]", value: '0417' },
    overloads: [
      pattern([T, T], A, (t: string, p: string, ctx: RuleContext) => regexpMatch(t, p, '', ctx)),
      pattern([T, T, T], A, regexpMatch, 2),
    ],
  },
  {
    name: 'regexp_like',
    group: 'text',
    signature: 'regexp_like(text, pattern [, flags]) → boolean',
    summary: 'Whether a regular expression matches anywhere in the text.',
    example: { rule: "regexp_like('TB-0417', '^[a-z]{2}-\\d+$', 'i')", value: 'true' },
    overloads: [
      pattern([T, T], 'bool', (t: string, p: string, ctx: RuleContext) => regexMatches(t, p, '', ctx)),
      pattern(
        [T, T, T],
        'bool',
        (t: string, p: string, f: string, ctx: RuleContext) =>
          noGlobal(f, 'regexp_like', ctx) ? regexMatches(t, p, f, ctx) : null,
        2,
      ),
    ],
  },
  {
    name: 'regexp_substr',
    group: 'text',
    signature: 'regexp_substr(text, pattern [, start [, n [, flags [, bracket]]]]) → text',
    summary: 'The n-th match of a regular expression, or the part of it in a bracket; null where there is none.',
    example: { rule: "regexp_substr('bay 12, rack 7', '\\d+', 1, 2)", value: '7' },
    overloads: [
      pattern([T, T], T, (t: string, p: string, ctx: RuleContext) => substrOf(t, p, 1, 1, '', 0, ctx)),
      pattern([T, T, I], T, (t: string, p: string, s: number, ctx: RuleContext) => substrOf(t, p, s, 1, '', 0, ctx)),
      pattern([T, T, I, I], T, (t: string, p: string, s: number, n: number, ctx: RuleContext) =>
        substrOf(t, p, s, n, '', 0, ctx),
      ),
      pattern(
        [T, T, I, I, T],
        T,
        (t: string, p: string, s: number, n: number, f: string, ctx: RuleContext) => substrOf(t, p, s, n, f, 0, ctx),
        4,
      ),
      pattern([T, T, I, I, T, I], T, substrOf, 4),
    ],
  },
  {
    name: 'regexp_count',
    group: 'text',
    signature: 'regexp_count(text, pattern [, start [, flags]]) → integer',
    summary: 'How often a regular expression matches.',
    example: { rule: "regexp_count('a1b22c3', '\\d+')", value: '3' },
    overloads: [
      pattern([T, T], I, (t: string, p: string, ctx: RuleContext) => countOf(t, p, 1, '', ctx)),
      pattern([T, T, I], I, (t: string, p: string, s: number, ctx: RuleContext) => countOf(t, p, s, '', ctx)),
      pattern([T, T, I, T], I, countOf, 3),
    ],
  },
  {
    name: 'regexp_instr',
    group: 'text',
    signature: 'regexp_instr(text, pattern [, start [, n [, end [, flags [, bracket]]]]]) → integer',
    summary: 'Where the n-th match begins (or, with end 1, where what follows it begins); 0 where there is none.',
    example: { rule: "regexp_instr('bay 12', '\\d')", value: '5' },
    overloads: [
      pattern([T, T], I, (t: string, p: string, ctx: RuleContext) => instrOf(t, p, 1, 1, 0, '', 0, ctx)),
      pattern([T, T, I], I, (t: string, p: string, s: number, ctx: RuleContext) => instrOf(t, p, s, 1, 0, '', 0, ctx)),
      pattern([T, T, I, I], I, (t: string, p: string, s: number, n: number, ctx: RuleContext) =>
        instrOf(t, p, s, n, 0, '', 0, ctx),
      ),
      pattern([T, T, I, I, I], I, (t: string, p: string, s: number, n: number, e: number, ctx: RuleContext) =>
        instrOf(t, p, s, n, e, '', 0, ctx),
      ),
      pattern(
        [T, T, I, I, I, T],
        I,
        (t: string, p: string, s: number, n: number, e: number, f: string, ctx: RuleContext) =>
          instrOf(t, p, s, n, e, f, 0, ctx),
        5,
      ),
      pattern([T, T, I, I, I, T, I], I, instrOf, 5),
    ],
  },
  {
    name: 'regexp_split_to_array',
    group: 'text',
    signature: 'regexp_split_to_array(text, pattern [, flags]) → text[]',
    summary: 'The parts of a text between the matches of a regular expression.',
    example: { rule: "array_to_string(regexp_split_to_array('a, b;c', '[,;]\\s*'), '|')", value: 'a|b|c' },
    overloads: [
      pattern([T, T], A, (t: string, p: string, ctx: RuleContext) => splitOf(t, p, '', ctx)),
      pattern([T, T, T], A, splitOf, 2),
    ],
  },
];
