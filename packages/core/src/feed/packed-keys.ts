import type { KeyTexts } from './key-check.ts';

/** What many records are told apart by, as one text and where each part of it ends: it goes from thread to thread at once. */
export interface PackedKeys {
  /** Keys of a record. */
  readonly width: number;
  readonly text: string;
  /** Where each part ends; one that is null ends before it begins, and a number n at -2 - n. */
  readonly ends: Float64Array;
}

export class KeyPacker {
  private parts: string[] = [];
  private ends: number[] = [];
  private length = 0;

  constructor(private readonly width: number) {}

  add(texts: KeyTexts): void {
    for (const text of texts) {
      if (text === null || typeof text === 'number') {
        this.ends.push(text === null ? -1 : -2 - text);
        continue;
      }
      this.parts.push(text);
      this.length += text.length;
      this.ends.push(this.length);
    }
  }
  take(): PackedKeys {
    const packed = { width: this.width, text: this.parts.join(''), ends: Float64Array.from(this.ends) };
    this.parts = [];
    this.ends = [];
    this.length = 0;
    return packed;
  }
}

export function* eachKey({ width, text, ends }: PackedKeys): Generator<KeyTexts> {
  if (width === 0) return;
  let at = 0;
  for (let i = 0; i < ends.length; i += width) {
    const texts = new Array<string | number | null>(width);
    for (let k = 0; k < width; k++) {
      const end = ends[i + k]!;
      texts[k] = end >= 0 ? text.slice(at, end) : end === -1 ? null : -2 - end;
      if (end >= 0) at = end;
    }
    yield texts;
  }
}
