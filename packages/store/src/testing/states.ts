import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';

/** What stores looked like after each change, with some content, as SQL (write-states.ts wrote them). */
export interface StoreState {
  readonly change: number;
  readonly sql: string;
}
const folder = join(__dirname, 'states');
export const storeStates = (): StoreState[] =>
  readdirSync(folder)
    .sort()
    .map((name) => ({
      change: Number(name.slice(0, 3)),
      sql: gunzipSync(readFileSync(join(folder, name)))
        .toString()
        // Words to the program that dumps are read with, not to the server.
        .replace(/^\\.*$/gm, ''),
    }));
