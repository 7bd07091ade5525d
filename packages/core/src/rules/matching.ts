import { RE2JS } from 're2js';
import type { RuleContext } from './context.ts';
import { lowerText } from './text-functions.ts';

/** LIKE: % any run of characters, _ one character. Linear in text × pattern; nothing backtracks further than the last %. */
export function compileLike(pattern: string, escape: string): ((text: string) => boolean) | string {
  const parts: (string | typeof ANY | typeof ONE)[] = [];
  const points = [...pattern];
  for (let i = 0; i < points.length; i++) {
    const c = points[i]!;
    if (c === escape && escape !== '') {
      i++;
      if (i >= points.length) return 'A LIKE pattern must not end with its escape character.';
      parts.push(points[i]!);
    } else if (c === '%') {
      if (parts.at(-1) !== ANY) parts.push(ANY);
    } else parts.push(c === '_' ? ONE : c);
  }
  return simpleLike(parts) ?? ((text) => matchLike([...text], parts));
}
const ANY = Symbol('any');
const ONE = Symbol('one');
type Parts = readonly (string | symbol)[];

function simpleLike(parts: Parts): ((text: string) => boolean) | null {
  const wild = parts.filter((p) => typeof p === 'symbol');
  const literal = (from: number, to: number): string => parts.slice(from, to).join('');
  if (wild.length === 0) {
    const whole = literal(0, parts.length);
    return (text) => text === whole;
  }
  if (wild.some((p) => p === ONE)) return null;
  if (wild.length === 1 && parts.at(-1) === ANY) {
    const start = literal(0, parts.length - 1);
    return (text) => text.startsWith(start);
  }
  if (wild.length === 1 && parts[0] === ANY) {
    const end = literal(1, parts.length);
    return (text) => text.endsWith(end);
  }
  if (wild.length === 2 && parts[0] === ANY && parts.at(-1) === ANY) {
    const middle = literal(1, parts.length - 1);
    return (text) => text.includes(middle);
  }
  return null;
}
function matchLike(text: readonly string[], parts: Parts): boolean {
  let t = 0;
  let p = 0;
  let starAt = -1;
  let starText = 0;
  while (t < text.length) {
    const part = parts[p];
    if (part === ANY) {
      starAt = p++;
      starText = t;
    } else if (part === ONE || (part !== undefined && part === text[t])) {
      p++;
      t++;
    } else if (starAt >= 0) {
      p = starAt + 1;
      t = ++starText;
    } else return false;
  }
  while (parts[p] === ANY) p++;
  return p === parts.length;
}

const likes = new Map<string, ReturnType<typeof compileLike>>();
export function like(
  text: string,
  pattern: string,
  escape: string,
  insensitive: boolean,
  ctx: RuleContext,
): boolean | null {
  const shown = insensitive ? lowerText(pattern) : pattern;
  const key = `${escape}\u0000${shown}`;
  let compiled = likes.get(key);
  if (compiled === undefined) {
    compiled = compileLike(shown, insensitive ? lowerText(escape) : escape);
    if (likes.size > 500) likes.clear();
    likes.set(key, compiled);
  }
  if (typeof compiled === 'string') return ctx.fail(compiled);
  return compiled(insensitive ? lowerText(text) : text);
}

/**
 * A PostgreSQL pattern as a linear-time matcher; null where the two dialects could differ, which is then left to our own
 * matcher (regex/match.ts). Whether a text matches does not depend on which of several matches is taken.
 */
export function compileRegex(pattern: string, insensitive: boolean): ((text: string) => boolean) | null {
  // Folding differs for a few letters, such as the Kelvin sign.
  if (insensitive || isForeign(pattern)) return null;
  try {
    const compiled = RE2JS.compile(pattern, RE2JS.DOTALL);
    return (text) => compiled.matcher(text).find();
  } catch {
    return null;
  }
}

function isForeign(pattern: string): boolean {
  if (pattern.startsWith('***') || /^\(\?[a-z]+\)/.test(pattern)) return true;
  if (/[\u0080-\uffff]/.test(pattern.replace(/[\p{L}\p{N} ]/gu, ''))) return true;
  for (let i = 0; i < pattern.length; i++) {
    const c = pattern[i]!;
    if (c === '\\') {
      const next = pattern[++i];
      if (next === undefined || (/[A-Za-z0-9]/.test(next) && !/[dD]/.test(next))) return true;
    } else if (c === '(' && pattern[i + 1] === '?' && pattern[i + 2] !== ':') return true;
    else if (c === '[') {
      i = bracketEnd(pattern, i);
      if (i < 0) return true;
    } else if (c === '{' && !/^\{\d{1,3}(,\d{0,3})?\}/.test(pattern.slice(i))) return true;
    else if (/[*+?}]/.test(c) && /[*+{]/.test(pattern[i + 1] ?? '')) return true;
    else if (/[|(^]/.test(c) && /[*+?{|)]/.test(pattern[i + 1] ?? '') && !(c === '(' && pattern[i + 1] === '?'))
      return true;
  }
  if (/^[*+?{|]|\|$/.test(pattern)) return true;
  const bounds = [...pattern.matchAll(/\{(\d+)(?:,(\d*))?\}/g)];
  return bounds.some((b) => Number(b[1]) > 255 || Number(b[2] || 0) > 255);
}
/** Brackets: plain characters, ranges and negation; classes inside differ between dialects. -1 where they could. */
function bracketEnd(pattern: string, start: number): number {
  let i = start + 1;
  if (pattern[i] === '^') i++;
  if (pattern[i] === ']') return -1;
  for (; i < pattern.length; i++) {
    if (pattern[i] === ']') return i;
    if (pattern[i] === '[' || (pattern[i] === '&' && pattern[i + 1] === '&')) return -1;
    if (pattern[i] === '\\' && !/[d\\\]\-.]/.test(pattern[++i] ?? '')) return -1;
  }
  return -1;
}
