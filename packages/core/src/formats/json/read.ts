import { sentence } from '../../words.ts';
import { Fault } from '../../faults.ts';
import { ChunkDecoder, DAMAGED, damagedWords, shownDamaged } from '../text/decode.ts';
import { MAX_RECORD, Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { JsonFormat } from './settings.ts';
import { FlatObjects } from '../nested/flat-object.ts';
import { parseJsonTree } from './json-tree.ts';
import { BesideCounter, type SeesBeside } from '../nested/beside.ts';
import { Flattener, tooDeep } from '../nested/nested.ts';

/** JSON of any size as a stream of records: its elements are cut out of the text, one after the other, and each parsed by itself. */
export class JsonReader {
  private readonly decoder: ChunkDecoder;
  private readonly elements: JsonElements;
  private readonly flattener: Flattener;
  private readonly quick: FlatObjects | null;
  private readonly beside: BesideCounter;
  private number = 0;
  private nextRow = 1;

  constructor(format: JsonFormat) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.beside = new BesideCounter(format.beside, format.unknown);
    this.elements = new JsonElements(format.records, this.beside.see);
    this.flattener = new Flattener(format.structures, format.part, format.withDoc, format.unknown);
    // Records in which nothing repeats, and of which only fields are wanted, need no tree.
    const flat = format.part === '' && format.structures.length === 1 && !format.withDoc;
    this.quick = flat ? new FlatObjects(format.structures[0]!.fields, 1) : null;
  }
  get names(): readonly string[] {
    return this.flattener.names;
  }

  push(bytes: Uint8Array): RowBatch {
    return this.batch(this.elements.push(this.decoder.push(bytes)));
  }
  end(): RowBatch {
    return this.batch([...this.elements.push(this.decoder.end()), ...this.elements.end()]);
  }
  private batch(texts: readonly (string | Unreadable)[]): RowBatch {
    const firstRow = this.nextRow;
    const rows: RawRow[] = [];
    const lastRows = [firstRow - 1];
    for (const [i, text] of texts.entries()) {
      const made = text instanceof Unreadable ? [text] : this.rows(text, this.number + i + 1, firstRow + rows.length);
      for (const row of made) rows.push(row);
      lastRows.push(firstRow + rows.length - 1);
    }
    this.number += texts.length;
    this.nextRow += rows.length;
    return { firstRow, rows, ...this.beside.besides(this.flattener.takeUnknown(), lastRows) };
  }
  private rows(text: string, number: number, firstRow: number): RawRow[] {
    if (text.includes(DAMAGED)) return [new Unreadable(damagedWords('record'), shownDamaged(text).slice(0, 200))];
    const quick = this.quick?.read(text);
    if (quick) {
      quick[0] = String(number);
      return [quick];
    }
    const raw = text.slice(0, 200);
    try {
      return this.flattener.rows(parseJsonTree(text), number, () => text, firstRow);
    } catch (error) {
      return [new Unreadable(sentence((error as Error).message), raw)];
    }
  }
}

/** A whole object with nothing nested and no escapes: found by one expression, many times as fast as by its characters. */
const FLAT = /\{[^"{}[\]]*(?:"[^"\\]*"[^"{}[\]]*)*\}/y;
const WORD = /[-+.\w]+/y;
/** Elements in a row that are not flat before the expression is not tried any more. */
const MAX_MISSES = 50;

interface Level {
  readonly array: boolean;
  /** The member that is being read, for an object. */
  key: string | null;
}

/**
 * Cuts the elements of one array (`records` is its path by member names; empty for an array at the top, or a single object)
 * out of JSON that arrives in pieces. Memory is bounded by one element.
 */
export class JsonElements {
  private buffer = '';
  private at = 0;
  private start = -1;
  private depth = 0;
  private tooLong = false;
  /** Within a text of a record that is too long: its beginning is gone already. */
  private inText = false;
  private readonly levels: Level[] = [];
  private readonly path: readonly string[];
  private found = false;
  private begun = false;
  private count = 0;
  /** Elements in a row that were not flat. */
  private misses = 0;

  constructor(
    private readonly records: string,
    private readonly seesBeside: SeesBeside = () => undefined,
  ) {
    this.path = namesOnPath(records);
  }

  push(text: string): (string | Unreadable)[] {
    this.buffer += text;
    const out: (string | Unreadable)[] = [];
    this.scan(out);
    const keep = this.start >= 0 ? this.start : this.at;
    this.buffer = this.buffer.slice(keep);
    this.at -= keep;
    if (this.start >= 0) this.start = 0;
    if (this.start === 0 && this.buffer.length > MAX_RECORD) {
      if (!this.tooLong)
        out.push(
          new Unreadable(
            `The record is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters.`,
            this.buffer.slice(0, 200),
          ),
        );
      this.tooLong = true;
      // What was scanned is let go, also the text that may be open: of that, only whether its end is escaped still matters.
      this.inText = this.buffer[this.at] === '"';
      this.buffer = this.inText ? /\\*$/.exec(this.buffer)![0] : this.buffer.slice(this.at);
      this.at = 0;
    } else if (this.buffer.length > MAX_RECORD)
      throw new Fault(
        'unreadable',
        `It has a text of more than ${MAX_RECORD.toLocaleString('en-GB')} characters before its first record.`,
      );
    this.count += out.length;
    return out;
  }

  end(): (string | Unreadable)[] {
    if (!this.begun) throw new Fault('unreadable', 'There is no JSON in it.');
    if (this.start >= 0 || this.depth > 0 || this.levels.length > 0) {
      if (this.count === 0 && this.start < 0 && !this.found)
        throw new Fault('unreadable', 'The JSON is cut short before its first record.');
      return [new Unreadable('The JSON ends in the middle; the file was cut short.', this.buffer.slice(0, 200))];
    }
    if (!this.found)
      throw new Fault(
        'unreadable',
        this.records === ''
          ? 'It holds neither a list nor an object.'
          : `There is no list at “${this.records}” in it; choose another path for the records.`,
      );
    return [];
  }

  /** Whether the list was found and all is closed again: there is nothing more to come. */
  get isComplete(): boolean {
    return this.found && this.start < 0 && this.levels.length === 0;
  }

  /** Whether the list that was just opened is the one that is asked for. */
  private isWanted(): boolean {
    const keys = this.levels.filter((l) => !l.array).map((l) => l.key);
    return (
      keys.length === this.path.length && keys.every((k, i) => k === this.path[i]) && this.levels.length === keys.length
    );
  }

  /** What holds no records, and is just opened or read: told where it stands beside the way to them. */
  private lookBeside(records: number): void {
    const depth = this.levels.length;
    if (depth === 0 || depth > this.path.length || this.levels.some((level) => level.array)) return;
    const names = this.levels.map((level) => level.key ?? '');
    const isBeside = names.every((name, i) => (name === this.path[i]) === i < depth - 1);
    if (isBeside) this.seesBeside(pathOf(names), records);
  }

  private scan(out: (string | Unreadable)[]): void {
    const { buffer } = this;
    if (this.inText) {
      const end = this.textEnd(0);
      if (end < 0) {
        this.buffer = /\\*$/.exec(buffer)![0];
        return;
      }
      this.inText = false;
      this.at = end;
    }
    while (this.at < buffer.length) {
      const c = buffer.charCodeAt(this.at);
      if (this.start >= 0) {
        if (!this.inside(out)) return;
      } else if (!this.outside(c, out)) return;
    }
  }

  /** Within an element only depth and texts matter. False: wait for more. */
  private inside(out: (string | Unreadable)[]): boolean {
    const { buffer } = this;
    const { length } = buffer;
    let { at, depth } = this;
    if (at === this.start && this.misses < MAX_MISSES && buffer.charCodeAt(at) === 123) {
      FLAT.lastIndex = at;
      if (FLAT.test(buffer)) {
        at = FLAT.lastIndex;
        this.misses = 0;
        if (this.levels.length === 0) return this.endElement(at, 0, out);
      } else this.misses++;
    }
    for (; at < length; at++) {
      const c = buffer.charCodeAt(at);
      if (c === 34) {
        const end = closingQuote(buffer, at + 1);
        if (end < 0) break;
        at = end;
      } else if (c === 123 || c === 91) depth++;
      else if (c === 125 || c === 93) {
        if (depth > 0) depth--;
        // A bracket of the list around it ends the element; a single object ends with its own.
        else return this.endElement(at, 0, out);
        if (depth === 0 && this.levels.length === 0) return this.endElement(at + 1, 0, out);
      } else if (c === 44 && depth === 0) return this.endElement(at, 0, out);
    }
    this.at = at;
    this.depth = depth;
    return false;
  }
  private endElement(at: number, depth: number, out: (string | Unreadable)[]): boolean {
    this.at = at;
    this.depth = depth;
    return this.finish(out);
  }
  private finish(out: (string | Unreadable)[]): boolean {
    const text = this.buffer.slice(this.start, this.at).trimEnd();
    this.before = 'a record';
    if (!this.tooLong && text !== '') out.push(text);
    this.tooLong = false;
    this.start = -1;
    return true;
  }

  /** On the way to the records. */
  private outside(c: number, out: (string | Unreadable)[]): boolean {
    const level = this.levels.at(-1);
    const among = level?.array === true && this.found && this.isRecordLevel();
    if (c === 32 || c === 10 || c === 13 || c === 9 || c === 44 || c === 58) {
      if (c === 44 && among) {
        if (this.before !== 'a record') out.push(missing('before', this.around(this.at)));
        this.before = 'a comma';
      }
      this.at++;
      return true;
    }
    if (among) {
      if (c === 93) {
        if (this.before === 'a comma') out.push(missing('behind', this.around(this.at)));
        this.levels.pop();
        // Another list at the same depth is not theirs.
        this.recordLevel = -1;
        this.at++;
      } else if (c === 125) {
        // It closes nothing: as the beginning of a record it would also be its end, for ever.
        out.push(new Unreadable('There is a } too many in the list, or a ] too many before it.', this.around(this.at)));
        this.at++;
      } else {
        this.start = this.at;
        this.depth = 0;
      }
      return true;
    }
    if (this.levels.length === 0) {
      this.begun = true;
      if (c !== 123 && c !== 91)
        throw new Fault(
          'unreadable',
          `It is not JSON of records: there is “${this.buffer.slice(this.at, this.at + 20)}” outside any list or object.`,
        );
      // A single object is a record, and so are several one after the other.
      if (c === 123 && this.path.length === 0) {
        this.found = true;
        this.start = this.at;
        this.depth = 0;
        return true;
      }
    }
    if (c === 34) {
      const end = this.textEnd();
      if (end < 0) return false;
      // A text is a key when a colon follows it.
      let next = end;
      while (next < this.buffer.length && /\s/.test(this.buffer[next]!)) next++;
      if (next >= this.buffer.length) return false;
      const text = this.buffer.slice(this.at, end);
      if (hasControls(text)) this.tellStrange(out);
      if (level && !level.array && this.buffer[next] === ':') level.key = keyOf(text);
      else this.lookBeside(out.length);
      this.at = end;
    } else if (c === 123 || c === 91) {
      const wanted = c === 91 && this.isWanted();
      if (!wanted) this.lookBeside(out.length);
      this.levels.push({ array: c === 91, key: null });
      if (this.levels.length > 1000) throw new Fault('unreadable', tooDeep);
      if (wanted) {
        this.found = true;
        this.recordLevel = this.levels.length;
        this.before = 'nothing';
      }
      this.at++;
    } else if (c === 125 || c === 93) {
      this.levels.pop();
      this.at++;
    } else {
      return this.outsideWord(out);
    }
    return true;
  }
  /** A number, true, false or null. False: wait for more. */
  private outsideWord(out: (string | Unreadable)[]): boolean {
    WORD.lastIndex = this.at;
    const word = WORD.exec(this.buffer)?.[0] ?? '';
    if (word === '') {
      this.tellStrange(out);
      this.at++;
      return true;
    }
    if (this.at + word.length === this.buffer.length) return false;
    if (word !== 'null') this.lookBeside(out.length);
    // In the place of the list it is a list without records: some programs write it so.
    else if (this.isWanted()) this.found = true;
    this.at += word.length;
    return true;
  }
  private strange = false;
  /** Something was damaged, if none of the records; once. */
  private tellStrange(out: (string | Unreadable)[]): void {
    if (!this.strange)
      out.push(new Unreadable('Beside the records there is something that is no JSON.', this.around(this.at)));
    this.strange = true;
  }
  private around(at: number): string {
    return this.buffer.slice(Math.max(0, at - 40), at + 40);
  }
  private recordLevel = -1;
  /** What stands before the place in the list of records. */
  private before: 'nothing' | 'a record' | 'a comma' = 'nothing';
  private isRecordLevel(): boolean {
    return this.levels.length === this.recordLevel;
  }

  /** Behind the closing quote of the text that begins here, or -1 when it is not all there yet. */
  private textEnd(start = this.at + 1): number {
    const end = closingQuote(this.buffer, start);
    return end < 0 ? -1 : end + 1;
  }
}
/** JSON has a value on both sides of a comma: one may have been lost there. */
function missing(side: 'before' | 'behind', around: string): Unreadable {
  return new Unreadable(`There is no record ${side} a comma of the list.`, around);
}
/** Where the text that begins at `from` ends: its closing quote, or -1 when it is not all there. */
function closingQuote(text: string, from: number): number {
  for (let at = from; ;) {
    const end = text.indexOf('"', at);
    if (end < 0) return -1;
    let backslashes = 0;
    while (end - backslashes > from && text.charCodeAt(end - 1 - backslashes) === 92) backslashes++;
    if (backslashes % 2 === 0) return end;
    at = end + 1;
  }
}
/** JSON has none within a text. */
function hasControls(text: string): boolean {
  for (let i = 0; i < text.length; i++) if (text.charCodeAt(i) < 32) return true;
  return false;
}
function keyOf(text: string): string {
  try {
    return JSON.parse(text) as string;
  } catch {
    return text;
  }
}

/** Where records are, by the names that lead there: `data.items`; a dot within a name stands behind a backslash. */
const pathOf = (names: readonly string[]): string => names.map((name) => name.replace(/[\\.]/g, '\\$&')).join('.');
function namesOnPath(path: string): string[] {
  if (path === '') return [];
  const names = [''];
  for (let i = 0; i < path.length; i++)
    if (path[i] === '.') names.push('');
    else names[names.length - 1] += path[i] === '\\' && i + 1 < path.length ? path[++i]! : path[i]!;
  return names;
}

/**
 * Where the records are in a sample (which may be cut): the list with the most objects that is not inside another such
 * list; the uppermost of equals. Empty for a list at the top or a single object.
 */
export function guessRecords(sample: string): string {
  const counts = new Map<string, number>();
  const levels: Level[] = [];
  let within = -1;
  for (let i = 0; i < sample.length; i++) {
    const c = sample.charCodeAt(i);
    const level = levels.at(-1);
    if (c === 34) {
      let end = i + 1;
      while (end < sample.length && sample.charCodeAt(end) !== 34) end += sample.charCodeAt(end) === 92 ? 2 : 1;
      let next = end + 1;
      while (next < sample.length && /\s/.test(sample[next]!)) next++;
      if (level && !level.array && sample[next] === ':') level.key = keyOf(sample.slice(i, end + 1));
      i = end;
    } else if (c === 123 || c === 91) {
      if (c === 123 && level?.array && (within < 0 || within === levels.length)) {
        const path = levels.filter((l) => !l.array).map((l) => l.key ?? '');
        if (levels.length === path.length + 1) {
          const at = pathOf(path);
          counts.set(at, (counts.get(at) ?? 0) + 1);
          within = levels.length;
        }
      }
      if (levels.length > 1000) break;
      levels.push({ array: c === 91, key: null });
    } else if (c === 125 || c === 93) {
      levels.pop();
      if (levels.length < within) within = -1;
    }
  }
  let best = '';
  let most = 0;
  for (const [path, count] of counts) if (count > most) [best, most] = [path, count];
  return best;
}
