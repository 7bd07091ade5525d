import type { Database } from '@versicle/postgres';
import { namedParts, packed, type NamedPart } from './delivered-parts.ts';
import { HALF, UNKNOWN, WIDTH } from './digests.ts';
import type { KnownRecords } from './known-records.ts';

/** Records of a part, about: as many as a chunk has. */
const PART = 20_000;
/** Parts that nobody minds, however small they are. */
const FEW = 32;

/**
 * Brings together what many small deliveries left, and leaves out what later ones replaced, where that is worth it. Each step
 * says the same as what was there before, so that it may be cut off anywhere; what others changed meanwhile is left as it is.
 * `known` is all that is remembered, as it was loaded.
 */
export async function tidyParts(db: Database, memory: number, known: KnownRecords, few = FEW): Promise<void> {
  const { last, parts, records } = known.extent;
  const areSmall = parts > few + (2 * records) / PART;
  const isHalfOld = parts > few && records > 2 * known.count + PART;
  if (!areSmall && !isHalfOld) return;
  let group: NamedPart[] = [];
  let kept = new Kept();
  let number = 0;
  for await (const part of namedParts(db, memory, last)) {
    group.push(part);
    for (let at = 0; at * WIDTH < part.digests.length; at++, number++) {
      const { isThere, isSure } = known.has(part.digests, at, number);
      if (isThere) kept.add(part, at, isSure);
    }
    if (kept.records < PART) continue;
    await replace(db, memory, group, kept);
    [group, kept] = [[], new Kept()];
  }
  if (group.length > 0) await replace(db, memory, group, kept);
}

/** The records that go on, in their order. */
class Kept {
  readonly digests: Uint8Array[] = [];
  readonly cells: (readonly (string | null)[] | null)[] = [];
  readonly sources: (string | null)[] = [];
  get records(): number {
    return this.digests.length;
  }
  add({ digests, cells, sources }: NamedPart, at: number, isSure: boolean): void {
    const digest = digests.slice(at * WIDTH, (at + 1) * WIDTH);
    if (!isSure) digest.set(UNKNOWN, HALF);
    this.digests.push(digest);
    this.cells.push(cells?.[at] ?? null);
    this.sources.push(sources?.[at] ?? null);
  }
}
async function replace(db: Database, memory: number, group: readonly NamedPart[], kept: Kept): Promise<void> {
  const numbers = group.map((p) => p.number);
  const bytes = group.reduce((sum, p) => sum + p.digests.length, 0);
  const named = <T>(of: readonly T[]): string | null => (of.every((v) => v === null) ? null : JSON.stringify(of));
  await db.query(
    `WITH still AS (SELECT count(*) = cardinality($2::bigint[]) AND sum(length(digests)) = $3 AS so FROM delivered_part WHERE memory = $1 AND number = ANY ($2::bigint[])),
          gone AS (DELETE FROM delivered_part WHERE memory = $1 AND number = ANY ($2::bigint[]) AND number <> $4 AND (SELECT so FROM still))
     UPDATE delivered_part SET run = NULL, unsure = false, digests = decode($5, 'base64'), cells = $6, sources = $7
      WHERE memory = $1 AND number = $4 AND (SELECT so FROM still)`,
    [
      memory,
      numbers,
      bytes,
      numbers.at(-1),
      packed(Buffer.concat(kept.digests)),
      named(kept.cells),
      named(kept.sources),
    ],
  );
}
