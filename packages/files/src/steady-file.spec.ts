import { appendFileSync, mkdtempSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chunksOf } from './chunks.ts';
import { datasetRecords } from './records.ts';

const home = mkdtempSync(join(tmpdir(), 'versicle-steady-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));
const path = join(home, 'items.csv');
const text = (word: string, rows: number): string =>
  Array.from({ length: rows }, (_, n) => `${String(n).padStart(7, '0')};${word}\n`).join('');
/** What is read of a file that something happens to after its first bytes. */
async function readWhile(happens: () => void): Promise<string> {
  writeFileSync(path, text('old', 100_000));
  const pieces: Uint8Array[] = [];
  for await (const bytes of chunksOf(path, 'items.csv')) {
    pieces.push(bytes);
    if (pieces.length === 1) {
      // A clock that counts in ticks has gone on by then.
      await new Promise((resolve) => setTimeout(resolve, 20));
      happens();
    }
  }
  return Buffer.concat(pieces).toString();
}
const CHANGED = 'items.csv was changed while it was read';

describe('a file that is read', () => {
  it('is what it was when it was opened, also where it grows or another one takes its place', async () => {
    const old = text('old', 100_000);
    expect(await readWhile(() => appendFileSync(path, text('new', 100_000)))).toBe(old);
    expect(
      await readWhile(() => {
        writeFileSync(`${path}.new`, text('new', 100_000));
        renameSync(`${path}.new`, path);
      }),
    ).toBe(old);
    expect(await readWhile(() => rmSync(path))).toBe(old);
  });
  it('that is written anew, cut or changed in place is not read on', async () => {
    await expect(readWhile(() => writeFileSync(path, text('new', 100_000)))).rejects.toThrow(CHANGED);
    await expect(readWhile(() => writeFileSync(path, text('newer', 200_000)))).rejects.toThrow(CHANGED);
    await expect(readWhile(() => writeFileSync(path, text('new', 10)))).rejects.toThrow(CHANGED);
    await expect(readWhile(() => writeFileSync(path, ''))).rejects.toThrow(CHANGED);
  });
  it('has to be as it was when it was chosen', async () => {
    writeFileSync(path, '{"no":"1"}\n');
    const { size, mtimeMs } = statSync(path);
    const read = async (changed: number): Promise<number> => {
      let rows = 0;
      const files = [{ path, name: 'items.csv', bytes: size, changed }];
      for await (const batch of datasetRecords(files, { kind: 'jsonl', encoding: 'utf-8' }, ['no']))
        rows += batch.rows.length;
      return rows;
    };
    expect(await read(mtimeMs)).toBe(1);
    await expect(read(mtimeMs - 1)).rejects.toThrow(CHANGED);
  });
});
