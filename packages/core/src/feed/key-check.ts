import type { CompiledMapping } from '../compile/compile.ts';
import type { Value } from '../fields/values.ts';
import { KeySet } from '../key-set.ts';
import { keyOf } from '../rules/compare.ts';

/** What a record is told apart by, for each key of the document; null where a part of it is null: nulls are never equal. */
export type KeyTexts = readonly (string | null)[];

/** Of the records that go through it, in the order of the source, the first with a key wins. */
export class KeyCheck {
  private readonly seen: readonly KeySet[];

  constructor(keys: number) {
    this.seen = Array.from({ length: keys }, () => new KeySet());
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
