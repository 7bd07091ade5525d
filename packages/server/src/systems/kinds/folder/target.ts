import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  converterTo,
  copyCells,
  FormatError,
  isLoaded,
  Mismatch,
  parseFieldType,
  rowFormat,
  type MappingDocument,
  type OutField,
  type Value,
} from '@versicle/core';
import { openRecordFile, outputKind, WriteError } from '@versicle/files';
import { refused } from '../../../http/problem.ts';
import type { Delivery, Rejection } from '../../../store/database.ts';
import type { Target } from '../kind.ts';

/**
 * Writes records into a file of the folder. Chunks are kept beside it, each under its number and put there in one step, so
 * that none counts twice; the file itself is made of them when the run ends, and takes its place in one step too. A replay
 * adds its chunks and makes the file anew.
 */
export class FolderTarget implements Target {
  constructor(private readonly root: string) {}

  prepare(document: MappingDocument, dataset: string): Promise<string[]> {
    requireFileName(dataset);
    const { mode } = document.write;
    if (mode !== 'replace' && mode !== 'insert' && mode !== 'append')
      throw refused(
        `A file can't be updated record by record (${mode}); use replace, which writes it anew with each run, or insert for a new file.`,
      );
    try {
      const kind = outputKind(dataset);
      if (kind !== 'xlsx') rowFormat(kind, fieldsOf(document));
      mkdirSync(this.partsOf(dataset), { recursive: true });
    } catch (error) {
      throw error instanceof WriteError || error instanceof FormatError
        ? refused(error.message)
        : unwritable(this.root, error);
    }
    return Promise.resolve([`writes the file ${dataset}`]);
  }

  deliver(delivery: Delivery): Promise<Rejection[]> {
    const folder = this.partsOf(delivery.table);
    mkdirSync(folder, { recursive: true });
    // A whole run writes the file anew: what earlier runs left is not part of it.
    if (delivery.chunk === 1 && delivery.mode === 'replace')
      for (const name of readdirSync(folder))
        if (!name.startsWith(`${number(delivery.run)}-`)) rmSync(join(folder, name));
    const path = join(folder, `${number(delivery.run)}-${number(delivery.chunk)}`);
    writeFileSync(`${path}.new`, delivery.copy);
    renameSync(`${path}.new`, path);
    return Promise.resolve([]);
  }

  async finish(document: MappingDocument, dataset: string): Promise<string[]> {
    requireFileName(dataset);
    const fields = fieldsOf(document);
    const readers = fields.map((f) => converterTo(f.type, 'text'));
    const folder = this.partsOf(dataset);
    const partial = join(folder, `whole${/\.[^.]+$/.exec(dataset)![0]}`);
    let records = 0;
    try {
      const file = await openRecordFile(partial, fields);
      for (const part of readdirSync(folder)
        .filter((n) => /^\d+-\d+$/.test(n))
        .sort()) {
        const lines = readFileSync(join(folder, part), 'utf8').split('\n').slice(0, -1);
        for (const line of lines) {
          file.write(copyCells(line).map((cell, i) => valueOf(cell, readers[i]!)));
          if (++records % 5000 === 0) await file.flush();
        }
        await file.flush();
      }
      await file.close();
    } catch (error) {
      throw error instanceof WriteError || error instanceof FormatError ? refused(error.message) : error;
    }
    renameSync(partial, join(this.root, dataset));
    return [`the file ${dataset} has ${records.toLocaleString('en-GB')} records`];
  }

  private partsOf(dataset: string): string {
    return join(this.root, `.versicle-${dataset}`);
  }
}

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
function unwritable(root: string, error: unknown): Error {
  return refused(`Versicle can't write into ${root}: ${(error as Error).message}`);
}
