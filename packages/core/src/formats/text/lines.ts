import { DAMAGED, damagedWords, shownDamaged } from './decode.ts';
import { MAX_RECORD, Unreadable } from '../format.ts';

/**
 * Cuts text that arrives in pieces into lines. One that is too long for a record, or has bytes outside the encoding, comes
 * as what is wrong with it; memory is bounded by one line.
 */
export class LineSplitter {
  private buffer = '';
  private discarding = false;

  /** `toSkip`: lines at the beginning that don't count, blank ones among them. */
  constructor(
    private toSkip = 0,
    private readonly newline: '\n' | '\r' = '\n',
  ) {}
  /** Where the buffer begins, and where each line that came last ends, in characters of the file. */
  offset = 0;
  ends: number[] = [];

  /** Where it has come to, in characters of the file. */
  get at(): number {
    return this.offset + this.buffer.length;
  }

  /** The beginning of a line that waits for its end; null while one that is too long is thrown away. */
  takeRest(): string | null {
    if (this.discarding) return null;
    const rest = this.buffer;
    this.buffer = '';
    this.offset += rest.length;
    return rest;
  }

  /** The lines that are whole with this text, blank ones left out; `last`: what is left is a line, too. */
  push(text: string, last: boolean): (string | Unreadable)[] {
    this.buffer += text;
    const lines: (string | Unreadable)[] = [];
    this.ends = [];
    let at = 0;
    while (at < this.buffer.length) {
      const found = this.buffer.indexOf(this.newline, at);
      if (found < 0 && !last) break;
      const end = found < 0 ? this.buffer.length : found;
      const isPair = this.newline === '\n' && end > at && this.buffer[end - 1] === '\r';
      const line = this.buffer.slice(at, isPair ? end - 1 : end);
      at = end + 1;
      if (this.discarding) this.discarding = false;
      else if (this.toSkip > 0) this.toSkip--;
      else if (line.trim() !== '') {
        lines.push(line.includes(DAMAGED) ? damaged(line) : line);
        this.ends.push(this.offset + Math.min(at, this.buffer.length));
      }
    }
    this.offset += Math.min(at, this.buffer.length);
    this.buffer = this.buffer.slice(Math.min(at, this.buffer.length));
    if (this.buffer.length > MAX_RECORD) {
      this.offset += this.buffer.length;
      if (this.toSkip > 0) this.toSkip--;
      else if (!this.discarding) {
        lines.push(tooLong(this.buffer));
        this.ends.push(this.offset);
      }
      this.discarding = true;
      this.buffer = '';
    }
    return lines;
  }
}
const damaged = (line: string): Unreadable => new Unreadable(damagedWords('line'), shownDamaged(line).slice(0, 200));
const tooLong = (text: string): Unreadable =>
  new Unreadable(`The line is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters.`, text.slice(0, 200));
