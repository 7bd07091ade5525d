import { hash } from 'node:crypto';
import { outputText, type Column, type Value } from '@versicle/core';

/** Bytes of a key's hash, and of a record's. */
export const HALF = 16;
/** Bytes that a record takes: both. */
export const WIDTH = 2 * HALF;

/** In place of a content's hash: the target has had the record, and nobody knows what it has now. */
export const UNKNOWN = new Uint8Array(HALF).fill(0x11);
/** If the target has the record, nobody knows what it has of it now. */
export const FORGOTTEN = new Uint8Array(HALF);
/** The target does not have the record any more. */
export const REMOVED = new Uint8Array(HALF).fill(0xff);
/** Whether these bytes stand in place of a content. */
export function isContent(digests: Uint8Array, from: number, content: Uint8Array): boolean {
  for (let i = 0; i < HALF; i++) if (digests[from + i] !== content[i]) return false;
  return true;
}
/** The same keys with another content. */
export function withContent(digests: Uint8Array, content: Uint8Array): Uint8Array {
  const out = digests.slice();
  for (let from = HALF; from < out.length; from += WIDTH) out.set(content, from);
  return out;
}

/**
 * What each written record of a chunk is known by: the hash of its target key, then the hash of its content. A record whose
 * key is not whole has zeros there: it is never taken for one that was delivered.
 */
export class Digests {
  private readonly own: readonly number[];
  private readonly head: string;
  private bytes = new Uint8Array(1024 * WIDTH);
  private length = 0;
  private lastValues: readonly Value[] | null = null;
  private lastKey: Uint8Array | null = null;

  /** `made`: columns that are given anew to each record, such as a counted number: they are no part of its content. */
  constructor(
    private readonly columns: readonly Column[],
    private readonly key: readonly number[],
    made: ReadonlySet<string>,
  ) {
    this.own = columns.flatMap(({ name }, i) => (made.has(name) ? [] : [i]));
    this.head = this.own.map((i) => `${columns[i]!.name} ${columns[i]!.type}`).join('\n');
  }

  /** Of a record that may be added next. */
  keyOf(values: readonly Value[]): Uint8Array | null {
    if (values !== this.lastValues) {
      this.lastKey = keyDigest(this.columns, values, this.key);
      this.lastValues = values;
    }
    return this.lastKey;
  }
  /** The record that was added last. */
  get last(): Uint8Array {
    return this.bytes.subarray(this.length - WIDTH, this.length);
  }
  add(values: readonly Value[]): void {
    if (this.length === this.bytes.length) {
      const wider = new Uint8Array(2 * this.bytes.length);
      wider.set(this.bytes);
      this.bytes = wider;
    }
    const key = this.keyOf(values);
    if (key !== null) {
      this.bytes.set(key, this.length);
      this.bytes.set(digestOf(this.columns, this.head, values, this.own), this.length + HALF);
    }
    this.length += WIDTH;
  }
  /** Of all that were added since it was taken last, one after the other. */
  take(): Uint8Array {
    const taken = this.bytes.slice(0, this.length);
    this.bytes.fill(0, 0, this.length);
    this.length = 0;
    return taken;
  }
}

/** What a record's key is known by; null where it is not whole. */
export const keyDigest = (
  columns: readonly Column[],
  values: readonly Value[],
  key: readonly number[],
): Uint8Array | null => (key.some((i) => (values[i] ?? null) === null) ? null : digestOf(columns, '', values, key));
function digestOf(
  columns: readonly Column[],
  head: string,
  values: readonly Value[],
  at: readonly number[],
): Uint8Array {
  let text = head;
  for (const i of at) text += withLength(outputText(values[i] ?? null, columns[i]!.type));
  return hash('sha256', text, 'buffer').subarray(0, HALF);
}
/** With its length before it no cell can be taken for two. */
const withLength = (cell: string | null): string => (cell === null ? '\n-' : `\n${cell.length} ${cell}`);
/** What a key is known by whose values are there as texts. */
export const keyDigestOfTexts = (cells: readonly (string | null)[]): Uint8Array =>
  hash('sha256', cells.map(withLength).join(''), 'buffer').subarray(0, HALF);

const digestAt = (digests: Uint8Array, at: number): Uint8Array => digests.subarray(at * WIDTH, (at + 1) * WIDTH);
const isWhole = (digests: Uint8Array, at: number): boolean => digestAt(digests, at).some((byte) => byte !== 0);

/** The records at some places, one after the other. */
export function digestsAt(digests: Uint8Array, places: readonly number[]): Uint8Array {
  const out = new Uint8Array(places.length * WIDTH);
  places.forEach((place, i) => out.set(digestAt(digests, place), i * WIDTH));
  return out;
}
/** Of some places those whose key is whole. */
export const wholePlaces = (digests: Uint8Array, places: readonly number[]): number[] =>
  places.filter((place) => isWhole(digests, place));
/** One of them as text; null where its key is not whole. */
export const digestText = (digests: Uint8Array, at: number): string | null =>
  isWhole(digests, at) ? Buffer.from(digestAt(digests, at)).toString('hex') : null;
export const digestsOfTexts = (texts: readonly string[]): Uint8Array => Buffer.from(texts.join(''), 'hex');
