import { promisify } from 'node:util';
import { gunzip, gunzipSync, gzipSync } from 'node:zlib';

/** A text that is longer is packed: to write a dozen megabytes holds up an embedded store for half a second. */
const LONG = 100_000;
/** How gzip in base64 begins, and JSON does not. */
const BEGINS = 'H4sI';

/** As it is kept in a column of texts; JSON only. For threads: it takes as long as the text is. */
export const packed = (json: string): string => (json.length > LONG ? gzipSync(json).toString('base64') : json);

export async function unpacked(kept: string): Promise<string> {
  return kept.startsWith(BEGINS) ? (await promisify(gunzip)(Buffer.from(kept, 'base64'))).toString() : kept;
}
/** For threads. */
export const unpackedHere = (kept: string): string =>
  kept.startsWith(BEGINS) ? gunzipSync(Buffer.from(kept, 'base64')).toString() : kept;
