import { keptRejections, quoteName as q, type Delivered, type Delivery, type Rejection } from '@versicle/core';
import type { Swap, Swapped } from '../database.ts';
import { besideName, keysName, tableName } from '../names.ts';
import type { Session } from '../session.ts';
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

/** Puts a chunk into its table and into the journal, within a transaction that is open already. */
export async function deliverChunk(tx: Session, delivery: Delivery): Promise<Delivered> {
  const { source, run, chunk } = delivery;
  const known = await tx.query(
    'SELECT rejected, unchanged FROM versicle.delivery WHERE source = $1 AND run = $2 AND chunk = $3',
    [source, run, chunk],
  );
  const [before] = known.rows;
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
export async function swapContent(tx: Session, { source, table, columns, mayRemove }: Swap): Promise<Swapped> {
  const target = tableName(table);
  const loaded = besideName(source);
  const known = await tx.query('SELECT rejected FROM versicle.delivery WHERE source = $1 AND run = 0 AND chunk = 0', [
    source,
  ]);
  if (known.rows[0]) {
    const { rejected } = known.rows[0];
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
