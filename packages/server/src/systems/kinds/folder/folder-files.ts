import { readdir, realpath, stat } from 'node:fs/promises';
import { join, sep } from 'node:path';
import { nearest, notFound, quoted, refused } from '@versicle/core';
import { matchesGlob } from './glob.ts';

export interface FileEntry {
  readonly name: string;
  readonly path: string;
  readonly bytes: number;
  readonly changed: number;
  /** Its name is in another encoding than UTF-8, so that nobody can say which file is meant. */
  readonly isUnnamed?: true;
}
const ENDINGS = new Set('csv tsv tab psv txt asc dat log out prn lst exp jsonl ndjson json xml xlsx xlsm'.split(' '));
/** By its name: with a known ending, without one, or with a number or date in place of one (`trips.2026-08`). */
export function isReadable(name: string): boolean {
  const ending = /\.([^.]*)$/.exec(name.replace(/\.gz$/i, ''))?.[1];
  return ending === undefined || /^\d/.test(ending) || ENDINGS.has(ending.toLowerCase());
}

/** Which files lie in a folder; nothing of their content is looked at. */
export class FolderFiles {
  constructor(readonly root: string) {}

  /** The regular files right in the folder; a link counts only when it stays inside. */
  async all(): Promise<FileEntry[]> {
    const base = await realpath(this.root);
    const entries = await readdir(base, { withFileTypes: true });
    const found: FileEntry[] = [];
    for (const entry of entries) {
      if (entry.name.startsWith('.') || entry.isDirectory()) continue;
      if (entry.name.includes('\ufffd')) {
        found.push({ name: entry.name, path: '', bytes: 0, changed: 0, isUnnamed: true });
        continue;
      }
      const path = await this.inside(base, entry.name).catch(() => null);
      const stats = path === null ? null : await stat(path).catch(() => null);
      if (path && stats?.isFile()) found.push({ name: entry.name, path, bytes: stats.size, changed: stats.mtimeMs });
    }
    return found.sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  private async inside(base: string, name: string): Promise<string> {
    const real = await realpath(join(base, name));
    if (!real.startsWith(base + sep))
      throw refused(`${quoted(name)} leads out of the folder ${this.root}; only files inside it can be read.`);
    return real;
  }

  /** The files behind a dataset: one by its name, or all that a pattern such as trips-*.csv matches, in order of name. */
  async filesOf(dataset: string): Promise<FileEntry[]> {
    if (dataset.includes(sep) || /[/\0]/.test(dataset) || dataset === '..' || dataset === '.')
      throw refused(`${quoted(dataset)} is not the name of a file in the folder; names have no slashes.`);
    const files = await this.all().catch((error: NodeJS.ErrnoException) => {
      throw refused(
        error.code === 'ENOENT'
          ? `The folder ${this.root} is not there.`
          : `The folder ${this.root} can't be read: ${error.message}`,
      );
    });
    if (dataset.includes('*')) {
      const matching = files.filter((f) => !f.isUnnamed && matchesGlob(dataset, f.name));
      if (matching.length === 0)
        throw notFound(
          `No file in the folder matches ${quoted(dataset)}. It holds ${listed(files.map((f) => f.name))}.`,
        );
      return matching;
    }
    const file = files.find((f) => f.name === dataset);
    if (file?.isUnnamed) throw refused(`${quoted(dataset)}: ${UNNAMED}`);
    if (file) return [file];
    const near = nearest(
      dataset,
      files.map((f) => f.name),
    );
    if (await this.isDirectory(dataset))
      throw refused(`${quoted(dataset)} is a folder; register it as a system of its own to read the files in it.`);
    throw notFound(
      `There is no file ${quoted(dataset)} in the folder.${near ? ` Did you mean ${near}?` : ` It holds ${listed(files.map((f) => f.name))}.`}`,
    );
  }
  private async isDirectory(name: string): Promise<boolean> {
    return (await stat(join(this.root, name)).catch(() => null))?.isDirectory() ?? false;
  }
}

export const UNNAMED = 'The name of the file is not written in UTF-8; rename it to read it.';

/** Names for a sentence, a few of them where they are many. */
export function listed(names: readonly string[]): string {
  return names.length === 0
    ? 'nothing'
    : `${names.slice(0, 8).join(', ')}${names.length > 8 ? ` and ${names.length - 8} more` : ''}`;
}
