import { existsSync, lstatSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  contentOf,
  converterTo,
  copyCells,
  copyLines,
  type Delivered,
  type Delivery,
  isFault,
  isLoaded,
  type MappingDocument,
  Mismatch,
  type OutField,
  parseFieldType,
  refused,
  type Rejection,
  rowFormat,
  type Value,
} from '@versicle/core';
import { cantWriteInto, openRecordFile, outputKind } from '@versicle/files';
import type { BulkTarget, Finished, TargetRun } from '../kind.ts';
import { Stage, StageGone } from './stage.ts';

/** What the file was like when we wrote it last: one that is not so any more is somebody else's. */
interface Made {
  readonly bytes: number;
  readonly changed: number;
}
const MADE = 'made.json';
/** The columns that a part was written with; parts of older versions have no such line. */
const COLUMNS = '#columns ';

/**
 * Writes records into a file of the folder. Chunks are kept beside it, each under its run and number and put there in one
 * step, so that none counts twice; the file itself is made of them when the run ends, and takes its place in one step too.
 * A run that replaces the content leaves the older parts alone until then; a replay adds its own and makes the file anew.
 */
export class FolderTarget implements BulkTarget {
  /** Parts are kept as COPY text: short, and whatever the file's format, its cells are what they were. */
  readonly lane = 'bulk';
  readonly encoding = 'copy';

  /** Of each run that was prepared: what its records are like. */
  private readonly fields = new Map<string, readonly OutField[]>();

  constructor(private readonly root: string) {}

  async takeOn(run: TargetRun): Promise<null> {
    try {
      this.stage(run).take();
      return await Promise.resolve(null);
    } catch (error) {
      throw error instanceof StageGone ? error : unwritable(this.root, error);
    }
  }
  prepare(document: MappingDocument, dataset: string, run: TargetRun): Promise<string[]> {
    requireFileName(dataset);
    const { mode } = document.write;
    if (mode !== 'replace' && mode !== 'insert' && mode !== 'append')
      throw refused(
        `A file can't be updated record by record (${mode}); use replace, which writes it anew with each run, or insert for a new file.`,
      );
    this.requireOurs(dataset);
    try {
      const kind = outputKind(dataset);
      if (kind !== 'xlsx') rowFormat(kind, fieldsOf(document));
      makeFolder(this.partsOf(dataset));
      // Of runs that began before they had ids of their own, nobody takes any on.
      if (run.legacy) this.stage(run).take();
      this.fields.set(run.uid, fieldsOf(document));
    } catch (error) {
      throw isFault(error) ? error : unwritable(this.root, error);
    }
    return Promise.resolve([`writes the file ${dataset}`]);
  }
  async check(document: MappingDocument, dataset: string): Promise<void> {
    requireFileName(dataset);
    const { mode, existing } = document.write;
    if (mode === 'update' || mode === 'new revision' || existing === 'fill empty')
      throw refused(
        'What stands in a file can’t be changed in part; use insert, append, upsert with overwrite, or replace.',
      );
    this.requireOurs(dataset);
    const kind = outputKind(dataset);
    if (kind !== 'xlsx') rowFormat(kind, fieldsOf(document));
    return Promise.resolve();
  }

  /** Refuses to write over a file that somebody else made or changed. */
  private requireOurs(dataset: string): void {
    const path = join(this.root, dataset);
    const there = lstatSync(path, { throwIfNoEntry: false });
    if (!there) return;
    const folder = this.partsOf(dataset);
    const made = existsSync(join(folder, MADE)) ? (JSON.parse(readFileSync(join(folder, MADE), 'utf8')) as Made) : null;
    // Versions before this one kept parts, and did not say what they made of them.
    if (made === null && existsSync(folder) && readdirSync(folder).some((n) => PART.test(n))) return;
    if (made !== null && there.isFile() && made.bytes === there.size && made.changed === there.mtimeMs) return;
    throw refused(
      made === null
        ? `${dataset} is in the folder already, and Versicle did not make it; it would be overwritten. Name another file, or move this one away.`
        : `${dataset} was changed since Versicle wrote it; the change would be overwritten. Move or rename the file, and it is made anew.`,
    );
  }

  async deliver(delivery: Delivery, run: TargetRun): Promise<Delivered> {
    const { uid } = run;
    const rejections: Rejection[] = [];
    for (const [part, { dataset, columns, content }] of delivery.parts.entries()) {
      const sorted = sifted(dataset, this.fields.get(uid)!, contentOf(content, 'copy'));
      rejections.push(...sorted.refused.map((r) => ({ part, ...r })));
      const folder = this.partsOf(dataset);
      makeFolder(folder);
      const path = join(folder, `${number(delivery.run)}-${number(delivery.chunk)}-${short(uid)}`);
      const names = Buffer.from(`${COLUMNS}${JSON.stringify(columns.map((c) => c.name))}\n`);
      const stage = this.stage(run);
      await stage.during(() => stage.put(Buffer.concat([names, sorted.taken]), path));
    }
    return { rejections, unchanged: 0 };
  }

  finish(document: MappingDocument, dataset: string, run: TargetRun): Promise<Finished> {
    const stage = this.stage(run);
    return stage.during(() => this.make(document, dataset, run, stage));
  }
  private async make(document: MappingDocument, dataset: string, run: TargetRun, stage: Stage): Promise<Finished> {
    requireFileName(dataset);
    const fields = fieldsOf(document);
    const readers = fields.map((f) => converterTo(f.type, 'text'));
    const folder = this.partsOf(dataset);
    const replaces = document.write.mode === 'replace' && run.kind === 'full';
    const all = readdirSync(folder).filter((n) => PART.test(n));
    const wanted = all.filter((n) => !replaces || n.endsWith(`-${short(run.uid)}`)).sort();
    const partial = stage.file(`whole${/\.[^.]+$/.exec(dataset)![0]}`);
    rmSync(partial, { force: true });
    let records = 0;
    const file = await openRecordFile(partial, fields);
    for (const name of wanted) {
      const { places, lines } = partAt(join(folder, name), fields);
      for (const line of lines) {
        const cells = copyCells(line);
        const values = fields.map((_, i) => valueOf(cells[places[i]!] ?? null, readers[i]!));
        const cant = file.cantWrite(values);
        if (cant)
          throw refused(
            `${dataset} can’t hold an earlier record as its fields are now: ${cant.field}, ${cant.message}.`,
          );
        file.write(values);
        if (++records % 5000 === 0) await file.flush();
      }
      await file.flush();
    }
    await file.close();
    // A file that came into the folder meanwhile is not ours either.
    this.requireOurs(dataset);
    const { size, mtimeMs } = statSync(partial);
    const made = Buffer.from(JSON.stringify({ bytes: size, changed: mtimeMs } satisfies Made));
    // Whatever happens between these two, the file counts as ours: its parts are there.
    rmSync(join(folder, MADE), { force: true });
    stage.move(partial, join(this.root, dataset));
    stage.put(made, join(folder, MADE));
    if (replaces) for (const name of all) if (!wanted.includes(name)) rmSync(join(folder, name));
    return { log: [`the file ${dataset} has ${records.toLocaleString('en-GB')} records`] };
  }

  /** What a run brought that replaces the content and does not end well is no part of the file. */
  async discard(run: TargetRun, dataset: string, isDelivered: boolean): Promise<void> {
    const { uid } = run;
    this.fields.delete(uid);
    this.stage(run).leave();
    const folder = this.partsOf(dataset);
    if (!isDelivered && existsSync(folder))
      for (const name of readdirSync(folder)) if (name.endsWith(`-${short(uid)}`)) rmSync(join(folder, name));
    return Promise.resolve();
  }

  private stage(run: TargetRun): Stage {
    return new Stage(this.root, run);
  }
  private partsOf(dataset: string): string {
    return join(this.root, `.versicle-${dataset}`);
  }
}

/** Leaves out the records that a file of this name can't hold: they fail, and the others go in. */
function sifted(
  dataset: string,
  fields: readonly OutField[],
  content: Uint8Array,
): { taken: Uint8Array; refused: Omit<Rejection, 'part'>[] } {
  const readers = fields.map((f) => converterTo(f.type, 'text'));
  const cantWrite = cantWriteInto(dataset, fields);
  if (cantWrite === null) return { taken: content, refused: [] };
  const refused: Omit<Rejection, 'part'>[] = [];
  const lines = copyLines(content);
  const taken = lines.filter((line, index) => {
    const cells = copyCells(line);
    const cant = cantWrite(fields.map((_, i) => valueOf(cells[i] ?? null, readers[i]!)));
    if (cant === null) return true;
    const { field, message } = cant;
    refused.push({ index, cells, code: 'file_format', message, columns: [field], constraint: null });
    return false;
  });
  if (refused.length === 0) return { taken: content, refused };
  return { taken: Buffer.from(taken.map((line) => `${line}\n`).join('')), refused };
}

/** `run-chunk-id`; parts of older versions have no id. */
const PART = /^\d+-\d+(-[0-9a-f]+)?$/;
const short = (uid: string): string => uid.replace(/[^0-9a-f]/g, '').slice(0, 16);
const number = (n: number): string => String(n).padStart(9, '0');
function valueOf(cell: string | null, read: ReturnType<typeof converterTo>): Value {
  if (cell === null || !read) return cell;
  const value = read(cell);
  return value instanceof Mismatch ? cell : value;
}
function fieldsOf(document: MappingDocument): OutField[] {
  const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
  return document.target.fields
    .filter((f) => loaded.has(f.name))
    .map((f) => ({ name: f.name, type: parseFieldType(f.type) }));
}
function requireFileName(dataset: string): void {
  if (/[/\\\0*]/.test(dataset) || dataset.startsWith('.'))
    throw refused(
      `“${dataset}” can't be the name of a file in the folder; leave out slashes, stars and a dot in front.`,
    );
}
/** The records of a part, and where each field stands in them; -1 where the part was written without it. */
function partAt(path: string, fields: readonly OutField[]): { places: readonly number[]; lines: readonly string[] } {
  const lines = readFileSync(path, 'utf8').split('\n').slice(0, -1);
  if (!lines[0]?.startsWith(COLUMNS)) return { places: fields.map((_, i) => i), lines };
  const columns = JSON.parse(lines[0].slice(COLUMNS.length)) as string[];
  return { places: fields.map((f) => columns.indexOf(f.name)), lines: lines.slice(1) };
}
function makeFolder(path: string): void {
  const there = lstatSync(path, { throwIfNoEntry: false });
  if (there && !there.isDirectory())
    throw refused(`${path} is no folder of ours; Versicle keeps parts of files there. Move it away.`);
  // Not its parent: a folder that is gone is not made anew.
  if (!there) mkdirSync(path);
}
function unwritable(root: string, error: unknown): Error {
  return refused(`Versicle can't write into ${root}: ${(error as Error).message}`);
}
