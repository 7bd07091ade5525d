import { decimalText, isSpecial, parseDecimal } from './decimal.ts';

/** JSON as PostgreSQL's jsonb keeps it: numbers exact, members without order of their own, of doubled ones the last. */
export type Json = null | boolean | string | JsonNumber | readonly Json[] | JsonObject;
export type JsonObject = ReadonlyMap<string, Json>;
export class JsonNumber {
  constructor(readonly text: string) {}
}
export const isJsonArray = (json: Json): json is readonly Json[] => Array.isArray(json);
export const isJsonObject = (json: Json): json is JsonObject => json instanceof Map;

const MAX_DEPTH = 500;

/** Reads JSON (RFC 8259). Null when it is none, or has what jsonb does not take (zero characters, half surrogate pairs). */
export function readJson(text: string): { readonly json: Json } | null {
  try {
    return { json: new JsonParser(text).whole() };
  } catch {
    return null;
  }
}

/** The text that jsonb is printed as: members by the length of their names, then by bytes. */
export function jsonText(json: Json): string {
  if (json === null) return 'null';
  if (typeof json === 'boolean') return json ? 'true' : 'false';
  if (typeof json === 'string') return quotedJson(json);
  if (json instanceof JsonNumber) return json.text;
  if (isJsonArray(json)) return `[${json.map(jsonText).join(', ')}]`;
  const members = [...json].map(([name, value]) => ({ name, bytes: ENCODER.encode(name), value }));
  members.sort((a, b) => a.bytes.length - b.bytes.length || compareBytes(a.bytes, b.bytes));
  return `{${members.map((m) => `${quotedJson(m.name)}: ${jsonText(m.value)}`).join(', ')}}`;
}
const ENCODER = new TextEncoder();
function compareBytes(a: Uint8Array, b: Uint8Array): number {
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return a[i]! - b[i]!;
  return 0;
}
const ESCAPES: Readonly<Record<string, string>> = {
  '"': '\\"',
  '\\': '\\\\',
  '\b': '\\b',
  '\f': '\\f',
  '\n': '\\n',
  '\r': '\\r',
  '\t': '\\t',
};
function quotedJson(text: string): string {
  const inside = text.replace(
    // eslint-disable-next-line no-control-regex -- they are what is written as escapes
    /["\\\u0000-\u001f]/g,
    (c) => ESCAPES[c] ?? `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
  return `"${inside}"`;
}

const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;
const SPACE = /[ \t\n\r]*/y;
// eslint-disable-next-line no-control-regex
const TEXT = /"((?:[^"\\\u0000-\u001f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*)"/y;
const UNESCAPED: Readonly<Record<string, string>> = { b: '\b', f: '\f', n: '\n', r: '\r', t: '\t' };

class JsonParser {
  private at = 0;
  constructor(private readonly text: string) {}

  whole(): Json {
    const json = this.value(0);
    this.space();
    if (this.at < this.text.length) throw new Error('trailing text');
    return json;
  }
  private space(): void {
    SPACE.lastIndex = this.at;
    SPACE.exec(this.text);
    this.at = SPACE.lastIndex;
  }
  private take(mark: string): boolean {
    this.space();
    if (this.text[this.at] !== mark) return false;
    this.at++;
    return true;
  }
  private value(depth: number): Json {
    if (depth > MAX_DEPTH) throw new Error('too deep');
    this.space();
    const c = this.text[this.at];
    if (c === '{') return this.object(depth);
    if (c === '[') return this.array(depth);
    if (c === '"') return this.string();
    for (const [word, value] of [
      ['true', true],
      ['false', false],
      ['null', null],
    ] as const)
      if (this.text.startsWith(word, this.at)) {
        this.at += word.length;
        return value;
      }
    NUMBER.lastIndex = this.at;
    const found = NUMBER.exec(this.text);
    const number = found && parseDecimal(found[0]);
    if (!number || isSpecial(number)) throw new Error('no value');
    this.at = NUMBER.lastIndex;
    return new JsonNumber(decimalText(number));
  }
  private string(): string {
    TEXT.lastIndex = this.at;
    const found = TEXT.exec(this.text);
    if (!found) throw new Error('no text');
    this.at = TEXT.lastIndex;
    if (!found[1]!.includes('\\')) return found[1]!;
    const text = found[1]!.replace(/\\(u[0-9a-fA-F]{4}|.)/g, (_, mark: string) =>
      mark.length > 1 ? String.fromCharCode(parseInt(mark.slice(1), 16)) : (UNESCAPED[mark] ?? mark),
    );
    if (text.includes('\u0000') || /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(text))
      throw new Error('no character');
    return text;
  }
  private object(depth: number): Json {
    this.at++;
    const members = new Map<string, Json>();
    if (this.take('}')) return members;
    do {
      this.space();
      const name = this.string();
      if (!this.take(':')) throw new Error('no colon');
      members.set(name, this.value(depth + 1));
    } while (this.take(','));
    if (!this.take('}')) throw new Error('no end');
    return members;
  }
  private array(depth: number): Json {
    this.at++;
    const items: Json[] = [];
    if (this.take(']')) return items;
    do items.push(this.value(depth + 1));
    while (this.take(','));
    if (!this.take(']')) throw new Error('no end');
    return items;
  }
}
