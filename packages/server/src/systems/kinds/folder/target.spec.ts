import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, utimesSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseDocument, type Delivery } from '@versicle/core';
import { isLostClaim } from '../../../runs/runs.ts';
import type { TargetRun } from '../kind.ts';
import { FolderTarget } from './target.ts';

/** Two processes that have the same run, one after the other; the first one was frozen, and wakes. */
describe('a run that writes a file and is taken on by another process', () => {
  const root = mkdtempSync(join(tmpdir(), 'versicle-file-'));
  afterAll(() => rmSync(root, { recursive: true, force: true }));
  const FILE = 'items.csv';
  const document = parseDocument({
    versicle: 1,
    name: 'To a file',
    source: { primary: { alias: 'i', dataset: 'files/i.csv' } },
    target: { dataset: `files/${FILE}`, fields: [{ name: 'no', type: 'text' }] },
    lines: [{ id: 'l', target: 'no', kind: 'straight', source: 'i.no' }],
    write: { mode: 'insert' },
  });
  const run = (claim: number): TargetRun => ({
    uid: '0b1c2d3e-0000-4000-8000-000000000001',
    legacy: false,
    claim,
    kind: 'full',
    mayRemove: null,
    signal: new AbortController().signal,
  });
  const chunk = (n: number, text: string): Delivery => ({
    source: run(1).uid,
    run: 7,
    claim: 1,
    chunk: n,
    mode: 'insert',
    parts: [
      {
        dataset: FILE,
        columns: [{ name: 'no', type: 'text' }],
        key: [],
        anew: [],
        rows: 1,
        content: { encoding: 'copy', of: new TextEncoder().encode(`${text}\n`) },
        ids: [],
      },
    ],
  });
  const lost = (work: Promise<unknown>): Promise<boolean> => work.then(() => false, isLostClaim);
  const parts = (): string[] => readdirSync(join(root, `.versicle-${FILE}`)).filter((name) => name !== 'made.json');

  it('writes nothing more, wherever it stood', async () => {
    const [first, second] = [new FolderTarget(root), new FolderTarget(root)];
    await first.takeOn(run(1));
    await first.prepare(document, FILE, run(1));
    await first.deliver(chunk(1, 'one'), run(1));
    await second.takeOn(run(2));
    await second.prepare(document, FILE, run(2));
    expect(await lost(first.deliver(chunk(2, 'late'), run(1)))).toBe(true);
    expect(await lost(first.finish(document, FILE, run(1)))).toBe(true);
    expect(await lost(first.takeOn(run(1)))).toBe(true);
    expect([parts(), existsSync(join(root, FILE))]).toEqual([[expect.stringMatching(/-000000001-/)], false]);

    await second.deliver(chunk(2, 'two'), run(2));
    await second.finish(document, FILE, run(2));
    await second.discard(run(2), FILE, true);
    // Nor after the run has ended.
    expect(await lost(first.deliver(chunk(3, 'late'), run(1)))).toBe(true);
    expect(readFileSync(join(root, FILE), 'utf8')).toBe('no\none\ntwo\n');
    expect(parts()).toHaveLength(2);
    expect(readdirSync(join(root, '.versicle-claims'))).toEqual([]);
  });

  it('puts no half of a file into its place while another one makes it', async () => {
    const [first, second] = [new FolderTarget(root), new FolderTarget(root)];
    const replaces = parseDocument({ ...document, write: { mode: 'replace' } });
    const of = (claim: number): TargetRun => ({ ...run(claim), uid: '9f8e7d6c-0000-4000-8000-000000000002' });
    await first.takeOn(of(1));
    await first.prepare(replaces, FILE, of(1));
    await first.deliver({ ...chunk(1, 'new'), source: of(1).uid }, of(1));
    const finishes = lost(first.finish(replaces, FILE, of(1)));
    await second.takeOn(of(2));
    const isLost = await finishes;
    const text = readFileSync(join(root, FILE), 'utf8');
    expect([isLost, text]).toEqual([text === 'no\none\ntwo\n', isLost ? 'no\none\ntwo\n' : 'no\nnew\n']);
    await second.prepare(replaces, FILE, of(2));
    await second.finish(replaces, FILE, of(2));
    await second.discard(of(2), FILE, true);
    expect(readFileSync(join(root, FILE), 'utf8')).toBe('no\nnew\n');
  });

  it('leaves nothing for good of a run that broke and was not taken up again', async () => {
    const of = (uid: string): TargetRun => ({ ...run(1), uid });
    const target = new FolderTarget(root);
    for (const uid of ['b1', 'b2']) await target.takeOn(of(uid));
    const month = new Date(Date.now() - 31 * 24 * 60 * 60 * 1000);
    utimesSync(join(root, '.versicle-claims/b1-1'), month, month);
    await target.takeOn(of('b3'));
    expect(readdirSync(join(root, '.versicle-claims')).sort()).toEqual(['b2-1', 'b3-1']);
  });
});
