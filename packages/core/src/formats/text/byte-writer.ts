/** Text put together as UTF-8 bytes, without a string in between: what files and COPY are written with. */
export class ByteWriter {
  private bytes: Uint8Array;
  private view: { encodeInto(text: string, into: Uint8Array): { written: number } } = new TextEncoder();
  length = 0;

  constructor(size = 64 * 1024) {
    this.bytes = new Uint8Array(size);
  }

  private grow(wanted: number): void {
    if (this.length + wanted <= this.bytes.length) return;
    const larger = new Uint8Array(Math.max(this.bytes.length * 2, this.length + wanted));
    larger.set(this.bytes.subarray(0, this.length));
    this.bytes = larger;
  }

  /** One ASCII character, by its code. */
  ascii(code: number): void {
    if (this.length === this.bytes.length) this.grow(1);
    this.bytes[this.length++] = code;
  }

  text(text: string): void {
    const { length } = text;
    this.grow(length * 3);
    const { bytes } = this;
    let at = this.length;
    for (let i = 0; i < length; i++) {
      const code = text.charCodeAt(i);
      if (code > 127) {
        this.length = at + this.view.encodeInto(text.slice(i), bytes.subarray(at)).written;
        return;
      }
      bytes[at++] = code;
    }
    this.length = at;
  }

  /** Bytes as they are. */
  bytesOf(bytes: Uint8Array): void {
    this.grow(bytes.length);
    this.bytes.set(bytes, this.length);
    this.length += bytes.length;
  }

  /** A text as a cell of COPY's text format, its special characters escaped. */
  copyCell(text: string): void {
    const { length } = text;
    this.grow(length * 3);
    const { bytes } = this;
    let at = this.length;
    for (let i = 0; i < length; i++) {
      const code = text.charCodeAt(i);
      if (code < 14 || code === 92 || code > 127) return this.text(escaped(text));
      bytes[at++] = code;
    }
    this.length = at;
  }

  /** The bytes so far, as a buffer of their own; the writer is empty afterwards. */
  take(): Uint8Array {
    const taken = this.bytes.slice(0, this.length);
    this.length = 0;
    return taken;
  }
}

function escaped(text: string): string {
  return text.replace(/[\\\t\n\r]/g, (c) => (c === '\\' ? '\\\\' : c === '\t' ? '\\t' : c === '\n' ? '\\n' : '\\r'));
}
