import { ByteWriter } from '../../formats/text/byte-writer.ts';
import { copyCells, copyLine } from '../../formats/text/copy.ts';
import type { ChunkEncoding } from './encoding.ts';

const NEW_LINE = 10;

/** COPY's text format, a line a record (PostgreSQL, “COPY”, Text Format): what databases take, and a short way to keep cells. */
export const copy: ChunkEncoding<Uint8Array> = {
  encoder: (columns) => {
    const out = new ByteWriter(1024 * 1024);
    return { add: (values) => copyLine(out, values, columns), take: () => out.take() };
  },
  cells: (content) => copyLines(content).map(copyCells),
  only: (content, places) => {
    const parts: Uint8Array[] = [];
    let start = 0;
    let line = 0;
    for (const place of places) {
      for (; line < place; line++) start = content.indexOf(NEW_LINE, start) + 1;
      parts.push(content.subarray(start, content.indexOf(NEW_LINE, start) + 1));
    }
    const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
    let at = 0;
    for (const part of parts) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  },
  buffers: (content) => [content.buffer as ArrayBuffer],
};

/** The lines of it, without their ends: no cell has one in it. */
export const copyLines = (content: Uint8Array): string[] => new TextDecoder().decode(content).split('\n').slice(0, -1);
