import type { StreamFormat } from './file-format.ts';
import type { RowBatch } from './format.ts';
import { READERS, type RowReader } from './registered.ts';

export type { RowReader };

export function readerFor(format: StreamFormat, fields: readonly string[] | null = null): RowReader {
  // Each reader takes its own kind, by which it was found.
  const reader = READERS[format.kind] as (format: StreamFormat, fields: readonly string[] | null) => RowReader;
  return reader(format, fields);
}

/** Reads a whole stream of bytes as batches of rows. A batch may have none, and tell of what was left out. */
export async function* readRows(chunks: AsyncIterable<Uint8Array>, reader: RowReader): AsyncGenerator<RowBatch> {
  for await (const chunk of chunks) {
    const batch = reader.push(chunk);
    if (batch.rows.length > 0 || batch.unknown !== undefined) yield batch;
  }
  const last = reader.end();
  if (last.rows.length > 0 || last.unknown !== undefined) yield last;
}

/** The names of the fields in a sample of a file's bytes. Throws a fault. */
export function sampleFields(sample: Uint8Array, format: StreamFormat): readonly string[] {
  const reader = readerFor(format);
  reader.push(sample);
  // The last line need not have an end; one that the sample cuts is no object yet, and nothing is learned from it.
  if (reader.names === null || reader.names.length === 0 || format.kind === 'jsonl') reader.end();
  return reader.names ?? [];
}

/** The beginning of a stream, up to `bytes`. What is wrong with the stream so far is thrown, not cut off. */
export async function firstBytes(chunks: AsyncIterable<Uint8Array>, bytes: number): Promise<Uint8Array> {
  const sample = new Uint8Array(bytes);
  let length = 0;
  for await (const chunk of chunks) {
    const part = chunk.subarray(0, bytes - length);
    sample.set(part, length);
    length += part.length;
    if (length === bytes) break;
  }
  return sample.subarray(0, length);
}
