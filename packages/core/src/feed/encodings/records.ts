import { outputText } from '../../fields/values.ts';
import type { Cells, ChunkEncoding } from './encoding.ts';

/** The cells of each record: for targets that put every record into a form of their own. */
export const records: ChunkEncoding<readonly Cells[]> = {
  encoder: (columns) => {
    let out: Cells[] = [];
    return {
      add: (values) => void out.push(columns.map(({ type }, i) => outputText(values[i] ?? null, type))),
      take: () => {
        const taken = out;
        out = [];
        return taken;
      },
    };
  },
  cells: (content) => [...content],
  only: (content, places) => places.map((place) => content[place]!),
  buffers: () => [],
};
