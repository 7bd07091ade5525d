import { readerFor, readRows, readSheet, Workbook, type FileFormat, type RowBatch } from '@versicle/core';
import { openArchive } from './archive.ts';
import { chunksOf } from './chunks.ts';

/**
 * The records of a file on disk, in batches. `count` hears of bytes as they are read (for a workbook, of all at its end).
 * Throws FormatError.
 */
export async function* recordsOf(
  path: string,
  name: string,
  format: FileFormat,
  count: (bytes: number) => void = () => undefined,
  /** JSON Lines learn their fields as they go; these settle them. */
  fields: readonly string[] | null = null,
): AsyncGenerator<RowBatch> {
  if (format.kind !== 'xlsx')
    return yield* readRows(
      counted(chunksOf(path, name), count),
      readerFor(format, format.kind === 'jsonl' ? fields : null),
    );
  const archive = await openArchive(path, name);
  try {
    yield* readSheet(await Workbook.open(archive), format);
  } finally {
    archive.close();
  }
}
async function* counted(chunks: AsyncIterable<Uint8Array>, count: (bytes: number) => void): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    count(chunk.length);
    yield chunk;
  }
}
