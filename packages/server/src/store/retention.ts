import { KEPT, type KeptFor, type Retention, type SavedRetention } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import type { Logger } from 'pino';
import { goneOf, KEPT_THINGS } from './kept.ts';
import { fromJson, isoTimeOrNull } from './values.ts';

/** Days for which what is over is kept where nobody says otherwise. */
const KEPT_DAYS = Number(process.env['VERSICLE_KEEP_DAYS'] ?? 400);
const DAY = 86_400_000;
/** Minutes after the start, when people have looked at what they came for. */
const FIRST = Number(process.env['VERSICLE_TIDY_MINUTES'] ?? 10);
const MEGABYTE = 1_000_000;

type Limits = Readonly<Record<KeptFor['name'], { readonly days: number; readonly megabytes: number | null }>>;

/** How long, and how much, is kept of what is over. */
async function limitsOf(db: Database): Promise<Limits> {
  const [row] = await db.query<{ value: string }>("SELECT value FROM house WHERE name = 'retention'");
  const saved = row ? fromJson<SavedRetention['kept']>(row.value) : [];
  return Object.fromEntries(
    KEPT.map((name) => {
      const { days = KEPT_DAYS, megabytes = null } = saved.find((s) => s.name === name) ?? {};
      return [name, { days, megabytes }];
    }),
  ) as Limits;
}

/** What is kept, for how long, and what that takes. */
export async function retention(db: Database): Promise<Retention> {
  const limits = await limitsOf(db);
  const kept: KeptFor[] = [];
  for (const name of KEPT) kept.push({ name, ...limits[name], ...(await takes(db, name)) });
  const [outbox] = await db.query<{ rows: string; bytes: string | null; oldest: string | null }>(
    'SELECT count(*) AS rows, sum(pg_column_size(o.*)) AS bytes, (SELECT r.started_at FROM run r WHERE r.id = min(o.run)) AS oldest FROM outbox o',
  );
  const [store] = await db.query<{ bytes: string }>('SELECT pg_database_size(current_database()) AS bytes');
  return {
    kept,
    waiting: {
      rows: Number(outbox!.rows),
      bytes: Number(outbox!.bytes ?? 0),
      oldest: isoTimeOrNull(outbox!.oldest),
    },
    bytes: Number(store!.bytes),
  };
}
async function takes(db: Database, name: KeptFor['name']): Promise<Pick<KeptFor, 'rows' | 'bytes' | 'oldest'>> {
  const { table, at } = KEPT_THINGS[name];
  const [row] = await db.query<{ rows: string; bytes: string | null; oldest: string | null }>(
    `SELECT count(*) AS rows, sum(pg_column_size(t.*)) AS bytes, min(${at}) AS oldest FROM ${table} t`,
  );
  return { rows: Number(row!.rows), bytes: Number(row!.bytes ?? 0), oldest: isoTimeOrNull(row!.oldest) };
}
export async function saveRetention(db: Database, { kept }: SavedRetention): Promise<Retention> {
  const limits = await limitsOf(db);
  const all = KEPT.map((name) => ({ name, ...limits[name], ...kept.find((k) => k.name === name) }));
  await db.query(
    "INSERT INTO house (name, value) VALUES ('retention', $1) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value",
    [JSON.stringify(all)],
  );
  return retention(db);
}

/** Removes what nobody looks back at any more. Gives how many rows of each. */
export async function removeOld(db: Database): Promise<Readonly<Record<KeptFor['name'], number>>> {
  const limits = await limitsOf(db);
  const removed: Record<string, number> = {};
  // What is kept of a run is removed before the run itself.
  for (const name of Object.keys(KEPT_THINGS) as KeptFor['name'][]) {
    const { days, megabytes } = limits[name];
    const thing = KEPT_THINGS[name];
    const gone = goneOf(thing, megabytes !== null);
    const params = [`${days} days`, ...(megabytes === null ? [] : [megabytes * MEGABYTE])];
    const own = { sql: `DELETE FROM ${thing.table} t WHERE ${thing.id} IN (${gone}) RETURNING 1`, params };
    const [counted] = await db.query<{ n: string }>(`SELECT count(*) AS n FROM (${gone}) g`, params);
    await db.transaction([...thing.before(gone, params), own]);
    removed[name] = Number(counted!.n);
  }
  // Answers to saves and older requests are asked for within days, if at all.
  for (const table of ['draft_save', 'request_journal'])
    await db.query(`DELETE FROM ${table} WHERE at < now() - $1::interval`, [`${KEPT_DAYS} days`]);
  await db.exec('VACUUM (ANALYZE)');
  await db.exec('CHECKPOINT');
  return removed as Record<KeptFor['name'], number>;
}

/** Once a day, the first time some minutes after the start. Gives the way to stop it. */
export function keepHouse(db: Database, log: Logger, isMine: () => Promise<boolean>): () => void {
  const removed = async (): Promise<void> => {
    if (await isMine()) await removeOld(db);
  };
  const round = (): void => {
    removed().catch((error: Error) => log.warn({ error: error.message }, 'what is old could not be removed'));
  };
  const first = setTimeout(round, FIRST * 60_000);
  const daily = setInterval(round, DAY);
  for (const timer of [first, daily]) timer.unref();
  return () => {
    clearTimeout(first);
    clearInterval(daily);
  };
}
