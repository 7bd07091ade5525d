import { randomUUID } from 'node:crypto';
import { mkdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { statfs } from 'node:fs/promises';
import { dirname } from 'node:path';
import { Aborted, landedUnreadable, Unreadable } from '@versicle/core';
import { TextFile } from '@versicle/files';
import type { SourceBatch, SourcePlan } from '../systems/kinds/kind.ts';

export interface Landing {
  readonly path: string;
  readonly rowLimit?: number | null;
  readonly signal?: AbortSignal;
  /** For tests: bytes, and how much the disk has left. */
  readonly bounds?: Bounds;
  /** The fields that the dataset is known to have, by those found: what no record has this time is empty, not unknown. */
  readonly known?: (found: readonly string[]) => Promise<readonly string[]>;
}

interface Bounds {
  /** Bytes that one dataset's records may take. */
  readonly most: number;
  /** Bytes that stay free on the disk, for the store and for what else works there. */
  readonly reserve: number;
  readonly free: (path: string) => Promise<number>;
}
const BOUNDS: Bounds = {
  most: Number(process.env['VERSICLE_FETCHED_GB'] ?? 50) * 1e9,
  reserve: 500e6,
  free: async (path) => {
    const { bavail, bsize } = await statfs(path);
    return bavail * bsize;
  },
};
/** How much is written between two looks at the disk. */
const LOOK_EVERY = 32e6;
const gigabytes = (bytes: number): string => (bytes / 1e9).toLocaleString('en-GB', { maximumFractionDigits: 1 });

/** Ends the fetching before it fills the disk, under the store's feet. */
class Room {
  private looked = 0;
  constructor(
    private readonly directory: string,
    private readonly bounds: Bounds,
  ) {}
  async require(written: number): Promise<void> {
    const { most, reserve, free } = this.bounds;
    if (written > most)
      throw new Error(
        `The records fetched take more than ${gigabytes(most)} GB, which is as much as one dataset may (VERSICLE_FETCHED_GB); fetch fewer at a time, with a filter or in parts.`,
      );
    if (this.looked > 0 && written - this.looked < LOOK_EVERY) return;
    this.looked = Math.max(1, written);
    if ((await free(this.directory)) < reserve)
      throw new Error(
        `The disk of ${this.directory} has less than ${gigabytes(reserve)} GB left, so no more records are fetched; make room, and take it up again.`,
      );
  }
}

/**
 * Keeps the records of a system in a file of JSON Lines, from which the run reads them: however often it is taken up again,
 * it reads the same. The file gets its name when it is whole. A record that can't be read goes along, with the reason.
 */
export async function land(
  batches: AsyncIterable<SourceBatch>,
  { path, rowLimit, signal, known, bounds = BOUNDS }: Landing,
): Promise<{ plan: SourcePlan; records: number }> {
  mkdirSync(dirname(path), { recursive: true });
  // A process that hangs may have one half written, and go on with it: nobody else writes to that.
  const partial = `${path}.${randomUUID()}.partial`;
  const file = new TextFile(partial, true);
  const names = new Set<string>();
  const limit = rowLimit ?? Infinity;
  const room = new Room(dirname(path), bounds);
  let records = 0;
  let whole = false;
  try {
    reading: for await (const { fields, rows } of batches) {
      for (const field of fields) names.add(field);
      for (const row of rows) {
        if (signal?.aborted) throw new Aborted();
        if (records >= limit) break reading;
        file.write(`${row instanceof Unreadable ? landedUnreadable(row) : landedLine(fields, row)}\n`);
        records++;
      }
      await room.require(file.bytes);
      await file.flush();
    }
    for (const field of (await known?.([...names])) ?? []) names.add(field);
    whole = true;
  } catch (error) {
    throw signal?.aborted ? new Aborted() : error;
  } finally {
    await file.close().finally(() => {
      if (!whole) rmSync(partial, { force: true });
    });
  }
  renameSync(partial, path);
  const { size, mtimeMs } = statSync(path);
  return {
    records,
    plan: {
      kind: 'files',
      files: [{ path, name: 'the records fetched', bytes: size, changed: mtimeMs, sum: file.sum() }],
      format: { kind: 'jsonl', encoding: 'utf-8', landed: true },
      fields: [...names].map((name) => ({ name, type: 'text' })),
    },
  };
}
/** A record as it is kept. */
export function landedLine(fields: readonly string[], row: readonly (string | null)[]): string {
  return `{${fields.map((f, i) => `${JSON.stringify(f)}:${JSON.stringify(row[i] ?? null)}`).join(',')}}`;
}
