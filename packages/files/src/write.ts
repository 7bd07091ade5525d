import { createHash } from 'node:crypto';
import { createWriteStream, type WriteStream } from 'node:fs';
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import {
  ByteWriter,
  type CantWrite,
  Fault,
  type OutField,
  outputText,
  rowFormat,
  type TextOutput,
  type Value,
} from '@versicle/core';

import { cellText, MAX_CELL } from './cell-text.ts';

/** A text file written in large pieces. */
export class TextFile {
  /** What waits to be written; lines are put into it. */
  readonly out = new ByteWriter();
  private failure: Error | null = null;
  private readonly stream: WriteStream;
  private handedOver = 0;
  private readonly hash = createHash('sha256');

  /** Bytes of the file so far, with those that wait. */
  get bytes(): number {
    return this.handedOver + this.out.length;
  }

  /** `sums`: whether what is written is summed up. */
  constructor(
    private readonly path: string,
    private readonly sums = false,
  ) {
    this.stream = createWriteStream(path);
    this.stream.on('error', (error) => (this.failure = error));
  }
  write(text: string): void {
    this.out.text(text);
  }
  /** Call now and then; waits when the disk is slower than we are. */
  async flush(atLeast = 256 * 1024): Promise<void> {
    this.requireSound();
    if (this.out.length < atLeast) return;
    this.handedOver += this.out.length;
    const bytes = this.out.take();
    if (this.sums) this.hash.update(bytes);
    // `once` also ends, by throwing, when the stream reports an error; the next look says so.
    if (!this.stream.write(bytes)) await once(this.stream, 'drain').catch(() => undefined);
    this.requireSound();
  }
  private requireSound(): void {
    if (this.failure) throw new Fault('unwritable', `${this.path} can't be written: ${this.failure.message}`);
  }
  async close(): Promise<void> {
    await this.flush(1);
    await new Promise<void>((resolve, reject) => {
      this.stream.on('error', reject);
      this.stream.end((error?: Error | null) => (error ? reject(error) : resolve()));
    }).catch((error: Error) => {
      throw new Fault('unwritable', `${this.path} can't be written: ${error.message}`);
    });
  }
  /** Once it is closed: what all of its bytes sum up to (SHA-256). */
  sum(): string {
    return this.hash.digest('hex');
  }
}

/** A file of records that is being written. */
export interface RecordFile {
  /** Why a record can't be written; only those for which it is null may be. */
  cantWrite(values: readonly Value[]): CantWrite | null;
  write(values: readonly Value[]): void;
  /** Records that were written elsewhere, in the form of this file; where records stand by themselves. */
  append?(records: Uint8Array): void;
  /** Call now and then; waits when the disk is slower than we are. */
  flush(): Promise<void>;
  close(): Promise<void>;
}

/** The endings of files that can be written, with what they stand for. */
const OUTPUTS: Record<string, TextOutput | 'xlsx'> = {
  csv: 'csv',
  jsonl: 'jsonl',
  ndjson: 'jsonl',
  json: 'json',
  xml: 'xml',
  txt: 'fixed',
  xlsx: 'xlsx',
};
export function outputKind(path: string): TextOutput | 'xlsx' {
  const ending = /\.([a-z]+)$/i.exec(path)?.[1]?.toLowerCase() ?? '';
  const kind = OUTPUTS[ending];
  if (kind) return kind;
  throw new Fault(
    'unwritable',
    `${path}: the ending says how to write; use .csv, .jsonl, .json, .xml, .xlsx or .txt (fixed-width).`,
  );
}

/** Opens a file for records; its ending says the format. Throws a fault, also when the fields don't suit. */
export async function openRecordFile(path: string, fields: readonly OutField[]): Promise<RecordFile> {
  const kind = outputKind(path);
  if (kind === 'xlsx') return openWorkbook(path, fields);
  const format = rowFormat(kind, fields);
  const file = new TextFile(path);
  format.begin(file.out);
  return {
    cantWrite: (values) => format.cantWrite(values),
    write: (values) => format.row(file.out, values),
    append: (records) => file.out.bytesOf(records),
    flush: () => file.flush(),
    close: () => {
      format.end(file.out);
      return file.close();
    },
  };
}

/** Why records can't be written into a file of this name, without opening it; null where all can. Throws a fault when the fields don't suit. */
export function cantWriteInto(path: string, fields: readonly OutField[]): RecordFile['cantWrite'] | null {
  const kind = outputKind(path);
  if (kind === 'csv' || kind === 'jsonl' || kind === 'json') return null;
  return kind === 'xlsx' ? cantBeCells(fields) : rowFormat(kind, fields).cantWrite;
}
/** A cell has room for so many characters. */
function cantBeCells(fields: readonly OutField[]): RecordFile['cantWrite'] {
  return (values) => {
    const at = fields.findIndex(({ type }, i) => cellText(outputText(values[i]!, type.value) ?? '').length > MAX_CELL);
    if (at < 0) return null;
    return { field: fields[at]!.name, message: 'its value is longer than the 32,767 characters that a cell holds' };
  };
}

/** Rows of a sheet at the most (ECMA-376). */
const MAX_ROWS = 1_048_576;

/** Values are written as text, so that no program turns codes into numbers; numbers that are exact as such are numbers. */
async function openWorkbook(path: string, fields: readonly OutField[]): Promise<RecordFile> {
  const { default: exceljs } = await import('exceljs');
  const stream = createWriteStream(path);
  const ended = finished(stream).catch((error: Error) => error);
  const workbook = new exceljs.stream.xlsx.WorkbookWriter({ stream, useSharedStrings: false });
  const sheet = workbook.addWorksheet('Records', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = fields.map((f) => ({ header: f.name, width: Math.min(40, Math.max(10, f.name.length + 2)) }));
  sheet.getRow(1).font = { bold: true };
  sheet.getRow(1).commit();
  let rows = 1;
  const cell = (value: Value, field: OutField): string | number | boolean | null => {
    if (value === null) return null;
    const type = field.type.value;
    if (type === 'bool') return value as boolean;
    const text = outputText(value, type)!;
    return type === 'int2' || type === 'int4' ? Number(text) : cellText(text);
  };
  return {
    cantWrite: cantBeCells(fields),
    write: (values) => {
      if (++rows > MAX_ROWS)
        throw new Fault('unwritable', `${path}: a sheet ends at 1,048,576 rows; write .csv or .jsonl instead.`);
      sheet.addRow(fields.map((f, i) => cell(values[i]!, f))).commit();
    },
    flush: async () => {
      if (stream.writableNeedDrain) await Promise.race([once(stream, 'drain').catch(() => undefined), ended]);
      if (stream.errored) throw new Fault('unwritable', `${path} can't be written: ${stream.errored.message}`);
    },
    close: async () => {
      await Promise.race([workbook.commit().catch(() => undefined), ended]);
      const error = await ended;
      if (error) throw new Fault('unwritable', `${path} can't be written: ${error.message}`);
    },
  };
}
