import { MAX_DEPTH } from '../format.ts';
import { tooDeep, treeJson, type Tree } from '../nested/nested.ts';

/**
 * Reads JSON (RFC 8259, all of it) into a tree in which numbers and booleans are texts as written: JSON.parse would round
 * long numbers and drop trailing zeros. With `keepTexts` each object knows how it was written. Throws Error.
 */
export function parseJsonTree(json: string, keepTexts = false): Tree {
  const parser = new JsonParser(json, keepTexts);
  const tree = parser.value(0);
  parser.space();
  if (parser.at < json.length) throw parser.wrong();
  return tree;
}

/**
 * The members of an object, of which nested values stay JSON as it was written; null when the text is no object. Throws Error
 * for what is no JSON.
 */
export function flatMembers(json: string): Map<string, string | null> | null {
  const parser = new JsonParser(json);
  parser.space();
  if (json.charCodeAt(parser.at) !== 123) {
    parseJsonTree(json);
    return null;
  }
  const members = parser.flat();
  parser.space();
  if (parser.at < json.length) throw parser.wrong();
  return members;
}

interface Written {
  /** An object as it was written. */
  written?: string;
}
/** A tree as JSON: as it was written, where that was kept, with its numbers and booleans. */
export const treeText = (tree: Tree): string => (tree as Written | null)?.written ?? treeJson(tree);

const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;

class JsonParser {
  at = 0;
  constructor(
    private readonly json: string,
    private readonly keepTexts = false,
  ) {}

  space(): void {
    for (;;) {
      const c = this.json.charCodeAt(this.at);
      if (c !== 32 && c !== 10 && c !== 13 && c !== 9) return;
      this.at++;
    }
  }
  wrong(): Error {
    const c = this.json[this.at];
    return new Error(
      c === undefined
        ? 'the JSON ends too early'
        : `the JSON is wrong at character ${this.at + 1}, at “${this.json.slice(this.at, this.at + 20)}”`,
    );
  }

  value(depth: number): Tree {
    if (depth > MAX_DEPTH) throw new Error(tooDeep);
    this.space();
    switch (this.json.charCodeAt(this.at)) {
      case 34:
        return this.text();
      case 123:
        return this.object(depth);
      case 91:
        return this.array(depth);
      case 116:
        return this.word('true', 'true');
      case 102:
        return this.word('false', 'false');
      case 110:
        return this.word('null', null);
      default: {
        NUMBER.lastIndex = this.at;
        const found = NUMBER.exec(this.json);
        if (!found) throw this.wrong();
        this.at += found[0].length;
        return found[0];
      }
    }
  }
  private word(word: string, value: string | null): string | null {
    if (!this.json.startsWith(word, this.at)) throw this.wrong();
    this.at += word.length;
    return value;
  }
  private text(): string {
    const { json } = this;
    const start = this.at + 1;
    let end = start;
    let plain = true;
    for (;;) {
      const c = json.charCodeAt(end);
      if (c === 34) break;
      if (c === 92) {
        plain = false;
        end++;
      } else if (c < 32 || Number.isNaN(c)) {
        this.at = end;
        throw this.wrong();
      }
      end++;
    }
    this.at = end + 1;
    if (plain) return json.slice(start, end);
    const value = JSON.parse(json.slice(start - 1, this.at)) as string;
    if (value.includes('\u0000')) throw new Error('a text has a zero byte');
    if (/\p{Surrogate}/u.test(value))
      throw new Error('a text has half of a character (a surrogate without its other half)');
    return value;
  }
  private object(depth: number): Tree {
    const members = new Map<string, Tree>();
    const start = this.at;
    this.eachMember((name) => {
      const value = this.value(depth + 1);
      requireOnce(members, name, value);
      members.set(name, value);
    });
    if (this.keepTexts) (members as Written).written = this.json.slice(start, this.at);
    return members;
  }
  /** An object whose nested members are checked, and given as their text. */
  flat(): Map<string, string | null> {
    const members = new Map<string, string | null>();
    this.eachMember((name) => {
      this.space();
      const start = this.at;
      const value = this.value(1);
      const nested = value !== null && typeof value === 'object';
      const text = nested ? this.json.slice(start, this.at) : (value as string | null);
      requireOnce(members, name, text);
      members.set(name, text);
    });
    return members;
  }
  /** Goes through an object; `take` reads the value that stands next. */
  private eachMember(take: (name: string) => void): void {
    this.at++;
    this.space();
    if (this.json.charCodeAt(this.at) === 125) {
      this.at++;
      return;
    }
    for (;;) {
      this.space();
      if (this.json.charCodeAt(this.at) !== 34) throw this.wrong();
      const name = this.text();
      this.space();
      if (this.json.charCodeAt(this.at) !== 58) throw this.wrong();
      this.at++;
      take(name);
      this.space();
      const c = this.json.charCodeAt(this.at++);
      if (c === 125) return;
      if (c !== 44) {
        this.at--;
        throw this.wrong();
      }
    }
  }
  private array(depth: number): Tree {
    const elements: Tree[] = [];
    this.at++;
    this.space();
    if (this.json.charCodeAt(this.at) === 93) {
      this.at++;
      return elements;
    }
    for (;;) {
      elements.push(this.value(depth + 1));
      this.space();
      const c = this.json.charCodeAt(this.at++);
      if (c === 93) return elements;
      if (c !== 44) {
        this.at--;
        throw this.wrong();
      }
    }
  }
}

/** JSON does not say which of two members counts; where both say the same, it doesn't matter. */
function requireOnce(members: ReadonlyMap<string, Tree>, name: string, value: Tree): void {
  if (members.has(name) && treeJson(members.get(name)!) !== treeJson(value))
    throw new Error(`it has “${name}” twice, with different values`);
}
