import { ChunkDecoder } from './decode.ts';
import { flatMembers } from './json-tree.ts';
import { Unreadable, type JsonLinesFormat, type RawRow, type RowBatch } from './format.ts';
import { LineSplitter } from './lines.ts';

/**
 * What JSON.parse would not give back as it was written: long numbers, exponents, zeros at the end or a minus before zero,
 * very small numbers; and zero bytes, which are refused. It may match more (texts), never less.
 */
const RISKY = /[\d.]{16}|\d[eE]|\.\d*0[,\s}\]]|-0|\b0\.0000|\\u0000/;

/** JSON Lines as a stream; each line one object. Values become text: numbers keep their digits, objects their JSON. */
export class JsonLinesReader {
  private readonly decoder: ChunkDecoder;
  private readonly lines = new LineSplitter();
  private nextRow = 1;
  private known: string[];

  constructor(
    private readonly format: JsonLinesFormat,
    fields: readonly string[] | null = null,
  ) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.known = fields ? [...fields] : [];
    this.knownSet = new Set(this.known);
    this.fixed = fields !== null;
  }
  private readonly fixed: boolean;
  private readonly knownSet: Set<string>;

  get names(): readonly string[] {
    return this.known;
  }
  push(bytes: Uint8Array): RowBatch {
    return this.scan(this.decoder.push(bytes), false);
  }
  end(): RowBatch {
    return this.scan(this.decoder.end(), true);
  }

  private scan(text: string, last: boolean): RowBatch {
    const lines = this.lines.push(text, last);
    const firstRow = this.nextRow;
    this.nextRow += lines.length;
    const again = (): RawRow[] => lines.map((line) => (typeof line === 'string' ? this.row(line) : line));
    return { firstRow, rows: again(), again };
  }

  /** By the platform's own parser, where it loses nothing; null where a member is nested. */
  private quickRow(line: string): RawRow | null {
    const object = JSON.parse(line) as Readonly<Record<string, unknown>> | null;
    if (typeof object !== 'object' || object === null || Array.isArray(object)) return null;
    if (!this.fixed) for (const key in object) if (!this.knownSet.has(key)) this.learn(key);
    const { known } = this;
    const row = new Array<string | null>(known.length);
    for (let i = 0; i < known.length; i++) {
      const value = Object.hasOwn(object, known[i]!) ? object[known[i]!] : null;
      if (typeof value === 'string') row[i] = value;
      else if (value === null) row[i] = null;
      else if (typeof value === 'object') return null;
      else row[i] = String(value);
    }
    return row;
  }
  private learn(name: string): void {
    this.known.push(name);
    this.knownSet.add(name);
  }
  private row(line: string): RawRow {
    try {
      const quick = RISKY.test(line) ? null : this.quickRow(line);
      if (quick) return quick;
      const object = readFlatObject(line);
      if (!this.fixed) for (const key of object.keys()) if (!this.knownSet.has(key)) this.learn(key);
      const { known } = this;
      const row = new Array<string | null>(known.length);
      for (let i = 0; i < known.length; i++) row[i] = object.get(known[i]!) ?? null;
      return row;
    } catch (error) {
      return new Unreadable(`The line is not a JSON object: ${(error as Error).message}.`, line.slice(0, 200));
    }
  }
}

/**
 * A JSON object's members as text: strings as they are, numbers with their very digits, nested values as JSON, null as null.
 * Throws Error.
 */
export function readFlatObject(json: string): Map<string, string | null> {
  const members = flatMembers(json);
  if (members === null) throw new Error('a line must be an object in braces');
  return members;
}
