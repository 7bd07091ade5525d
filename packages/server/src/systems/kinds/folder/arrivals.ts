import { existsSync } from 'node:fs';
import { rename, stat, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { isFault, refused } from '@versicle/core';
import type { ArrivedFile } from '../kind.ts';
import { folderWithin } from './within.ts';

/** Files of a folder as they arrive, and what becomes of them when they were worked off. */
export class FolderArrivals {
  readonly of = 'files';
  constructor(
    private readonly root: string,
    private readonly filesOf: (dataset: string) => Promise<readonly ArrivedFile[]>,
  ) {}

  async list(dataset: string): Promise<readonly ArrivedFile[]> {
    try {
      return (await this.filesOf(dataset)).map(({ name, bytes, changed }) => ({ name, bytes, changed }));
    } catch (error) {
      // Nothing has arrived yet.
      if (isFault(error, 'not found')) return [];
      throw error;
    }
  }

  async settle(files: readonly ArrivedFile[], then: `move:${string}` | 'mark'): Promise<readonly string[]> {
    const problems: string[] = [];
    for (const file of files)
      await this.settleOne(file, then).catch((error: Error) => void problems.push(`${file.name}: ${error.message}`));
    return problems;
  }
  private async settleOne({ name, bytes, changed }: ArrivedFile, then: string): Promise<void> {
    if (basename(name) !== name) throw refused('it does not lie right in the folder.');
    const from = join(this.root, name);
    const now = await stat(from).catch(() => null);
    // It was settled already, before a kill.
    if (now === null) return;
    if (now.size !== bytes || now.mtimeMs !== changed)
      throw refused('it has changed meanwhile, so it stays where it is.');
    if (then === 'mark') return writeFile(`${from}.done`, '');
    const to = await folderWithin(this.root, then.slice('move:'.length));
    await rename(from, join(to, freeName(to, name)));
  }
}
/** What was moved there before stays: a second file of the name gets a number. */
function freeName(folder: string, name: string): string {
  for (let n = 1; ; n++) {
    const free = n === 1 ? name : name.replace(/(\.[^.]*)?$/, (ending) => `-${n}${ending}`);
    if (!existsSync(join(folder, free))) return free;
  }
}
