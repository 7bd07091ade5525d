import { readdir } from 'node:fs/promises';
import { isAbsolute, join, sep } from 'node:path';
import type { Dataset } from '@versicle/contract';
import { counted, nearest, refused } from '@versicle/core';
import { isWorkbook } from '@versicle/files';
import type { FolderPlace, Found, Kind, KindContext, OpenSystem } from '../kind.ts';
import { failed } from '../network/diagnose.ts';
import { FolderArrivals } from './arrivals.ts';
import { type FileEntry, FolderFiles, isReadable, listed, UNNAMED } from './folder-files.ts';
import { requireAllowedRoot } from './roots.ts';
import { folderWithin } from './within.ts';
import { settings, type FolderConnection } from './settings.ts';
import { FolderTarget } from './target.ts';

/** A folder of files on this machine. Its root is fixed in the connection; nothing outside can be named, not by links either. */
export const folder: Kind<FolderConnection> = {
  facts: {
    kind: 'folder',
    words: 'Folder of files',
    holds: true,
    empty: 'The folder has no files. Put the export there, then test the connection.',
    settledBy: 'format',
    asks: false,
    byRequest: false,
    arrives: 'files',
    target: {
      title: 'File',
      there: 'is there; a run writes it anew',
      fresh: 'such as members.csv; the ending says how it is written',
      unnamed: 'such as members.csv; the ending says how it is written',
      names: {
        pattern: String.raw`^[^/\\*.][^/\\*]*\.(csv|jsonl|ndjson|json|xml|xlsx|txt)$`,
        otherwise:
          'The file’s name ends in .csv, .jsonl, .json, .xml, .xlsx or .txt (fixed width), and has no slashes.',
      },
      makesTables: false,
      isOurs: false,
    },
  },
  settings,
  where: ({ root }) => root,
  place: [],
  open: ({ root }, context) => {
    const files = new FolderFiles(root);
    const opened = new Folder(files);
    return {
      test: () => opened.test(),
      datasets: () => opened.datasets(),
      ...contentOf(root, context),
      arrivals: new FolderArrivals(root, (dataset) => files.filesOf(dataset)),
      target: new FolderTarget(root),
      folderWithin: (name) => folderWithin(root, name),
    } satisfies OpenSystem;
  },
  check: ({ root }) => {
    if (!isAbsolute(root))
      throw refused('The folder is named by its full path, beginning with /.', [
        { path: 'connection.root', message: 'a full path' },
      ]);
    requireAllowedRoot(root);
  },
};

/** Whatever has to look into a file. */
function contentOf(root: string, context: KindContext): Partial<OpenSystem> & Pick<OpenSystem, 'describe'> {
  const { folders } = context;
  const place = async (): Promise<FolderPlace> => ({ root, settings: await context.settings() });
  return {
    describe: async (name) => folders.describe(await place(), name),
    async *read(name, { signal, ...options }) {
      yield* folders.read(await place(), name, options, signal);
    },
    rows: async (name, options) => folders.rows(await place(), name, options),
    count: async (name, filter, signal) => folders.count(await place(), name, filter, signal),
    learn: async (name, signal) => folders.learn(await place(), name, signal),
    sourcePlan: async (name, { signal, ...options }) => folders.plan(await place(), name, options, signal),
  };
}

class Folder {
  private readonly root: string;
  constructor(private readonly files: FolderFiles) {
    this.root = files.root;
  }

  async test(): Promise<Found> {
    try {
      const files = await this.files.all();
      const readable = files.filter((f) => problemOf(f) === null);
      const sees = [...files]
        .sort((a, b) => b.changed - a.changed)
        .slice(0, 8)
        .map((f) => f.name);
      return {
        ok: true,
        code: 'ok',
        message:
          files.length === 0
            ? await this.emptyWords()
            : `The folder holds ${counted(files.length, 'file')}, ${readable.length} of which can be read as records.`,
        sees,
      };
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'ENOENT')
        return failed('no_such_folder', `There is no folder ${this.root}.${await this.nearestFolder()}`);
      if (code === 'ENOTDIR') return failed('not_a_folder', `${this.root} is a file; name the folder that it lies in.`);
      if (code === 'EACCES')
        return failed(
          'not_permitted',
          `Versicle may not read ${this.root}; give its user the right to read the folder.`,
        );
      throw error;
    }
  }

  private async nearestFolder(): Promise<string> {
    const parent = join(this.root, '..');
    try {
      const names = (await readdir(parent, { withFileTypes: true })).filter((e) => e.isDirectory()).map((e) => e.name);
      const near = nearest(this.root.split(sep).at(-1) ?? '', names);
      return near ? ` Did you mean ${join(parent, near)}?` : '';
    } catch {
      return '';
    }
  }

  /** A folder without files; folders in it are not looked into, and that is said. */
  private async emptyWords(): Promise<string> {
    const folders = (await readdir(this.root, { withFileTypes: true })).filter(
      (e) => e.isDirectory() && !e.name.startsWith('.'),
    );
    if (folders.length === 0) return 'The folder is there, but it is empty.';
    return `The folder is there, but it has no files of its own, only ${folders.length === 1 ? 'the folder' : 'the folders'} ${listed(folders.map((e) => e.name))}; connect ${folders.length === 1 ? 'that one' : 'one of these'}.`;
  }

  async datasets(): Promise<Dataset[]> {
    const files = await this.files.all();
    const groups = new Map<string, FileEntry[]>();
    for (const file of files) {
      const pattern = file.name.replace(/\d[\d_.-]*\d|\d/, '*');
      if (problemOf(file) === null && pattern !== file.name)
        groups.set(pattern, [...(groups.get(pattern) ?? []), file]);
    }
    const single = (file: FileEntry): Dataset => ({
      name: file.name,
      description: describeFile(file.name),
      records: null,
      bytes: file.isUnnamed ? null : file.bytes,
      changedAt: file.isUnnamed ? null : new Date(file.changed).toISOString(),
      problem: problemOf(file),
    });
    const together = [...groups]
      .filter(([, list]) => list.length > 1)
      .map(([name, list]): Dataset => ({
        name,
        description: `${list.length} files as one dataset`,
        records: null,
        bytes: list.reduce((sum, f) => sum + f.bytes, 0),
        changedAt: new Date(Math.max(...list.map((f) => f.changed))).toISOString(),
        problem: null,
      }));
    const grouped = new Set(
      [...groups.values()]
        .filter((l) => l.length > 1)
        .flat()
        .map((f) => f.name),
    );
    return [
      ...together,
      ...files.filter((f) => !grouped.has(f.name)).map(single),
      ...files.filter((f) => grouped.has(f.name)).map(single),
    ];
  }
}

/** Why it can't be read, as far as that can be seen without a look into it. */
function problemOf({ name, bytes, isUnnamed }: FileEntry): string | null {
  if (isUnnamed) return UNNAMED;
  if (!isReadable(name)) return 'Files of this kind are not read.';
  return bytes === 0 ? 'The file is empty.' : null;
}

function describeFile(name: string): string {
  if (isWorkbook(name)) return 'a workbook';
  const ending = /\.([a-z]+)(\.gz)?$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  if (ending === 'xml') return 'XML';
  if (ending === 'json') return 'JSON';
  return isReadable(name) ? 'text with records' : 'not read';
}
