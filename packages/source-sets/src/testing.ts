import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { MappingDocument } from '@versicle/core';
import { composeRecords, type Composed, type MemberRecords } from './index.ts';

/** Files and composed records for the tests of this package. */

const home = mkdtempSync(join(tmpdir(), 'versicle-compose-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));

let files = 0;
export function csv(names: string[], rows: readonly (readonly (string | null)[])[]): MemberRecords {
  const path = join(home, `f${++files}.csv`);
  writeFileSync(path, [names, ...rows].map((r) => r.map((v) => v ?? '').join(';')).join('\n') + '\n');
  return {
    files: [{ path, name: `f${files}.csv` }],
    format: {
      kind: 'delimited',
      encoding: 'utf-8',
      delimiter: ';',
      quote: '"',
      newline: '\n',
      skipLines: 0,
      header: true,
      emptyIsNull: true,
    },
    names,
  };
}
export async function compose(
  doc: MappingDocument,
  members: readonly MemberRecords[],
): Promise<Composed & { records: Record<string, string | null>[] }> {
  const path = join(home, `out${++files}.jsonl`);
  const options = { rowLimit: null, startedAt: '2026-11-26T08:00:00Z', template: null };
  const composed = await composeRecords(doc, members, path, options);
  const lines = readFileSync(path, 'utf8').split('\n').filter(Boolean);
  return { ...composed, records: lines.map((l) => JSON.parse(l)) };
}
