import { DAMAGED } from './decode.ts';
import { MAX_RECORD, Unreadable } from './format.ts';

/**
 * Cuts text that arrives in pieces into lines. One that is too long for a record, or has bytes outside the encoding, comes
 * as what is wrong with it; memory is bounded by one line.
 */
export class LineSplitter {
  private buffer = '';
  private discarding = false;

  /** The lines that are whole with this text, blank ones left out; `last`: what is left is a line, too. */
  push(text: string, last: boolean): (string | Unreadable)[] {
    this.buffer += text;
    const lines: (string | Unreadable)[] = [];
    let at = 0;
    while (at < this.buffer.length) {
      const found = this.buffer.indexOf('\n', at);
      if (found < 0 && !last) break;
      const end = found < 0 ? this.buffer.length : found;
      const line = this.buffer.slice(at, end > at && this.buffer[end - 1] === '\r' ? end - 1 : end);
      at = end + 1;
      if (this.discarding) this.discarding = false;
      else if (line.trim() !== '') lines.push(line.includes(DAMAGED) ? damaged(line) : line);
    }
    this.buffer = this.buffer.slice(Math.min(at, this.buffer.length));
    if (this.buffer.length > MAX_RECORD) {
      if (!this.discarding) lines.push(tooLong(this.buffer));
      this.discarding = true;
      this.buffer = '';
    }
    return lines;
  }
}
const damaged = (line: string): Unreadable =>
  new Unreadable('The line has bytes that are not in the file’s encoding.', line.replace(DAMAGED, '').slice(0, 200));
const tooLong = (text: string): Unreadable =>
  new Unreadable(`The line is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters.`, text.slice(0, 200));
