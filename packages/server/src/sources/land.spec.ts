import { existsSync, mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Unreadable } from '@versicle/core';
import type { SourceBatch } from '../systems/kinds/kind.ts';
import { land } from './land.ts';

const home = mkdtempSync(join(tmpdir(), 'versicle-land-'));
async function* batches(count: number, text = 'x'.repeat(1000)): AsyncGenerator<SourceBatch> {
  for (let i = 0; i < count; i++) yield { file: null, fields: ['no', 'text'], rows: [[String(i), text]] };
}
const plenty = { most: 1e12, reserve: 0, free: () => Promise.resolve(1e12) };

describe('records that are fetched', () => {
  it('are kept whole, with those that can’t be read, and with members that none of them has', async () => {
    const path = join(home, 'whole.jsonl');
    async function* some(): AsyncGenerator<SourceBatch> {
      yield { file: null, fields: ['no'], rows: [['1'], new Unreadable('not a record', '{"no":')] };
      yield { file: null, fields: ['no', 'name'], rows: [['2', 'Kit']] };
      await Promise.resolve();
    }
    const { records, plan } = await land(some(), { path, known: () => Promise.resolve(['no', 'mail']) });
    expect(records).toBe(3);
    expect(plan.fields?.map((f) => f.name)).toEqual(['no', 'name', 'mail']);
    expect(readFileSync(path, 'utf8').trim().split('\n')).toHaveLength(3);
  });
  it('end with a sentence when they take more room than they may, or than the disk has, and leave nothing behind', async () => {
    const path = join(home, 'large.jsonl');
    await expect(land(batches(100), { path, bounds: { ...plenty, most: 50_000 } })).rejects.toThrow(
      /take more than .* GB, which is as much as one dataset may \(VERSICLE_FETCHED_GB\)/,
    );
    await expect(
      land(batches(100), { path, bounds: { ...plenty, reserve: 500e6, free: () => Promise.resolve(499e6) } }),
    ).rejects.toThrow(/The disk of .* has less than 0.5 GB left/);
    // The disk fills while they are fetched: it is looked at again and again.
    let left = 3;
    await expect(
      land(batches(200, 'x'.repeat(1_000_000)), {
        path,
        bounds: { ...plenty, reserve: 1, free: () => Promise.resolve(left-- > 0 ? 10 : 0) },
      }),
    ).rejects.toThrow(/make room/);
    expect(existsSync(path)).toBe(false);
    expect(readdirSync(home).filter((f) => f.startsWith('large'))).toEqual([]);
  });
  it('leave nothing behind when nobody waits for them any more', async () => {
    const cancel = new AbortController();
    async function* endless(): AsyncGenerator<SourceBatch> {
      for (let i = 0; ; i++) {
        if (i === 20) cancel.abort();
        yield { file: null, fields: ['no'], rows: [[String(i)]] };
        await Promise.resolve();
      }
    }
    await expect(land(endless(), { path: join(home, 'endless.jsonl'), signal: cancel.signal })).rejects.toThrow();
    expect(readdirSync(home).filter((f) => f.startsWith('endless'))).toEqual([]);
  });
});
