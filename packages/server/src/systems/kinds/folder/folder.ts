import { readdir, realpath, stat } from 'node:fs/promises';
import { isAbsolute, join, sep } from 'node:path';
import type { Dataset, DatasetSetting } from '@versicle/contract';
import { counted, type FileFormat, isFault, marksOf, nearest, notFound, quoted, refused } from '@versicle/core';
import { adapted, isWorkbook, lookAt, recordsOf, type FileLook, type FilePart } from '@versicle/files';
import type {
  Arrived,
  Described,
  Found,
  Kind,
  KindContext,
  OpenSystem,
  Reading,
  ReadOptions,
  SourceBatch,
  SourcePlan,
} from '../kind.ts';
import { failed } from '../network/diagnose.ts';
import { FolderArrivals } from './arrivals.ts';
import { matchesGlob } from './glob.ts';
import { requireAllowedRoot } from './roots.ts';
import { folderWithin } from './within.ts';
import { settings, type FolderConnection } from './settings.ts';
import { FolderTarget } from './target.ts';
import { describeFormat } from './words.ts';

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
    const opened = new Folder(root, context);
    return {
      test: () => opened.test(),
      datasets: () => opened.datasets(),
      describe: (name) => opened.describe(name),
      read: (name, options) => opened.read(name, options),
      sourcePlan: (name, options) => opened.plan(name, options),
      arrivals: new FolderArrivals(root, (dataset) => opened.filesOf(dataset)),
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

const READABLE = /\.(csv|tsv|txt|dat|jsonl|ndjson|json|xml|xlsx|xlsm)(\.gz)?$/i;

interface FileEntry {
  readonly name: string;
  readonly path: string;
  readonly bytes: number;
  readonly changed: number;
}

class Folder {
  constructor(
    private readonly root: string,
    private readonly context: KindContext,
  ) {}

  async test(): Promise<Found> {
    try {
      const files = await this.files();
      const readable = files.filter((f) => READABLE.test(f.name) && f.bytes > 0);
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

  /** The regular files right in the folder; a link counts only when it stays inside. */
  private async files(): Promise<FileEntry[]> {
    const base = await realpath(this.root);
    const entries = await readdir(base, { withFileTypes: true });
    const found: FileEntry[] = [];
    for (const entry of entries) {
      if (entry.name.startsWith('.') || entry.isDirectory()) continue;
      const path = await this.inside(base, entry.name).catch(() => null);
      const stats = path === null ? null : await stat(path).catch(() => null);
      if (path && stats?.isFile()) found.push({ name: entry.name, path, bytes: stats.size, changed: stats.mtimeMs });
    }
    return found.sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  /** A folder without files; folders in it are not looked into, and that is said. */
  private async emptyWords(): Promise<string> {
    const folders = (await readdir(this.root, { withFileTypes: true })).filter(
      (e) => e.isDirectory() && !e.name.startsWith('.'),
    );
    if (folders.length === 0) return 'The folder is there, but it is empty.';
    return `The folder is there, but it has no files of its own, only ${folders.length === 1 ? 'the folder' : 'the folders'} ${listed(folders.map((e) => e.name))}; connect ${folders.length === 1 ? 'that one' : 'one of these'}.`;
  }

  private async inside(base: string, name: string): Promise<string> {
    const real = await realpath(join(base, name));
    if (!real.startsWith(base + sep))
      throw refused(`${quoted(name)} leads out of the folder ${this.root}; only files inside it can be read.`);
    return real;
  }

  /** The files behind a dataset: one by its name, or all that a pattern such as trips-*.csv matches, in order of name. */
  async filesOf(dataset: string): Promise<FileEntry[]> {
    if (/[/\\\0]/.test(dataset) || dataset === '..' || dataset === '.')
      throw refused(`${quoted(dataset)} is not the name of a file in the folder; names have no slashes.`);
    const files = await this.files().catch((error: NodeJS.ErrnoException) => {
      throw refused(
        error.code === 'ENOENT'
          ? `The folder ${this.root} is not there.`
          : `The folder ${this.root} can't be read: ${error.message}`,
      );
    });
    if (dataset.includes('*')) {
      const matching = files.filter((f) => matchesGlob(dataset, f.name));
      if (matching.length === 0)
        throw notFound(
          `No file in the folder matches ${quoted(dataset)}. It holds ${listed(files.map((f) => f.name))}.`,
        );
      return matching;
    }
    const file = files.find((f) => f.name === dataset);
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

  async datasets(): Promise<Dataset[]> {
    const files = await this.files();
    const groups = new Map<string, FileEntry[]>();
    for (const file of files) {
      const pattern = file.name.replace(/\d[\d_.-]*\d|\d/, '*');
      if (READABLE.test(file.name) && pattern !== file.name)
        groups.set(pattern, [...(groups.get(pattern) ?? []), file]);
    }
    const single = (file: FileEntry): Dataset => ({
      name: file.name,
      description: describeFile(file.name),
      records: null,
      bytes: file.bytes,
      changedAt: new Date(file.changed).toISOString(),
      problem: READABLE.test(file.name)
        ? file.bytes === 0
          ? 'The file is empty.'
          : null
        : 'Files of this kind are not read.',
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

  /** `repairs.xml/order.task`, `bikes.xlsx/Bikes`: behind the slash is a part of the file. */
  private async look(
    name: string,
    only?: Arrived,
    as: Reading | null = null,
  ): Promise<{
    files: FileEntry[];
    format: FileFormat;
    reasons: readonly string[];
    fields: readonly string[];
    differences: readonly string[];
    parts: readonly FilePart[];
    lines: readonly string[];
    setting: DatasetSetting | null;
  }> {
    const slash = name.indexOf('/');
    const dataset = slash < 0 ? name : name.slice(0, slash);
    const part = slash < 0 ? null : name.slice(slash + 1);
    if (part !== null && /(^|[/\\])\.\.([/\\]|$)|\0/.test(part))
      throw refused(`${quoted(name)} is not the name of a file in the folder; only files inside it can be read.`);
    const files = chosenOf(await this.filesOf(dataset), only);
    const first = files[0]!;
    const settings = await this.context.settings();
    const setting = settings.get(name) ?? settings.get(dataset) ?? null;
    try {
      const settled = setting?.kind === 'format' ? setting.format : null;
      const fixed = settled ?? (as && (await adapted(as.format, first.path, first.name, part)));
      const seen = await lookAt(first.path, first.name, part, fixed);
      return { files, setting, ...seen, ...(await this.together(files, part, seen)) };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EISDIR') throw refused(`${quoted(name)} is a folder.`);
      throw isFault(error, 'unreadable')
        ? refused(error.message.includes(first.name) ? error.message : `${first.name}: ${error.message}`)
        : error;
    }
  }

  /**
   * The fields that several files have together: found by name where each has a header; without one, the files must have
   * equally many columns. `differences` says what a file lacks or has more.
   */
  private async together(
    [first, ...others]: readonly FileEntry[],
    part: string | null,
    { format, fields }: FileLook,
  ): Promise<{ fields: readonly string[]; differences: readonly string[] }> {
    if (others.length === 0 || (format.kind !== 'delimited' && format.kind !== 'xlsx'))
      return { fields, differences: [] };
    const all = new Set(fields);
    const of = new Map<FileEntry, readonly string[]>([[first!, fields]]);
    for (const file of others) {
      // What is wrong with a file is said when it is read.
      const seen = await lookAt(file.path, file.name, part, format).catch(() => null);
      if (seen === null) continue;
      if (!format.header && seen.fields.length !== fields.length)
        throw refused(
          `${file.name} has ${counted(seen.fields.length, 'column')}, ${first!.name} has ${fields.length}; without a header line they can't be one dataset.`,
        );
      if (format.header && !seen.fields.some((f) => all.has(f)))
        throw refused(
          `${file.name} has none of the columns of ${first!.name} (${listed(fields)}); they can't be one dataset.`,
        );
      if (format.header) of.set(file, seen.fields);
      if (format.header) for (const field of seen.fields) all.add(field);
    }
    const differences = [...of].flatMap(([file, own]) => {
      const lacks = [...all].filter((f) => !own.includes(f));
      return lacks.length === 0
        ? []
        : [
            `${file.name} has no ${lacks.length === 1 ? 'column' : 'columns'} ${listed(lacks)}; in its records ${lacks.length === 1 ? 'it is' : 'they are'} empty`,
          ];
    });
    return { fields: format.header ? [...all] : fields, differences };
  }

  async describe(name: string): Promise<Described> {
    const { files, format, reasons, differences, fields, parts, lines, setting } = await this.look(name);
    const examples = await this.examples(name, fields.length);
    const base = name.split('/')[0]!;
    return {
      name,
      fields: fields.map((field, i) => ({
        name: field,
        type: 'text',
        nullable: true,
        key: false,
        example: examples[i] ?? null,
      })),
      format: describeFormat(format),
      guessedFrom: [...reasons, ...differences],
      files: files.map((f) => f.name),
      lines: [...lines],
      parts: parts.map((p) => ({ ...p, name: `${base}/${p.name}` })),
      setting: { kind: 'format', format: format as never },
      settled: setting !== null,
      bytes: files.reduce((s, f) => s + f.bytes, 0),
      changedAt: new Date(Math.max(...files.map((f) => f.changed))).toISOString(),
    };
  }
  /** The first value of each field among the first records. */
  private async examples(name: string, width: number): Promise<(string | null)[]> {
    const found = new Array<string | null>(width).fill(null);
    for await (const { rows } of this.read(name, {})) {
      for (const row of rows)
        if (Array.isArray(row)) for (let i = 0; i < width; i++) found[i] ??= (row as (string | null)[])[i] ?? null;
      break;
    }
    return found;
  }

  async *read(name: string, { withDoc = false, only }: ReadOptions): AsyncGenerator<SourceBatch> {
    const { files, format, fields } = await this.look(name, only);
    const chosen = format.kind === 'json' || format.kind === 'xml' ? { ...format, withDoc } : format;
    const names = chosen === format ? fields : [...fields, ...(withDoc ? ['_doc'] : [])];
    for (const file of files)
      try {
        for await (const { rows } of recordsOf(file.path, file.name, chosen, undefined, names))
          yield { fields: names, rows, file: file.name };
      } catch (error) {
        throw isFault(error, 'unreadable') ? refused(`${file.name}: ${error.message}`) : error;
      }
  }

  async plan(name: string, { withDoc = false, only, as = null }: ReadOptions): Promise<SourcePlan> {
    const { files, format: known, fields: there, differences, setting } = await this.look(name, only, as);
    // Marks that nobody declared are a guess: they help to look at records, they don't decide what becomes of them.
    const format = setting === null && as === null && marksOf(known) ? { ...known, marks: undefined } : known;
    const fields = fieldsAs(format, there, as, setting !== null);
    const nested = format.kind === 'json' || format.kind === 'xml';
    return {
      kind: 'files',
      files: files.map(({ path, name: file, bytes, changed }) => ({ path, name: file, bytes, changed })),
      format: nested ? { ...format, withDoc } : format,
      fields: [...fields, ...(nested && withDoc ? ['_doc'] : [])].map((field) => ({ name: field, type: 'text' })),
      remarks: differences,
    };
  }
}

/**
 * The fields that records are read with: those of then, except where the files name their columns themselves. What changed
 * of those is seen by who compares them with what was read before.
 */
function fieldsAs(
  format: FileFormat,
  there: readonly string[],
  as: Reading | null,
  isSettled: boolean,
): readonly string[] {
  if (as === null || as.format.kind !== format.kind) return there;
  if ((format.kind === 'delimited' || format.kind === 'xlsx') && format.header)
    return format.unknown === 'refused' ? as.fields.filter((name) => there.includes(name)) : there;
  return isSettled && format.kind !== 'jsonl' ? there : as.fields;
}

/** The files that arrived, as they were when they were complete. */
function chosenOf(files: readonly FileEntry[], only: Arrived | undefined): FileEntry[] {
  if (only === undefined || !('files' in only)) return [...files];
  return only.files.map(({ name, bytes, changed }) => {
    const file = files.find((f) => f.name === name);
    if (!file) throw notFound(`${name}, which had arrived, is not in the folder any more.`);
    if (file.bytes !== bytes || file.changed !== changed)
      throw refused(`${name} has changed since it seemed complete; it is read when it stands still again.`);
    return file;
  });
}
function listed(names: readonly string[]): string {
  return names.length === 0
    ? 'nothing'
    : `${names.slice(0, 8).join(', ')}${names.length > 8 ? ` and ${names.length - 8} more` : ''}`;
}

function describeFile(name: string): string {
  if (isWorkbook(name)) return 'a workbook';
  const ending = /\.([a-z]+)(\.gz)?$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  if (ending === 'xml') return 'XML';
  if (ending === 'json') return 'JSON';
  return READABLE.test(name) ? 'text with records' : 'not read';
}
