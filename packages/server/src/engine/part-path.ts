import { join } from 'node:path';

/** What a part of a shared dataset is kept in until its run, and the share, are over. */
export const partPath = (directory: string, run: number, part: number): string =>
  join(directory, `run-${run}.share-${part}.jsonl`);
