import type { StreamFormat } from './file-format.ts';
import type { Encoding } from './format.ts';

/** Bytes that a guess is made from; nested text needs more, as its records are longer and its structure is learned. */
export const SAMPLE = 64 * 1024;
export const NESTED_SAMPLE = 1024 * 1024;
/** Where no header or record ends within those. */
export const LARGEST_SAMPLE = 8 * 1024 * 1024;
/** The beginning of a file, from which its format is guessed. */
export interface Sample {
  readonly bytes: Uint8Array;
  readonly encoding: Encoding;
  /** What the encoding is known from. */
  readonly reason: string;
  /** As far as its lines are whole. */
  readonly text: string;
  /** In small letters, without what says that it is packed. */
  readonly name: string;
  /** As people know it. */
  readonly fileName: string;
}

/** A guessed format and, for people, what it was guessed from. */
export interface Guess<F extends StreamFormat = StreamFormat> {
  readonly format: F;
  readonly reasons: readonly string[];
}
