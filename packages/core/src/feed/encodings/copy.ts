import { ByteWriter } from '../../formats/byte-writer.ts';
import { copyCells, copyLine } from '../../formats/write.ts';
import type { ChunkEncoding } from './encoding.ts';

/** COPY's text format, a line a record (PostgreSQL, “COPY”, Text Format): what databases take, and a short way to keep cells. */
export const copy: ChunkEncoding<Uint8Array> = {
  encoder: (columns) => {
    const out = new ByteWriter(1024 * 1024);
    return { add: (values) => copyLine(out, values, columns), take: () => out.take() };
  },
  cells: (content) => copyLines(content).map(copyCells),
  buffers: (content) => [content.buffer as ArrayBuffer],
};

/** The lines of it, without their ends: no cell has one in it. */
export const copyLines = (content: Uint8Array): string[] => new TextDecoder().decode(content).split('\n').slice(0, -1);
