import type { DatasetSetting } from '@versicle/contract';
import {
  counted,
  type FileFormat,
  isFault,
  formatWords,
  isLearned,
  type LearnedFormat,
  marksOf,
  notFound,
  quoted,
  refused,
} from '@versicle/core';
import { adapted, learnWhole, lookAt, recordsOf, type FileLook, type FilePart } from '@versicle/files';
import type {
  Arrived,
  Described,
  FolderPlace,
  FolderReadOptions,
  LearnedDataset,
  Reading,
  SourceBatch,
  SourcePlan,
} from '../kind.ts';
import { type FileEntry, FolderFiles, listed } from './folder-files.ts';

/** Looks into the files of a folder. As what they hold may be large, odd or hostile, it is done in a thread (looks). */
export class FolderLook {
  private readonly files: FolderFiles;
  private readonly settings: FolderPlace['settings'];

  constructor({ root, settings }: FolderPlace) {
    this.files = new FolderFiles(root);
    this.settings = settings;
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
    const files = chosenOf(await this.files.filesOf(dataset), only);
    const first = files[0]!;
    const setting = this.settings.get(name) ?? this.settings.get(dataset) ?? null;
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
    const differences = [...of].flatMap(([file, names]) => {
      const own = new Set(names);
      const lacks = [...all].filter((f) => !own.has(f));
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
      format: [...formatWords(format)],
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
  /** What its records are like, learned from all of them; what is known already stays. */
  async learn(name: string): Promise<LearnedDataset> {
    const { files, format, fields } = await this.look(name);
    if (!isLearned(format))
      throw refused(`${quoted(name)} names its columns itself; there is nothing to learn from its records.`);
    const known = format.kind === 'jsonl' ? { ...format, fields } : format;
    const before = new Set(await this.namesOf(files, known));
    const found = await learnWhole(files, known);
    const added = (await this.namesOf(files, found.format)).filter((field) => !before.has(field));
    return { ...found, added };
  }
  /** The fields of all of its structures, each by its whole path. */
  private async namesOf([file]: readonly FileEntry[], format: LearnedFormat): Promise<readonly string[]> {
    if (format.kind === 'xlsx') return (await lookAt(file!.path, file!.name, format.sheet, format)).fields;
    if (format.kind === 'jsonl') return format.fields ?? [];
    return format.structures.flatMap(({ path, fields }) =>
      fields.map((field) => (path === '' ? field : `${path}/${field}`)),
    );
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

  async *read(name: string, { withDoc = false, only }: FolderReadOptions): AsyncGenerator<SourceBatch> {
    const { files, format, fields } = await this.look(name, only);
    const chosen = format.kind === 'json' || format.kind === 'xml' ? { ...format, withDoc } : format;
    const names = chosen === format ? fields : [...fields, ...(withDoc ? ['_doc'] : [])];
    for (const file of files)
      try {
        for await (const { rows } of recordsOf(file.path, file.name, chosen, undefined, names))
          if (rows.length > 0) yield { fields: names, rows, file: file.name };
      } catch (error) {
        throw isFault(error, 'unreadable') ? refused(`${file.name}: ${error.message}`) : error;
      }
  }

  async plan(name: string, { withDoc = false, only, as = null }: FolderReadOptions): Promise<SourcePlan> {
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
  if (!isSettled || (format.kind === 'jsonl' && format.fields === undefined)) return as.fields;
  // What was learned from the lines of one day goes beside what was known of those before.
  return format.kind === 'jsonl' ? [...new Set([...there, ...as.fields])] : there;
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
