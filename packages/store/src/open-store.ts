import { dirname } from 'node:path';
import { Fault } from '@versicle/core';
import {
  DatabaseError,
  isDatabaseOutage,
  PgliteDatabase,
  ServerDatabase,
  SessionLock,
  type Database,
  type Row,
  type ServerAddress,
} from '@versicle/postgres';
import { storeAddress } from './address.ts';
import { IDLE_SECONDS, STORE_LOCK } from './claims.ts';
import { migrate, requireNewest } from './migrate.ts';
import { makeStore } from './store-template.ts';

/** Where the store is: on a PostgreSQL server, or in a directory, where a PGlite has it. */
export interface StoreAt {
  readonly url: string | undefined;
  readonly directory: string;
  /** An empty data directory of a PGlite to begin with; made there when it is missing. */
  readonly template?: string | undefined;
}

export interface OpenStore {
  readonly db: Database;
  /** Nobody else was on the store when it was opened: whatever was claimed is free. */
  readonly alone: boolean;
  /** Others may use it as well from now on, where its home lets them. */
  share(): Promise<void>;
  /** Where several processes on the store can hear each other; null where there is one at a time only. */
  readonly address: ServerAddress | null;
}

/** Oldest PostgreSQL whose SQL is spoken here. */
const OLDEST = 15;
/** Milliseconds for which the end of a session is waited for that may have just been cut off. */
const ENDS = 1000;
/** Milliseconds for which somebody who has the store alone is waited for: another one that starts, and makes its tables. */
const STARTS = 60_000;

/**
 * Opens the store with all its tables. `lost` hears, at any time after, why this process may not go on with it. Throws a
 * Fault with a sentence where it can't be used.
 */
export async function openStore(at: StoreAt, lost: (why: Fault) => void): Promise<OpenStore> {
  return at.url === undefined ? openHere(at, lost) : openOnServer(at.url, lost);
}

async function openHere({ directory, template }: StoreAt, lost: (why: Fault) => void): Promise<OpenStore> {
  if (template !== undefined) await makeStore(directory, template);
  const db = await PgliteDatabase.open(directory, { template, trigrams: true });
  db.died = () =>
    lost(
      new Fault(
        'start',
        'The store’s own thread ended unexpectedly; start Versicle again. Runs go on where they were.',
      ),
    );
  await migrate(db);
  await requireHere(db, dirname(directory));
  await freeClaims(db);
  return { db, alone: true, share: () => Promise.resolve(), address: null };
}
/** Who claimed something is not there any more. */
async function freeClaims(db: Database): Promise<void> {
  await db.transaction([
    { sql: 'UPDATE run SET claimed_until = NULL, taken_from = claimed_by WHERE claimed_until IS NOT NULL' },
    { sql: 'UPDATE sender SET claimed_until = NULL WHERE claimed_until IS NOT NULL' },
    { sql: 'UPDATE profile SET claimed_until = NULL WHERE claimed_until IS NOT NULL' },
    { sql: 'UPDATE listener SET holder = NULL WHERE holder IS NOT NULL' },
    { sql: 'DELETE FROM duty' },
    { sql: 'DELETE FROM worker' },
    { sql: 'DELETE FROM trial' },
  ]);
}
/** A store that was copied elsewhere is used there. */
async function requireHere(db: Database, label: string): Promise<void> {
  const marks = await db.query<{ name: string; value: string }>(
    "SELECT name, value FROM house WHERE name IN ('moved', 'arriving')",
  );
  for (const { name, value } of marks)
    throw name === 'moved'
      ? movedAway(label, value)
      : new Fault(
          'start',
          `The store at ${label} is on its way from ${value}, and that was cut off. Do the same versicle store copy again.`,
        );
}
export const movedAway = (label: string, to: string): Fault =>
  new Fault(
    'start',
    `The store at ${label} was copied to ${to}, and is not used any more: two that know of the same runs would deliver twice. Set DATABASE_URL or VERSICLE_DATA to that one, or copy it back (versicle store copy).`,
  );

async function openOnServer(url: string, lost: (why: Fault) => void): Promise<OpenStore> {
  const address = storeAddress(url);
  const db = new ServerDatabase(address, { most: 10, trigrams: true, idleSeconds: IDLE_SECONDS });
  try {
    await requireServer(db);
    const { lock, alone } = await lockStore(db, address, lost);
    try {
      await requireHere(db, address.label);
      return {
        db: tellsWhenAway(db, address.label, () => lock.release()),
        alone,
        share: () => lock.share(),
        address,
      };
    } catch (error) {
      await lock.release();
      throw error;
    }
  } catch (error) {
    await db.close();
    throw isDatabaseOutage(error) || error instanceof DatabaseError
      ? new Fault(
          'start',
          `The store at ${address.label} can’t be used: ${(error as Error).message}. ${adviceOn(error)}`,
        )
      : error;
  }
}

/** Who comes first has it alone until its tables are as they must be; others work beside it, with the very same tables. */
async function lockStore(
  db: ServerDatabase,
  address: ServerAddress,
  lost: (why: Fault) => void,
): Promise<{ lock: SessionLock; alone: boolean }> {
  const gone = (): void => lost(inUse(address.label));
  const first = await SessionLock.take(address, STORE_LOCK, 'alone', gone, ENDS);
  if (first !== null) {
    try {
      await migrate(db);
      await freeClaims(db);
      return { lock: first, alone: true };
    } catch (error) {
      await first.release();
      throw error;
    }
  }
  const beside = await SessionLock.take(address, STORE_LOCK, 'beside', gone, STARTS);
  if (beside === null) throw inUse(address.label);
  try {
    await requireNewest(db, address.label);
    return { lock: beside, alone: false };
  } catch (error) {
    await beside.release();
    throw error;
  }
}

/** What is wrong with the way to the store is told as that, so that nobody takes it for an answer. */
function tellsWhenAway(db: Database, label: string, beforeClose: () => Promise<void>): Database {
  const told = async <T>(work: Promise<T>): Promise<T> => {
    try {
      return await work;
    } catch (error) {
      if (!isDatabaseOutage(error)) throw error;
      throw new Fault(
        'store away',
        `The store at ${label} can’t be used at the moment: ${(error as Error).message}. What is under way goes on as soon as it can.`,
        [],
        { cause: error },
      );
    }
  };
  return {
    query: <T extends Row>(sql: string, params?: readonly unknown[]) => told(db.query<T>(sql, params)),
    exec: (sql) => told(db.exec(sql)),
    transaction: (statements, signal) => told(db.transaction(statements, signal)),
    takeOn: (source, claim) => told(db.takeOn(source, claim)),
    deliver: (delivery, signal) => told(db.deliver(delivery, signal)),
    swap: (swap, signal) => told(db.swap(swap, signal)),
    discard: (source) => told(db.discard(source)),
    close: () => beforeClose().then(() => db.close()),
  };
}
export const inUse = (label: string): Fault =>
  new Fault(
    'start',
    `The store at ${label} is in use by another Versicle that has to have it alone. Wait until it is done, or give this one a database of its own (DATABASE_URL).`,
  );
function adviceOn(error: unknown): string {
  const { code, message } = error as { code?: string; message: string };
  if (code === '28P01' || code === '28000') return 'User and password in DATABASE_URL have to be those of the server.';
  if (code === '3D000') return "Make the database first: CREATE DATABASE … ENCODING 'UTF8'.";
  if (/pg_trgm/.test(message)) return 'Install PostgreSQL’s own extension pg_trgm on the server (contrib).';
  if (code === '42501') return 'The user needs the right to make tables there, best as the owner of the database.';
  return 'See that the server runs and can be reached from here, and that DATABASE_URL is right.';
}

export async function requireServer(db: Database): Promise<void> {
  const [found] = await db.query<{ version: string; encoding: string; said: string }>(
    `SELECT current_setting('server_version_num')::int / 10000 AS version, current_setting('server_encoding') AS encoding,
            current_setting('server_version') AS said`,
  );
  if (Number(found!.version) < OLDEST)
    throw new Fault('start', `The store needs PostgreSQL ${OLDEST} or newer; DATABASE_URL leads to ${found!.said}.`);
  if (found!.encoding !== 'UTF8')
    throw new Fault(
      'start',
      `The store needs a database in UTF8; that of DATABASE_URL is in ${found!.encoding}. Make one: CREATE DATABASE … ENCODING 'UTF8' TEMPLATE template0.`,
    );
}
/** What needs the store alone is refused while somebody works with it. */
export const isWorkedWith = (label: string): Fault =>
  new Fault('start', `The store at ${label} is in use by a Versicle. Stop it, and all others that work on that store.`);
