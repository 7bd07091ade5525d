import { hash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { hasDatedCodes, isComposed, variablesAsked, type MappingDocument } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { breath } from '../../breath.ts';
import type { SourcePlan } from '../../systems/kinds/kind.ts';
import { ahead } from './ahead.ts';
import { packed, unpacked } from './delivered-parts.ts';
import { HALF, keyDigestOfTexts } from './digests.ts';
import { placeOfKey, wordsOf, type KeyTable, type KnownRecords } from './known-records.ts';

/**
 * What became of records when they were mapped in just the same way: the hash of what was read, then that of the key and of the
 * content. A record of which this is known, and which the target has just so, need not be mapped again to know that it is
 * unchanged. Only what depends on nothing but the record itself is remembered: whoever maps it notices what else was asked for.
 */
const ORIGIN = 8;
const ENTRY = ORIGIN + HALF + 8;
/** Entries of records that the source does not have any more are let be, until there are so many more than records. */
const STALE = 100_000;
/** Parts that are read at a time. */
const AT_A_TIME = 16;
/** Places for each record. */
const ROOM = 1.5;

/** For threads that map: what they share of it. */
export interface MappedBefore {
  /** The keys of all that was delivered. */
  readonly keys: KeyTable;
  /** Hashes of records that the target has as they are; two words a place, both zero where it is free. */
  readonly origins: Uint32Array;
  /** Likewise the places of their keys. */
  readonly places: Uint32Array;
}

/** What was read of a record, in short; of two that differ it differs. */
export const originOf = (row: readonly (string | null)[]): Uint8Array =>
  hash('sha256', JSON.stringify(row), 'buffer').subarray(0, ORIGIN);
/** The place of the key of a record that is unchanged; -1: nothing is known. */
export function unchangedAt({ origins, places }: MappedBefore, origin: Uint8Array): number {
  const at = placeOfOrigin(origins, wordsOf(origin), 0);
  return origins[at * 2] === 0 && origins[at * 2 + 1] === 0 ? -1 : places[at]!;
}
export { placeOfKey };
function placeOfOrigin(origins: Uint32Array, words: Uint32Array, from: number): number {
  const all = origins.length / 2;
  for (let at = words[from]! % all; ; at = at + 1 === all ? 0 : at + 1) {
    const isFree = origins[at * 2] === 0 && origins[at * 2 + 1] === 0;
    if (isFree || (origins[at * 2] === words[from] && origins[at * 2 + 1] === words[from + 1])) return at;
  }
}

/** What became of the records of a chunk, one entry after the other. */
export class Learned {
  private bytes = new Uint8Array(1024 * ENTRY);
  private length = 0;

  /** `digests`: of the key and of the content. */
  add(origin: Uint8Array, digests: Uint8Array): void {
    if (this.length === this.bytes.length) {
      const wider = new Uint8Array(2 * this.bytes.length);
      wider.set(this.bytes);
      this.bytes = wider;
    }
    this.bytes.set(origin, this.length);
    this.bytes.set(digests.subarray(0, ENTRY - ORIGIN), this.length + ORIGIN);
    this.length += ENTRY;
  }
  take(): Uint8Array {
    const taken = this.bytes.slice(0, this.length);
    this.length = 0;
    return taken;
  }
}
export const learn = (memory: number, identity: string, entries: Uint8Array): Statement[] =>
  entries.length === 0
    ? []
    : [
        {
          sql: "INSERT INTO mapped_part (memory, identity, entries) VALUES ($1, $2, decode($3, 'base64'))",
          params: [memory, identity, packed(entries)],
        },
      ];

/** The program that maps: another version of it may make something else of a record. */
let program: string | null = null;
function programHash(): string {
  program ??= ['share-worker.cjs', 'map-worker.cjs']
    .map((name) => hash('sha256', readFileSync(new URL(`./${name}`, import.meta.url)), 'hex'))
    .join();
  return program;
}
/** All on which it depends what becomes of a record; null where it can't be told, or is another one each day. */
export function mappedAs(
  document: MappingDocument,
  { format, fields, types }: SourcePlan,
  variables: Readonly<Record<string, string>>,
): string | null {
  if (isComposed(document) || hasDatedCodes(document)) return null;
  // A plan gives others besides, such as the number of its run.
  const asked = variablesAsked(document).map((name) => [name, variables[name]]);
  return hash('sha256', JSON.stringify([programHash(), document, format, fields, types ?? null, asked]), 'hex');
}

/**
 * Loads what is remembered of records that the target has as they are. `open`: keys of failures that are not mended, as texts;
 * who brings one of these is mapped, so that they are noticed to go well.
 */
export async function mappedBefore(
  db: Database,
  memory: number,
  identity: string,
  known: KnownRecords,
  open: readonly (readonly (string | null)[])[],
): Promise<MappedBefore> {
  await tidy(db, memory, identity, known.count);
  const [of] = await db.query<{ last: string; entries: string }>(
    `SELECT COALESCE(max(number), 0) AS last, COALESCE(sum(length(entries)), 0) / ${ENTRY} AS entries FROM mapped_part WHERE memory = $1 AND identity = $2`,
    [memory, identity],
  );
  const all = Math.max(16, Math.ceil(Number(of!.entries) * ROOM));
  const origins = new Uint32Array(new SharedArrayBuffer(all * 8));
  const places = new Uint32Array(new SharedArrayBuffer(all * 4));
  const notThese = new Set(open.map((cells) => placeOfKey(known.table, keyDigestOfTexts(cells))));
  const parts = ahead(partsOf(db, memory, identity, Number(of!.last)));
  for await (const batch of parts)
    for (const entries of batch) {
      const words = wordsOf(unpacked(entries));
      for (let from = 0; from < words.length; from += ENTRY / 4) {
        const place = known.placeOfSame(words, from + ORIGIN / 4);
        if (place < 0 || notThese.has(place) || (words[from] === 0 && words[from + 1] === 0)) continue;
        const at = placeOfOrigin(origins, words, from);
        origins.set(words.subarray(from, from + 2), at * 2);
        places[at] = place;
      }
      // A million records are gone through in the thread that answers people.
      await breath();
    }
  return { keys: known.table, origins, places };
}
/** Of what is mapped otherwise only the newest is kept, since two plans may give other values to variables by turns. */
async function tidy(db: Database, memory: number, identity: string, count: number): Promise<void> {
  await db.query(
    `DELETE FROM mapped_part WHERE memory = $1 AND identity <> $2
        AND identity <> (SELECT identity FROM mapped_part WHERE memory = $1 AND identity <> $2 ORDER BY number DESC LIMIT 1)`,
    [memory, identity],
  );
  await db.query(
    `DELETE FROM mapped_part WHERE memory = $1 AND identity = $2
        AND (SELECT sum(length(entries)) / ${ENTRY} FROM mapped_part WHERE memory = $1 AND identity = $2) > $3`,
    [memory, identity, 2 * count + STALE],
  );
}
async function* partsOf(
  db: Database,
  memory: number,
  identity: string,
  last: number,
): AsyncGenerator<readonly string[]> {
  for (let after = 0; ;) {
    const rows = await db.query<{ number: string; entries: string }>(
      `SELECT number, encode(entries, 'base64') AS entries FROM mapped_part WHERE memory = $1 AND identity = $2 AND number > $3 AND number <= $4 ORDER BY number LIMIT ${AT_A_TIME}`,
      [memory, identity, after, last],
    );
    yield rows.map((r) => r.entries);
    if (rows.length < AT_A_TIME) return;
    after = Number(rows.at(-1)!.number);
  }
}
