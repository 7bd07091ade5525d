import type { CompiledMapping } from '../compile/compile.ts';
import type { Value } from '../fields/values.ts';
import { KeySet } from '../key-set.ts';
import { keyOf } from '../rules/compare.ts';

/**
 * What a record is told apart by, for each key of the document; null where a part of it is null: nulls are never equal. A number
 * stands for a key that whoever made them knows by it, and never writes as a text then.
 */
export type KeyTexts = readonly (string | number | null)[];

/** Of the records that go through it, in the order of the source, the first with a key wins. */
export class KeyCheck {
  private readonly seen: readonly SeenKeys[];

  constructor(keys: number) {
    this.seen = Array.from({ length: keys }, () => new SeenKeys());
  }

  /** Lets a record through, or gives the keys that came before. */
  take(texts: KeyTexts): readonly number[] | null {
    const { seen } = this;
    // The everyday case, without lists on the way.
    if (texts.length === 1) {
      const [text] = texts;
      return text === null || seen[0]!.add(text!) ? null : [0];
    }
    const twice = texts.flatMap((text, i) => (text !== null && seen[i]!.has(text) ? [i] : []));
    if (twice.length > 0) return twice;
    for (const [i, text] of texts.entries()) if (text !== null) seen[i]!.add(text);
    return null;
  }
}

/** Those of one key. */
class SeenKeys {
  private readonly texts = new KeySet();
  private readonly numbers = new NumberSet();

  has(key: string | number): boolean {
    return typeof key === 'number' ? this.numbers.has(key) : this.texts.has(key);
  }
  /** False when it was there already. */
  add(key: string | number): boolean {
    return typeof key === 'number' ? this.numbers.add(key) : this.texts.add(key);
  }
}
/** Whole numbers from zero, a bit each. */
class NumberSet {
  private bits = new Uint32Array(1024);

  has(number: number): boolean {
    return ((this.bits[number >>> 5] ?? 0) & (1 << (number & 31))) !== 0;
  }
  add(number: number): boolean {
    if (this.has(number)) return false;
    const word = number >>> 5;
    if (word >= this.bits.length) {
      const wider = new Uint32Array(Math.max(word + 1, 2 * this.bits.length));
      wider.set(this.bits);
      this.bits = wider;
    }
    this.bits[word]! |= 1 << (number & 31);
    return true;
  }
}

export function keyTexts(values: readonly Value[], { keys, columns }: CompiledMapping): KeyTexts {
  return keys.map((key) => keyText(values, key.indexes, columns));
}
function keyText(
  values: readonly Value[],
  indexes: readonly number[],
  columns: CompiledMapping['columns'],
): string | null {
  if (indexes.length === 1) {
    const at = indexes[0]!;
    return values[at] === null ? null : keyOf(values[at]!, columns[at]!.type.value);
  }
  let text = '';
  for (const at of indexes) {
    if (values[at] === null) return null;
    const part = keyOf(values[at]!, columns[at]!.type.value);
    text += `${part.length}:${part}`;
  }
  return text;
}
