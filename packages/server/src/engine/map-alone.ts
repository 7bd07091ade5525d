import { mergeUnknown, type RowBatch } from '@versicle/core';
import { datasetRecords } from '@versicle/files';
import { Chunk, Mapper, unreadOf, type Origin } from './chunk.ts';
import type { HandOver } from './hand-over.ts';
import type { MapJob, MappedChunk } from './messages.ts';

/** Reads and maps record after record: what depends on all that came before, or comes in formats that one reader reads. */
export async function mapAlone(job: MapJob, hand: HandOver): Promise<void> {
  const mapper = new Mapper(job, false);
  mapper.requireSound();
  const { settled, cut } = job;
  const { feed } = mapper;
  let bytes = 0;
  let number = settled.chunk;
  let read = 0;
  let chunk = new Chunk(mapper, false);
  const flush = async (insertOnly: boolean): Promise<void> => {
    // The text of a chunk is taken also where it arrived in an earlier life of the run: the next one begins with none.
    const made = chunk;
    const message = made.message(number + 1, bytes);
    const isSettled = read <= settled.read && settled.read > 0;
    if (!isSettled) number++;
    chunk = new Chunk(mapper, insertOnly);
    await hand.chunk(message, made, isSettled);
  };
  let stopped = false;
  let rest: MappedChunk['unread'] = new Map();
  reading: for await (const { rows, unknown, ...origin } of originsOf(job, mapper.names, (n) => (bytes += n))) {
    let told = false;
    if (rows.length === 0) rest = mergeUnknown([rest, unreadOf(unknown, origin.first.file)]);
    for (let at = 0; at < rows.length; at++) {
      if (job.rowLimit !== null && read >= job.rowLimit) break reading;
      const insertOnly = origin.replay?.[at]?.duplicate ?? false;
      if (insertOnly !== chunk.insertOnly) {
        if (chunk.counts.read > 0) await flush(insertOnly);
        else chunk = new Chunk(mapper, insertOnly);
      }
      read++;
      if (!told) chunk.leaves(unknown, origin.first.file);
      told = true;
      chunk.add(origin, at, rows[at]!);
      stopped = chunk.stopped !== null;
      if (stopped) break reading;
      // The next chunk begins right after the last record that was settled, wherever it was cut then.
      const resumes = read === settled.read;
      if (resumes || chunk.counts.read >= cut.rows || chunk.characters >= cut.characters) await flush(insertOnly);
      if (resumes) feed.sequence = settled.sequence ?? feed.sequence;
    }
  }
  // Also a source without records is one chunk: a target that is replaced must become empty.
  if (chunk.counts.read > 0 || number === 0) await flush(false);
  await hand.end(bytes, stopped, mapper.well?.ids ?? [], rest);
}

async function* originsOf(
  job: MapJob,
  names: readonly string[],
  count: (bytes: number) => void,
): AsyncGenerator<Origin & Pick<RowBatch, 'rows' | 'unknown'>> {
  if (job.replay) {
    const rows = job.replay.map((r) => names.map((n) => r.source[n] ?? null));
    const first = { row: 1, fileRow: 1, file: null };
    yield { first, replay: job.replay, rows, unknown: undefined, row: (at) => rows[at]! };
    return;
  }
  for await (const batch of datasetRecords(job.source.files, job.source.format, names, count)) {
    const { rows, file, unknown } = batch;
    const first = { row: batch.firstInDataset, fileRow: batch.firstRow, file };
    yield { first, replay: null, rows, unknown, row: (at) => rows[at]! };
  }
}
