import { ChunkDecoder } from '../text/decode.ts';
import { FlatObjects } from '../nested/flat-object.ts';
import { flatMembers } from '../json/json-tree.ts';
import { Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { JsonLinesFormat } from './settings.ts';
import { LineSplitter } from '../text/lines.ts';
import { UnknownCounter } from '../unknown.ts';

/** JSON Lines as a stream; each line one object. Values become text: numbers keep their digits, objects their JSON. */
export class JsonLinesReader {
  private readonly decoder: ChunkDecoder;
  private readonly lines = new LineSplitter();
  private nextRow = 1;
  private known: string[];

  constructor(
    private readonly format: JsonLinesFormat,
    fields: readonly string[] | null = null,
    /** Without fields: the names that those of its objects come behind. */
    before: readonly string[] = [],
  ) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.known = [...(fields ?? before)];
    this.knownSet = new Set(this.known);
    this.quick = new FlatObjects(this.known);
    this.fixed = fields !== null;
    this.counter = new UnknownCounter(format.unknown);
  }
  private readonly quick: FlatObjects;
  private readonly fixed: boolean;
  private readonly counter: UnknownCounter;
  private readonly knownSet: Set<string>;

  get names(): readonly string[] {
    return this.known;
  }
  push(bytes: Uint8Array): RowBatch {
    return this.pushText(this.decoder.push(bytes));
  }
  /** What is decoded already. */
  pushText(text: string): RowBatch {
    return this.scan(text, false);
  }
  /** Hands out a line that waits for its end, or null where only this reader can go on; `goOn` comes back to it. */
  takeRest(): string | null {
    return this.lines.takeRest();
  }
  /** Where it has come to, in characters of the file. */
  get at(): number {
    return this.lines.at;
  }
  goOn(firstRow: number, offset: number): void {
    this.nextRow = firstRow;
    this.lines.offset = offset;
  }
  /** Where each row that came last ends, in characters of the file as text. */
  get ends(): number[] {
    return this.lines.ends;
  }
  end(): RowBatch {
    return this.scan(this.decoder.end(), true);
  }

  private scan(text: string, last: boolean): RowBatch {
    const lines = this.lines.push(text, last);
    const firstRow = this.nextRow;
    this.nextRow += lines.length;
    const rows = lines.map((line, i) => (typeof line === 'string' ? this.row(line, firstRow + i) : line));
    return { firstRow, rows, ...this.counter.take() };
  }

  private learn(name: string): void {
    this.known.push(name);
    this.knownSet.add(name);
    this.quick.learn(name);
  }
  private row(line: string, number: number): RawRow {
    if (this.format.landed && line.startsWith('!')) {
      const { message, raw } = JSON.parse(line.slice(1)) as { message: string; raw: string };
      return new Unreadable(message, raw);
    }
    try {
      const quick = this.quick.read(line);
      if (quick) return quick;
      const object = readFlatObject(line);
      for (const [key, value] of object)
        if (this.knownSet.has(key)) continue;
        else if (!this.fixed) this.learn(key);
        // What was fetched for us holds more than is asked for; what others wrote is told.
        else if (value !== null && !this.format.landed) this.counter.see(key, number);
      const refusal = this.counter.refusal(number);
      if (refusal !== null) return new Unreadable(refusal, line.slice(0, 200));
      const { known } = this;
      const row = new Array<string | null>(known.length);
      for (let i = 0; i < known.length; i++) row[i] = object.get(known[i]!) ?? null;
      return row;
    } catch (error) {
      return new Unreadable(
        `The line is not a JSON object: ${(error as Error).message.replace(/\.$/, '')}.`,
        line.slice(0, 200),
      );
    }
  }
}

/** The line that stands for a record that could not be read, in files of fetched records. */
export function landedUnreadable({ message, raw }: Unreadable): string {
  return `!${JSON.stringify({ message, raw })}`;
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
