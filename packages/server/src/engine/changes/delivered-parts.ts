import type { Database, Row, Statement } from '@versicle/postgres';
import { fromJson } from '../../store/values.ts';
import { FORGOTTEN, HALF, REMOVED, WIDTH, withContent } from './digests.ts';
import { breath } from '../../breath.ts';
import { ahead } from './ahead.ts';

/** Delivered records: their digests (digests.ts), and the values of their keys where these are remembered. */
export interface Remembered {
  readonly digests: Uint8Array;
  /** A list in JSON each. */
  readonly cells: readonly string[] | null;
  /** The values of the source's own key, a list in JSON each. */
  readonly sources: readonly string[] | null;
}
/** What was remembered at one time. */
export interface DeliveredPart {
  readonly number: number;
  readonly run: number | null;
  readonly digests: Uint8Array;
  /** The target has had these, and nobody knows what it has of them now. */
  readonly unsure: boolean;
}
/** The same with the values of keys. */
export interface NamedPart extends DeliveredPart {
  readonly cells: readonly (readonly (string | null)[] | null)[] | null;
  /** Each a list in JSON. */
  readonly sources: readonly (string | null)[] | null;
}

const append = (memory: number, run: number, { digests, cells, sources }: Remembered): Statement => ({
  sql: "INSERT INTO delivered_part (memory, run, digests, cells, sources) VALUES ($1, $2, decode($3, 'base64'), $4, $5)",
  params: [memory, run, packed(digests), cells && `[${cells.join(',')}]`, sources && JSON.stringify(sources)],
});
/** What arrived is remembered; of what was refused, nobody knows what the target has now. */
export function keepInMind(
  memory: { readonly id: number } | null,
  run: number,
  arrived: Remembered,
  refused: Uint8Array,
): Statement[] {
  if (memory === null) return [];
  const nameless = { cells: null, sources: null };
  return [
    ...(arrived.digests.length > 0 ? [append(memory.id, run, arrived)] : []),
    ...(refused.length > 0 ? [append(memory.id, run, { digests: withContent(refused, FORGOTTEN), ...nameless })] : []),
  ];
}
/** The target does not have these any more. `keys`: their digests, one after the other. */
export const removeFromMemory = (memory: number, run: number, keys: Uint8Array): Statement => {
  const digests = new Uint8Array(keys.length * (WIDTH / HALF));
  for (let i = 0; i * HALF < keys.length; i++) {
    digests.set(keys.subarray(i * HALF, (i + 1) * HALF), i * WIDTH);
    digests.set(REMOVED, i * WIDTH + HALF);
  }
  return append(memory, run, { digests, cells: null, sources: null });
};

/** How much there is: up to which part, and how many records in all of them, those that later ones replace among them. */
export interface Extent {
  readonly last: number;
  readonly parts: number;
  readonly records: number;
}
export async function extentOf(db: Database, memory: number): Promise<Extent> {
  const [row] = await db.query<{ last: string; parts: number; records: string }>(
    `SELECT COALESCE(max(number), 0) AS last, count(*)::int AS parts, COALESCE(sum(length(digests)), 0) / ${WIDTH} AS records FROM delivered_part WHERE memory = $1`,
    [memory],
  );
  return { last: Number(row!.last), parts: row!.parts, records: Number(row!.records) };
}

/** Parts that are read at a time. */
const AT_A_TIME = 16;
type Read<T> = T & { number: string };
async function* batches<T extends Row>(
  db: Database,
  memory: number,
  last: number,
  fields: string,
): AsyncGenerator<readonly Read<T>[]> {
  for (let after = 0; ;) {
    const rows = await db.query<Read<T>>(
      `SELECT number, run, encode(digests, 'base64') AS digests, unsure${fields} FROM delivered_part WHERE memory = $1 AND number > $2 AND number <= $3 ORDER BY number LIMIT ${AT_A_TIME}`,
      [memory, after, last],
    );
    yield rows;
    if (rows.length < AT_A_TIME) return;
    after = Number(rows.at(-1)!.number);
  }
}
async function* read<T extends Row>(db: Database, memory: number, last: number, fields: string): AsyncGenerator<T> {
  for await (const rows of ahead(batches<T>(db, memory, last, fields)))
    for (const row of rows) {
      yield row;
      // A million records are gone through in the thread that answers people.
      await breath();
    }
}
/** Bytes go to and from the database as base64: where it is embedded, that is several times as fast. */
export const packed = (bytes: Uint8Array): string =>
  Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('base64');
export const unpacked = (text: string): Uint8Array => Buffer.from(text, 'base64');

type PartRow = { number: string; run: number | null; digests: string; unsure: boolean };
/** All parts up to one, as they were delivered. */
export async function* deliveredParts(db: Database, memory: number, last: number): AsyncGenerator<DeliveredPart> {
  for await (const row of read<PartRow>(db, memory, last, ''))
    yield { ...row, number: Number(row.number), digests: unpacked(row.digests) };
}
export async function* namedParts(db: Database, memory: number, last: number): AsyncGenerator<NamedPart> {
  type Named = PartRow & { cells: NamedPart['cells'] | string; sources: NamedPart['sources'] | string };
  for await (const row of read<Named>(db, memory, last, ', cells, sources'))
    yield {
      ...row,
      number: Number(row.number),
      digests: unpacked(row.digests),
      cells: row.cells === null ? null : fromJson(row.cells),
      sources: row.sources === null ? null : fromJson(row.sources),
    };
}
