import { mkdirSync, renameSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import { landedUnreadable, Unreadable } from '@versicle/core';
import { TextFile } from '@versicle/files';
import type { SourceBatch, SourcePlan } from '../systems/kinds/kind.ts';
import { Aborted } from './outage.ts';

export interface Landing {
  readonly path: string;
  readonly rowLimit?: number | null;
  readonly signal?: AbortSignal;
  /** The fields that the dataset is known to have: what no record has this time is empty, not unknown. */
  readonly known?: () => Promise<readonly string[]>;
}

/**
 * Keeps the records of a system in a file of JSON Lines, from which the run reads them: however often it is taken up again,
 * it reads the same. The file gets its name when it is whole. A record that can't be read goes along, with the reason.
 */
export async function land(
  batches: AsyncIterable<SourceBatch>,
  { path, rowLimit, signal, known }: Landing,
): Promise<{ plan: SourcePlan; records: number }> {
  mkdirSync(dirname(path), { recursive: true });
  const partial = `${path}.partial`;
  const file = new TextFile(partial);
  const names = new Set<string>();
  const limit = rowLimit ?? Infinity;
  let records = 0;
  try {
    reading: for await (const { fields, rows } of batches) {
      for (const field of fields) names.add(field);
      for (const row of rows) {
        if (signal?.aborted) throw new Aborted();
        if (records >= limit) break reading;
        file.write(`${row instanceof Unreadable ? landedUnreadable(row) : lineOf(fields, row)}\n`);
        records++;
      }
      await file.flush();
    }
    for (const field of (await known?.()) ?? []) names.add(field);
  } catch (error) {
    throw signal?.aborted ? new Aborted() : error;
  } finally {
    await file.close();
  }
  renameSync(partial, path);
  const { size, mtimeMs } = statSync(path);
  return {
    records,
    plan: {
      kind: 'files',
      files: [{ path, name: 'the records fetched', bytes: size, changed: mtimeMs }],
      format: { kind: 'jsonl', encoding: 'utf-8', landed: true },
      fields: [...names].map((name) => ({ name, type: 'text' })),
    },
  };
}
function lineOf(fields: readonly string[], row: readonly (string | null)[]): string {
  return `{${fields.map((f, i) => `${JSON.stringify(f)}:${JSON.stringify(row[i] ?? null)}`).join(',')}}`;
}
