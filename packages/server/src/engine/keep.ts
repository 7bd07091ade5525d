import { createReadStream, createWriteStream, existsSync } from 'node:fs';
import { copyFile, mkdir, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { counted, fillPlaces, harmlessCell, refused, type Failure, type MappingStep } from '@versicle/core';
import { openRecordFile } from '@versicle/files';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';

/** What of a run is kept as files besides, and what fills the places of their folders. */
export interface Kept {
  readonly run: number;
  readonly keep: NonNullable<MappingStep['keep']>;
  readonly now: Date;
  readonly variables: ReadonlyMap<string, string>;
}
/** Failed records that are written at a time. */
const AT_A_TIME = 1000;
const [LINE_END, MARK] = [0x0a, '!'.charCodeAt(0)];
/** Columns in front of the source's own. */
const OWN = ['row', 'file', 'line', 'cause', 'what is wrong', 'answer of the target'] as const;

/** Puts what a run read, and what failed in it, as files into folders besides. Done again after a kill, it gives the same. */
export class Keep {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
  ) {}

  /** The very files that are read, or the records that were fetched. Gives what is to be told. */
  async read(kept: Kept, { files, format }: SourcePlan): Promise<string | null> {
    if (kept.keep.read === undefined) return null;
    const { folder, words, named } = await this.folder(kept, kept.keep.read);
    const landed = format.kind === 'jsonl' && format.landed === true;
    for (const [i, file] of files.entries()) {
      const name = landed ? 'records.jsonl' : nameOf(files, i);
      await put(join(folder, named(name)), (path) => (landed ? unlanded(file.path, path) : copyFile(file.path, path)));
      const now = await stat(file.path);
      if (now.size !== file.bytes || now.mtimeMs !== file.changed)
        throw new Error(`${file.name} has changed while it was copied into ${words}. Start a new run.`);
    }
    return `what is read is kept in ${words}`;
  }

  /** What failed, with the reasons, as a file of comma-separated values. */
  async failed(kept: Kept): Promise<string | null> {
    if (kept.keep.failed === undefined) return null;
    const [sum] = await this.db.query<{ n: string }>(`SELECT count(*) AS n ${FAILED}`, [kept.run]);
    const n = Number(sum!.n);
    if (n === 0) return null;
    const names = await this.db.query<{ name: string }>(
      `SELECT name FROM (SELECT k.name, min(f.id) AS first, min(k.place) AS place FROM (SELECT id, source ${FAILED}) f,
         json_object_keys(f.source) WITH ORDINALITY AS k(name, place) GROUP BY k.name) t ORDER BY place, first`,
      [kept.run],
    );
    const own: readonly string[] = OWN;
    const fields = names.map(({ name }) => (own.includes(name) ? `source ${name}` : name));
    const { folder, words, named } = await this.folder(kept, kept.keep.failed);
    await put(join(folder, named('failed.csv')), async (path) => {
      const out = await openRecordFile(
        path,
        [...OWN, ...fields].map((name) => ({ name, type: { value: 'text', sql: 'text' } as const })),
      );
      for (let after = 0; ;) {
        const rows = await this.db.query<FailedRow>(
          `SELECT id, row_number, file_row, file, failures, source, answer ${FAILED} AND id > $2 ORDER BY id LIMIT $3`,
          [kept.run, after, AT_A_TIME],
        );
        if (rows.length === 0) break;
        for (const row of rows) {
          const failures = fromJson<Failure[]>(row.failures);
          const source = fromJson<Record<string, string | null>>(row.source);
          const all = (of: (f: Failure) => string | null): string =>
            [...new Set(failures.flatMap((f) => of(f) ?? []))].join(' | ');
          out.write(
            [
              row.file_row ?? row.row_number,
              row.file,
              all((f) => f.line),
              all((f) => f.cause),
              all((f) => f.message),
              row.answer,
              ...names.map(({ name }) => source[name] ?? null),
              // People open it in spreadsheet programs.
            ].map((text) => (text === null ? null : harmlessCell(text))),
          );
        }
        after = Number(rows.at(-1)!.id);
        await out.flush();
      }
      await out.close();
    });
    return `${counted(n, 'failed record is', 'failed records are')} kept in ${words}`;
  }

  /** `system/folder within it`, its places filled. */
  private async folder({ run, now, variables }: Kept, text: string): Promise<Place> {
    const words = fillPlaces(text, now, variables, 'of the plan');
    const slash = words.indexOf('/');
    const { system, name } = await this.systems.openById(words.slice(0, slash));
    if (!system.folderWithin) throw refused(`${name} is no folder; files are kept in a system that is one.`);
    // Several runs may share a folder, such as those of the steps of one plan: then each has names of its own there.
    const isOwn = /\{\{ *run *\}\}/.test(text) && variables.get('run') === String(run);
    const named = (file: string): string => (isOwn ? file : numbered(file, `.run-${run}`));
    return { folder: await system.folderWithin(words.slice(slash + 1)), words, named };
  }
}

/** Where files are put, in words too, and what one of a name is called there. */
interface Place {
  readonly folder: string;
  readonly words: string;
  readonly named: (file: string) => string;
}
const FAILED = "FROM failed_record WHERE run = $1 AND state <> 'remark'";
interface FailedRow {
  [name: string]: unknown;
  id: string;
  row_number: string;
  file_row: string | null;
  file: string | null;
  failures: Failure[] | string;
  source: Record<string, string | null> | string;
  answer: string | null;
}

/** Files of one name, from different archives, get numbers. */
function nameOf(files: SourcePlan['files'], at: number): string {
  const name = basename(files[at]!.path);
  const before = files.slice(0, at).filter((f) => basename(f.path) === name).length;
  return before === 0 ? name : numbered(name, `-${before + 1}`);
}
const numbered = (name: string, what: string): string => name.replace(/(\.[^.]*)?$/, (ending) => `${what}${ending}`);
/** The file is there as a whole or not at all; one that is there already was put there before a kill. */
async function put(path: string, make: (path: string) => Promise<unknown>): Promise<void> {
  if (existsSync(path)) return;
  // Beside it, where nobody takes it for a file that has arrived.
  const beside = join(dirname(path), `.partial-${basename(path)}`);
  try {
    await mkdir(beside, { recursive: true });
    const partial = join(beside, basename(path));
    await make(partial);
    await rename(partial, path);
  } finally {
    await rm(beside, { force: true, recursive: true });
  }
}
/** Fetched records as plain JSON Lines: one that could not be read is an object that says so. */
function unlanded(from: string, to: string): Promise<void> {
  let begins = true;
  const plain = new Transform({
    transform(bytes: Buffer, _encoding, done) {
      const pieces: Buffer[] = [];
      for (let at = 0; at < bytes.length;) {
        const end = bytes.indexOf(LINE_END, at) + 1 || bytes.length;
        pieces.push(bytes.subarray(begins && bytes[at] === MARK ? at + 1 : at, end));
        begins = bytes[end - 1] === LINE_END;
        at = end;
      }
      done(null, Buffer.concat(pieces));
    },
  });
  return pipeline(createReadStream(from), plain, createWriteStream(to));
}
