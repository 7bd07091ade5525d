import { RuleError } from './errors.ts';

export interface Token {
  readonly kind: 'name' | 'quoted' | 'number' | 'text' | 'operator' | 'punctuation' | 'variable' | 'end';
  /** Names in lower case unless quoted; texts without quotes. */
  readonly text: string;
  readonly at: number;
  readonly end: number;
}

const OPERATOR_CHARS = '+-*/<>=~!@#%^&|`?';
const MAX_RULE_LENGTH = 200_000;

const isSpace = (c: string): boolean => c === ' ' || c === '\t' || c === '\n' || c === '\r' || c === '\f' || c === '\v';
const isNameStart = (c: string): boolean => /[A-Za-z_\u0080-\uffff]/.test(c);
const isNamePart = (c: string): boolean => /[A-Za-z0-9_$\u0080-\uffff]/.test(c);

/** PostgreSQL's lexical rules for scalar expressions. Throws RuleError with the position. */
export function tokenize(rule: string): Token[] {
  if (rule.length > MAX_RULE_LENGTH)
    throw new RuleError(
      `The rule is ${rule.length.toLocaleString('en-GB')} characters long; ${MAX_RULE_LENGTH.toLocaleString('en-GB')} is the limit.`,
      0,
      1,
    );
  const tokens: Token[] = [];
  let at = 0;
  while (at < rule.length) {
    const c = rule[at]!;
    if (isSpace(c)) at++;
    else if (c === '-' && rule[at + 1] === '-') at = lineEnd(rule, at);
    else if (c === '/' && rule[at + 1] === '*') at = blockEnd(rule, at);
    else {
      const token = next(rule, at);
      tokens.push(token);
      at = token.end;
    }
  }
  tokens.push({ kind: 'end', text: '', at: rule.length, end: rule.length });
  return tokens;
}

function lineEnd(rule: string, at: number): number {
  const end = rule.slice(at).search(/[\n\r]/);
  return end < 0 ? rule.length : at + end;
}
function blockEnd(rule: string, start: number): number {
  let depth = 0;
  for (let at = start; at < rule.length; at++) {
    if (rule.startsWith('/*', at)) {
      depth++;
      at++;
    } else if (rule.startsWith('*/', at)) {
      depth--;
      at++;
      if (depth === 0) return at + 1;
    }
  }
  throw new RuleError('This comment has no end; close it with */.', start, start + 2);
}

function next(rule: string, at: number): Token {
  const c = rule[at]!;
  if (c === "'") return textToken(rule, at);
  if (c === '"') return quotedToken(rule, at);
  if (/[0-9]/.test(c) || (c === '.' && /[0-9]/.test(rule[at + 1] ?? ''))) return numberToken(rule, at);
  if (isNameStart(c)) return nameToken(rule, at);
  if (c === ':') return colonToken(rule, at);
  if ('(),[].;'.includes(c)) return { kind: 'punctuation', text: c, at, end: at + 1 };
  if (OPERATOR_CHARS.includes(c)) return operatorToken(rule, at);
  if (c === '$')
    throw new RuleError('Texts in dollar signs are not read here; write the text in single quotes.', at, at + 1);
  const other = c === '\u2019' || c === '\u2018' ? " This is a typographic quote; use the straight one: '" : '';
  throw new RuleError(`The character ${JSON.stringify(c)} has no meaning in a rule.${other}`, at, at + 1);
}

function textToken(rule: string, at: number): Token {
  let text = '';
  for (let i = at + 1; i < rule.length; i++) {
    if (rule[i] !== "'") text += rule[i];
    else if (rule[i + 1] === "'") {
      text += "'";
      i++;
    } else return { kind: 'text', text, at, end: i + 1 };
  }
  throw new RuleError("This text has no closing quote; end it with '.", at, rule.length);
}

const ESCAPES: Readonly<Record<string, string>> = { b: '\b', f: '\f', n: '\n', r: '\r', t: '\t' };
/** E'…': backslashes stand for characters (PostgreSQL, “String Constants with C-Style Escapes”). */
function escapedToken(rule: string, at: number): Token {
  let text = '';
  for (let i = at + 2; i < rule.length; i++) {
    const c = rule[i]!;
    if (c === "'") {
      if (rule[i + 1] !== "'") {
        if (
          /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(text) ||
          text.includes('\u0000')
        )
          throw new RuleError('This text has an escape that stands for no character.', at, i + 1);
        return { kind: 'text', text, at, end: i + 1 };
      }
      text += "'";
      i++;
    } else if (c !== '\\') text += c;
    else {
      const rest = rule.slice(i + 1, i + 10);
      const code = /^(?:u([0-9A-Fa-f]{4})|U([0-9A-Fa-f]{8})|x([0-9A-Fa-f]{1,2})|([0-7]{1,3}))/.exec(rest);
      if (code) {
        const point = parseInt(code[1] ?? code[2] ?? code[3] ?? code[4]!, code[4] === undefined ? 16 : 8);
        // Bytes beyond ASCII would have to make up characters together.
        if (point > 0x10ffff || ((code[3] ?? code[4]) !== undefined && (point & 255) > 127))
          throw new RuleError('This escape is not supported; write the character itself.', i, i + 1 + code[0].length);
        text += code[4] === undefined ? String.fromCodePoint(point) : String.fromCharCode(point & 255);
        i += code[0].length;
      } else if (/^[uU]/.test(rest))
        throw new RuleError('An escape with u has four hexadecimal digits, with U eight.', i, i + 2);
      else if (rest !== '') {
        text += ESCAPES[rest[0]!] ?? rest[0]!;
        i++;
      }
    }
  }
  throw new RuleError("This text has no closing quote; end it with '.", at, rule.length);
}

function quotedToken(rule: string, at: number): Token {
  let text = '';
  for (let i = at + 1; i < rule.length; i++) {
    if (rule[i] !== '"') text += rule[i];
    else if (rule[i + 1] === '"') {
      text += '"';
      i++;
    } else {
      if (text === '') throw new RuleError('A name in double quotes must not be empty.', at, i + 1);
      return { kind: 'quoted', text, at, end: i + 1 };
    }
  }
  throw new RuleError('This name has no closing quote; end it with ".', at, rule.length);
}

const NUMBER =
  /(?:0[xX](?:_?[0-9a-fA-F])+|0[oO](?:_?[0-7])+|0[bB](?:_?[01])+|(?:\d(?:_?\d)*)?\.?(?:\d(?:_?\d)*)?(?:[eE][+-]?\d(?:_?\d)*)?)/y;

function numberToken(rule: string, at: number): Token {
  NUMBER.lastIndex = at;
  const text = NUMBER.exec(rule)![0];
  const end = at + text.length;
  if (isNamePart(rule[end] ?? ' '))
    throw new RuleError(`A number can't be followed by “${rule[end]}” without a space or an operator.`, at, end + 1);
  return { kind: 'number', text, at, end };
}

function nameToken(rule: string, at: number): Token {
  let end = at + 1;
  while (end < rule.length && isNamePart(rule[end]!)) end++;
  const raw = rule.slice(at, end);
  if (rule[end] === "'" && /^e$/i.test(raw)) return escapedToken(rule, at);
  if (rule[end] === "'" && /^(b|x|n)$/i.test(raw))
    throw new RuleError(
      `Texts of the form ${raw}'…' are not read here; write the text in plain single quotes.`,
      at,
      end + 1,
    );
  if (/^u$/i.test(raw) && rule[end] === '&' && /['"]/.test(rule[end + 1] ?? ''))
    throw new RuleError('Texts of the form U&… are not read here; write the character itself.', at, end + 1);
  return { kind: 'name', text: raw.replace(/[A-Z]+/g, (s) => s.toLowerCase()), at, end };
}

function colonToken(rule: string, at: number): Token {
  if (rule[at + 1] === ':') return { kind: 'operator', text: '::', at, end: at + 2 };
  let end = at + 1;
  while (end < rule.length && isNamePart(rule[end]!)) end++;
  if (end === at + 1 || !isNameStart(rule[at + 1]!))
    throw new RuleError(
      'A colon is followed by a variable name (:name) or is doubled for a cast (::type).',
      at,
      at + 1,
    );
  return { kind: 'variable', text: rule.slice(at + 1, end), at, end };
}

/** The longest run of operator characters, but one that ends in + or - only where PostgreSQL allows it. */
function operatorToken(rule: string, at: number): Token {
  let end = at;
  while (end < rule.length && OPERATOR_CHARS.includes(rule[end]!)) {
    if (end > at && (rule.startsWith('--', end) || rule.startsWith('/*', end))) break;
    end++;
  }
  let text = rule.slice(at, end);
  if (!/[~!@#%^&|`?]/.test(text)) while (text.length > 1 && /[+-]$/.test(text)) text = text.slice(0, -1);
  return { kind: 'operator', text: text === '!=' ? '<>' : text, at, end: at + text.length };
}
