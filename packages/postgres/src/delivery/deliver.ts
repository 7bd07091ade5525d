import { keptRejections, quoteName as q, type Delivered, type Delivery, type Rejection } from '@versicle/core';
import { DatabaseError, LOST_RUN, type Swap, type Swapped } from '../database.ts';
import { besideName, keysName, tableName } from '../names.ts';
import type { Row, Session } from '../session.ts';
import { putRows, type PartRows } from './put-rows.ts';
import { putBeside } from './tried-in-place.ts';

/** The table that says which chunks arrived, so that none arrives twice when a run is resumed. `source` is the run's own id. */
export const JOURNAL = `CREATE SCHEMA IF NOT EXISTS versicle;
CREATE TABLE IF NOT EXISTS versicle.delivery (source text NOT NULL DEFAULT '', run integer, chunk integer, rejected jsonb NOT NULL DEFAULT '[]', at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (source, run, chunk));
ALTER TABLE versicle.delivery ADD COLUMN IF NOT EXISTS source text NOT NULL DEFAULT '';
ALTER TABLE versicle.delivery ADD COLUMN IF NOT EXISTS unchanged integer NOT NULL DEFAULT 0;
COMMENT ON TABLE versicle.delivery IS 'Chunks that arrived, so that none arrives twice when a run is resumed';`;

/** Entries of runs that ended this long ago are of no use any more. */
const KEPT = "interval '90 days'";

/** This entry of a run is about no chunk: its `unchanged` says how often the run was taken on. */
const TAKEN_ON = { run: 0, chunk: -1 } as const;

/** A run was taken on for the so-manieth time: what is under way for whoever had it before is waited for, and is the last of theirs. */
export async function takeOnRun(tx: Session, source: string, claim: number): Promise<void> {
  const { count } = await tx.query(
    `INSERT INTO versicle.delivery AS d (source, run, chunk, unchanged) VALUES ($1, $2, $3, $4)
     ON CONFLICT (source, run, chunk) DO UPDATE SET unchanged = EXCLUDED.unchanged, at = now() WHERE d.unchanged <= EXCLUDED.unchanged`,
    [source, TAKEN_ON.run, TAKEN_ON.chunk, claim],
  );
  if (count === 0) throw lostRun();
}
const lostRun = (): DatabaseError => new DatabaseError('Another process has taken this run on.', LOST_RUN, null);

/** What the journal has of a chunk. Whose the run is stays so until the transaction ends; whoever takes it on comes before the next chunk. */
async function entryOf(tx: Session, { source, claim }: Owned, run: number, chunk: number): Promise<Row | undefined> {
  const { rows } = await tx.query(
    `SELECT run, chunk, rejected, unchanged FROM versicle.delivery
      WHERE source = $1 AND (run = $2 AND chunk = $3 OR run = $4 AND chunk = $5) FOR UPDATE`,
    [source, run, chunk, TAKEN_ON.run, TAKEN_ON.chunk],
  );
  const isTakenOn = (row: Row): boolean => Number(row['chunk']) === TAKEN_ON.chunk;
  const takenOn = rows.find(isTakenOn);
  if (takenOn && Number(takenOn['unchanged']) > claim) throw lostRun();
  return rows.find((row) => !isTakenOn(row));
}
type Owned = Pick<Delivery, 'source' | 'claim'>;

/** Puts a chunk into its table and into the journal, within a transaction that is open already. */
export async function deliverChunk(tx: Session, delivery: Delivery): Promise<Delivered> {
  const { source, run, chunk } = delivery;
  const before = await entryOf(tx, delivery, run, chunk);
  if (before) {
    const { rejected, unchanged } = before;
    return { rejections: keptRejections(rejected), unchanged: Number(unchanged) };
  }
  if (chunk === 1) await tx.query(`DELETE FROM versicle.delivery WHERE at < now() - ${KEPT}`);
  const delivered = await put(tx, delivery);
  await tx.query(
    'INSERT INTO versicle.delivery (source, run, chunk, rejected, unchanged) VALUES ($1, $2, $3, $4, $5)',
    [source, run, chunk, JSON.stringify(delivered.rejections), delivered.unchanged],
  );
  return delivered;
}

/** Part after part, as the parts stand: parents before their children. */
async function put(tx: Session, { source, mode, parts }: Delivery): Promise<Delivered> {
  if (mode === 'replace' && parts.length > 1) throw new Error('Several tables can’t be replaced in one chunk yet.');
  const rejections: Rejection[] = [];
  let unchanged = 0;
  for (const [number, part] of parts.entries()) {
    const rows: PartRows = { source, mode, part, number };
    const into = mode === 'replace' ? await beside(tx, rows) : tableName(part.dataset);
    if (part.rows === 0) continue;
    const done = await (mode === 'replace' ? putBeside(tx, rows, into) : putRows(tx, rows, into));
    rejections.push(...done.rejections);
    unchanged += done.unchanged;
  }
  return { rejections, unchanged };
}

/** The table beside the real one, with its checks, defaults, keys and references; made with the run's first chunk. */
async function beside(tx: Session, { source, part }: PartRows): Promise<string> {
  const name = besideName(source);
  const { rows } = await tx.query('SELECT to_regclass($1) IS NOT NULL AS there', [name]);
  if (String(rows[0]!['there']).startsWith('t')) return name;
  const target = tableName(part.dataset);
  await tx.exec(`CREATE TABLE ${name} (LIKE ${target} INCLUDING ALL)`);
  const references = await tx.query(
    `SELECT pg_get_constraintdef(oid) AS text FROM pg_constraint
      WHERE contype = 'f' AND conrelid = $1::regclass AND confrelid <> conrelid`,
    [target],
  );
  for (const { text } of references.rows) {
    await tx.exec('SAVEPOINT reference');
    try {
      await tx.exec(`ALTER TABLE ${name} ADD ${String(text)}; RELEASE SAVEPOINT reference`);
    } catch {
      // Who may not refer to that table hears of a broken reference when the content takes its place.
      await tx.exec('ROLLBACK TO SAVEPOINT reference; RELEASE SAVEPOINT reference');
    }
  }
  return name;
}

/**
 * Puts what was loaded beside a table in its place, within a transaction that is open already: all of it, or nothing. Chunk 0
 * of the journal says that it happened, so that a run that is taken up again does not empty the table.
 */
export async function swapContent(tx: Session, swap: Swap): Promise<Swapped> {
  const { source, table, columns, mayRemove } = swap;
  const target = tableName(table);
  const loaded = besideName(source);
  const known = await entryOf(tx, swap, 0, 0);
  if (known) {
    const { rejected } = known;
    return (typeof rejected === 'string' ? JSON.parse(rejected) : rejected) as Swapped;
  }
  await tx.exec(`LOCK TABLE ${target} IN SHARE ROW EXCLUSIVE MODE`);
  const counted = async (of: string): Promise<number> =>
    Number((await tx.query(`SELECT count(*) AS n FROM ${of}`)).rows[0]!['n']);
  const found: Swapped = { before: await counted(target), after: await counted(loaded), done: true };
  if (mayRemove !== null && found.before - found.after > found.before * mayRemove) return { ...found, done: false };
  await tx.exec('SET CONSTRAINTS ALL DEFERRED');
  await tx.exec(`DELETE FROM ${target}`);
  const list = columns.map(q).join(', ');
  await tx.exec(`INSERT INTO ${target} (${list}) OVERRIDING SYSTEM VALUE SELECT ${list} FROM ${loaded}`);
  await tx.exec('SET CONSTRAINTS ALL IMMEDIATE');
  if ((await counted(target)) !== found.after)
    throw new Error(
      `${table} would not keep all of the ${found.after.toLocaleString('en-GB')} records that replace its content (a trigger or rule of the table leaves some out); it stays as it was.`,
    );
  await tx.exec(`DROP TABLE ${loaded}`);
  await tx.query('INSERT INTO versicle.delivery (source, run, chunk, rejected) VALUES ($1, 0, 0, $2)', [
    source,
    JSON.stringify(found),
  ]);
  return found;
}

/** Removes what a run needed only while it went on. */
export const discardOf = (source: string): string =>
  `DROP TABLE IF EXISTS ${besideName(source)}; DROP TABLE IF EXISTS ${keysName(source)}`;
