import { mkdirSync, renameSync, statSync } from 'node:fs';
import { dirname } from 'node:path';
import { Unreadable } from '@versicle/core';
import { TextFile } from '@versicle/files';
import { refused } from '../http/problem.ts';
import type { SourceBatch, SourcePlan } from '../systems/kinds/kind.ts';

/**
 * Keeps the records of a system in a file of JSON Lines, from which the run reads them: however often it is taken up again,
 * it reads the same. The file gets its name when it is whole.
 */
export async function land(
  batches: AsyncIterable<SourceBatch>,
  path: string,
  rowLimit: string | null,
): Promise<{ plan: SourcePlan; records: number }> {
  mkdirSync(dirname(path), { recursive: true });
  const partial = `${path}.partial`;
  const file = new TextFile(partial);
  const names: string[] = [];
  const limit = rowLimit === null ? Infinity : Number(rowLimit);
  let records = 0;
  try {
    reading: for await (const { fields, rows } of batches) {
      for (const field of fields) if (!names.includes(field)) names.push(field);
      for (const row of rows) {
        if (records >= limit) break reading;
        if (row instanceof Unreadable) throw refused(`Record ${records + 1} can't be read: ${row.message}`);
        file.write(`${lineOf(fields, row as readonly (string | null)[])}\n`);
        records++;
      }
      await file.flush();
    }
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
      format: { kind: 'jsonl', encoding: 'utf-8' },
      fields: names.map((name) => ({ name, type: 'text' })),
    },
  };
}
function lineOf(fields: readonly string[], row: readonly (string | null)[]): string {
  return `{${fields.map((f, i) => `${JSON.stringify(f)}:${JSON.stringify(row[i] ?? null)}`).join(',')}}`;
}
