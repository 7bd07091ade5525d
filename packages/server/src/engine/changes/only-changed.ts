import { onlyAt, type Rejection } from '@versicle/core';
import type { MappedChunk } from '../messages.ts';
import { digestsAt, digestText, HALF } from './digests.ts';
import type { KnownRecords } from './known-records.ts';

/** A chunk without what was delivered before just as it is. */
export interface ChangedChunk {
  readonly mapped: MappedChunk;
  /** The place among the chunk's written records of one that is left. */
  readonly placeOf: (index: number) => number;
}

/** Leaves out of a chunk what was delivered before, or waits in another run, as it is now. */
export function onlyChanged(
  known: KnownRecords,
  /** By key, as text: what waits in another run and is sent last. */
  waiting: ReadonlyMap<string, string>,
  mapped: MappedChunk,
): ChangedChunk {
  const same = known.same(mapped.digests);
  if (waiting.size > 0)
    for (let at = 0; at < mapped.counts.written; at++) {
      const digest = digestText(mapped.digests, at) ?? '';
      const last = waiting.get(digest.slice(0, 2 * HALF));
      // What the target has now is not what it will have.
      if (last === digest) same.add(at);
      else if (last !== undefined) same.delete(at);
    }
  if (same.size === 0) return { mapped, placeOf: (index) => index };
  const places = Array.from({ length: mapped.counts.written }, (_, at) => at).filter((at) => !same.has(at));
  return { mapped: without(mapped, same, places), placeOf: (index) => places[index]! };
}

function without(mapped: MappedChunk, same: ReadonlySet<number>, places: readonly number[]): MappedChunk {
  const at = new Map(places.map((place, index) => [place, index]));
  const pick = <T>(of: readonly T[]): T[] => (of.length === 0 ? [] : places.map((place) => of[place]!));
  return {
    ...mapped,
    counts: { ...mapped.counts, written: places.length },
    unchanged: mapped.unchanged + same.size,
    digests: digestsAt(mapped.digests, places),
    parts: mapped.parts.map((part) => ({
      ...part,
      rows: places.length,
      content: onlyAt(part.content, places),
      ids: pick(part.ids),
    })),
    keyCells: pick(mapped.keyCells),
    sourceCells: pick(mapped.sourceCells),
    keys: pick(mapped.keys),
    records: pick(mapped.records),
    settled: mapped.settled.map((s) => ({ ...s, index: at.get(s.index) ?? -1 })),
    // What there was to be noted of a record that is there already still holds.
    failed: mapped.failed.map((f) => (f.index === null ? f : { ...f, index: at.get(f.index) ?? null })),
  };
}

/** The refusals of a chunk as the mapping thread knows its records. */
export const asMapped = (rejections: readonly Rejection[], placeOf: ChangedChunk['placeOf']): readonly Rejection[] =>
  rejections.map((r) => ({ ...r, index: placeOf(r.index) }));
