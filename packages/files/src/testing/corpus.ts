import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type FileFormat, isFault, Unreadable } from '@versicle/core';
import { lookAt, recordsOf } from '../index.ts';

/** Files by many writers (`corpus/make.mjs` says which), with what each of them means. */
export interface CorpusFile {
  readonly name: string;
  readonly path: string;
  readonly means: Means;
}
export interface Means {
  /** Of which structure; none: the records themselves. */
  readonly part?: string;
  readonly fields: readonly string[];
  readonly rows: readonly (readonly (string | null)[])[];
  /** How the file is read, where that can't be found out. */
  readonly format?: FileFormat;
}
/** The packages' tests run from their own folders, and this is one of them. */
const FOLDER = join(process.cwd().replace(/[/\\]packages[/\\]files$/, ''), 'packages/files/corpus');

export const corpus = (): CorpusFile[] =>
  readdirSync(FOLDER)
    .filter((name) => !/\.(mjs|means\.json)$/.test(name))
    .map((name) => ({
      name,
      path: join(FOLDER, name),
      means: JSON.parse(readFileSync(join(FOLDER, `${name}.means.json`), 'utf8')) as Means,
    }));

/** What reading a file gives: records, those that could not be read, paths that have no field, or why there is nothing. */
export interface Outcome {
  readonly format: FileFormat | null;
  readonly fields: readonly string[];
  readonly rows: readonly (readonly (string | null)[])[];
  readonly unreadable: readonly string[];
  readonly unknown: readonly string[];
  readonly refusal: string | null;
}
/**
 * Reads as a run would. `fixed`: the format that a person settled, whose other settings are looked for in the file; `as`: without
 * a look at the file, as a run reads another day's. Throws what is no fault.
 */
export async function readOutcome(
  path: string,
  {
    part = null,
    fixed = null,
    as = null,
  }: { part?: string | null; fixed?: FileFormat | null; as?: FileFormat | null } = {},
): Promise<Outcome> {
  const rows: (readonly (string | null)[])[] = [];
  const unreadable: string[] = [];
  const unknown = new Set<string>();
  let format = as;
  let fields: readonly string[] = [];
  try {
    if (format === null) ({ format, fields } = await lookAt(path, undefined, part, fixed));
    for await (const batch of recordsOf(path, path, format)) {
      for (const at of batch.unknown?.keys() ?? []) unknown.add(at);
      for (const row of batch.rows)
        if (row instanceof Unreadable) unreadable.push(row.message);
        else rows.push(row);
    }
  } catch (error) {
    if (!isFault(error)) throw error;
    return { format, fields, rows, unreadable, unknown: [...unknown], refusal: error.message };
  }
  return { format, fields, rows, unreadable, unknown: [...unknown], refusal: null };
}
