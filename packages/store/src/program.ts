import { Fault } from '@versicle/core';
import {
  PgliteHere,
  ServerDatabase,
  SessionLock,
  type Database,
  type Session,
  type Sessions,
} from '@versicle/postgres';
import { createReadStream, createWriteStream, existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { pipeline } from 'node:stream/promises';
import { createGunzip, createGzip } from 'node:zlib';
import { storeAddress } from './address.ts';
import { backupLines, instantOfSession, noBackup } from './backup.ts';
import { storedTables, sumOf, type Ask } from './content.ts';
import { lockDirectory } from './lock.ts';
import { migrate, NEWEST } from './migrate.ts';
import { STORE_LOCK } from './claims.ts';
import { placeOf as folderPlace } from './place.ts';
import { isWorkedWith, movedAway, requireServer } from './open-store.ts';
import { isUnused, makeAnother, openBackup, restoreLines } from './restore.ts';

/** What people do with a whole store while no server runs on it: a directory (VERSICLE_DATA) or the URL of a PostgreSQL database. */
export interface Place {
  readonly text: string;
  readonly isServer: boolean;
}
export const placeOf = (text: string): Place => ({ text, isServer: /^postgres(ql)?:/.test(text) });
const named = ({ text, isServer }: Place): string => (isServer ? storeAddress(text).label : text);

type Home = Database & Sessions;
/** Opens a store that nobody else uses. `isNew`: it may be made. */
async function open(place: Place, isNew: boolean): Promise<{ readonly home: Home; close(): Promise<void> }> {
  if (place.isServer) {
    const address = storeAddress(place.text);
    const home = new ServerDatabase(address, { trigrams: true });
    try {
      await requireServer(home);
      const lock = await SessionLock.take(address, STORE_LOCK, 'alone', () => undefined);
      if (lock === null) throw isWorkedWith(address.label);
      return { home, close: () => lock.release().then(() => home.close()) };
    } catch (error) {
      await home.close();
      throw error instanceof Fault ? error : new Fault('input', `${address.label}: ${(error as Error).message}.`);
    }
  }
  const directory = join(place.text, 'store');
  if (!isNew && !existsSync(directory)) throw new Fault('input', `There is no store in ${place.text}.`);
  mkdirSync(place.text, { recursive: true, mode: 0o700 });
  const lock = await lockDirectory(place.text);
  const home = await PgliteHere.open(directory, { template: process.env['VERSICLE_TEMPLATE'], trigrams: true });
  return {
    home,
    close: async () => {
      await home.close();
      lock.close();
      rmSync(join(place.text, 'in-use'), { force: true });
    },
  };
}
/** Writes a backup, whole or not at all. A server's store may be in use meanwhile. */
export async function backup(from: Place, file: string): Promise<void> {
  if (existsSync(file)) throw new Fault('input', `${file} is there already; name another file.`);
  const { home, close } = from.isServer ? await openToRead(from) : await open(from, false);
  const partial = `${file}.part`;
  try {
    await home.inTransaction(async (session) => {
      const lines = backupLines(await instantOfSession(session));
      await pipeline(lines, createGzip({ level: 6 }), createWriteStream(partial, { mode: 0o600 }));
    });
    renameSync(partial, file);
  } finally {
    rmSync(partial, { force: true });
    await close();
  }
}
async function openToRead(place: Place): Promise<{ readonly home: Home; close(): Promise<void> }> {
  const address = storeAddress(place.text);
  const home = new ServerDatabase(address);
  try {
    await requireServer(home);
  } catch (error) {
    await home.close();
    throw error instanceof Fault ? error : new Fault('input', `${address.label}: ${(error as Error).message}.`);
  }
  return { home, close: () => home.close() };
}

/** Throws a sentence where a file is no backup, or not whole. */
export async function requireBackup(file: string): Promise<void> {
  await fromFile(file, async (lines) => {
    const { lines: content } = await openBackup(lines);
    for await (const _ of content);
  });
}
/** Makes a store of a backup; it becomes another one for every target. */
export function restore(file: string, to: Place, goesOn: boolean): Promise<void> {
  return fromFile(file, (lines) => restored(lines, to, goesOn));
}
async function fromFile(file: string, work: (lines: AsyncIterable<string>) => Promise<void>): Promise<void> {
  const source = createReadStream(file);
  const unpacked = source.pipe(createGunzip());
  source.on('error', (error) => unpacked.destroy(error));
  const broken = new Promise<never>((_, reject) =>
    unpacked.on('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'ENOENT'
          ? new Fault('input', `There is no file ${file}.`)
          : noBackup(error.code?.startsWith('Z_') ? 'it is cut off, or not packed by gzip' : error.message),
      ),
    ),
  );
  broken.catch(() => undefined);
  await work(untilBroken(createInterface({ input: unpacked, crlfDelay: Infinity }), broken));
}
/** Lines end without a word where the file below them can't be read; here they end with the reason. */
async function* untilBroken(lines: AsyncIterable<string>, broken: Promise<never>): AsyncGenerator<string> {
  const each = lines[Symbol.asyncIterator]();
  for (;;) {
    // Some versions of Node end the lines with the bare error.
    const next = await Promise.race([each.next().catch(() => broken), broken]);
    if (next.done) break;
    yield next.value;
  }
  // A fault that is heard of just after the last line counts, too.
  await Promise.race([broken, new Promise((resolve) => setImmediate(resolve))]);
}
async function restored(lines: AsyncIterable<string>, to: Place, goesOn: boolean): Promise<void> {
  const { head, lines: content } = await openBackup(lines);
  const newest = Math.max(...head.changes);
  if (newest > NEWEST)
    throw noBackup(`a newer Versicle has written it (change ${newest}, this program knows ${NEWEST})`);
  await intoEmpty(to, newest, async (session) => {
    await restoreLines(session, content);
    await makeAnother(session, head.at, goesOn);
  });
}
/** Fills a store that has nothing yet, with tables as they were after some change, and brings those up to date. */
async function intoEmpty(to: Place, change: number, fill: (session: Session) => Promise<void>): Promise<void> {
  const isNew = !to.isServer && !existsSync(join(to.text, 'store'));
  const { home, close } = await open(to, true);
  try {
    const ask: Ask = (sql, params) => home.query(sql, params);
    const [known] = await ask<{ made: boolean }>("SELECT to_regclass('migration') IS NOT NULL AS made");
    const closed = known!.made ? await ask("SELECT 1 FROM house WHERE name IN ('moved', 'arriving')") : [];
    if (known!.made && closed.length === 0 && !(await isUnused(ask)))
      throw new Fault(
        'input',
        `There is a store at ${named(to)} already, and people have worked with it. Name an empty directory or database.`,
      );
    if (known!.made) {
      const [newest] = await ask<{ number: number }>('SELECT max(number) AS number FROM migration');
      if (newest!.number > change)
        throw new Fault(
          'input',
          `The empty store at ${named(to)} has newer tables than what is to come into it; name a new one.`,
        );
    }
    await migrate(home, change);
    await home.inTransaction(fill);
    await migrate(home);
  } catch (error) {
    await close();
    // What was made for nothing goes.
    if (isNew) rmSync(join(to.text, 'store'), { recursive: true, force: true });
    throw error;
  }
  await close();
}

/**
 * Puts a store into another home. It stays the same for every target, so the old one is closed for good. Until that is done
 * the new one is not open either: cut off anywhere, there is at most one that can be used, and the same again goes on.
 */
export async function copy(from: Place, to: Place): Promise<{ tables: number; rows: number }> {
  if (named(from) === named(to)) throw new Fault('input', 'Both are the same store.');
  const { home, close } = await open(from, false);
  try {
    const ask: Ask = (sql, params) => home.query(sql, params);
    const [moved] = await ask<{ value: string }>("SELECT value FROM house WHERE name = 'moved'");
    if (moved !== undefined && moved.value !== named(to)) throw movedAway(named(from), moved.value);
    await migrate(home);
    await home.inTransaction((session) => fromHere(session, from, to));
    await ask(
      "INSERT INTO house (name, value) VALUES ('moved', $1) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value",
      [named(to)],
    );
    await arrived(to);
    const tables = await storedTables(ask);
    const sums = await Promise.all(tables.map((t) => sumOf(ask, t)));
    return { tables: tables.length, rows: sums.reduce((sum, s) => sum + s.rows, 0) };
  } finally {
    await close();
  }
}
/** Each table is compared with what was read, by its count and its sum, when it has come (restore.ts). */
async function fromHere(session: Session, from: Place, to: Place): Promise<void> {
  const lines = backupLines(await instantOfSession(session));
  const { lines: content } = await openBackup(withoutEnds(lines));
  await intoEmpty(to, NEWEST, async (into) => {
    await restoreLines(into, content);
    await into.query("DELETE FROM house WHERE name IN ('moved', 'arriving')");
    await into.query("INSERT INTO house (name, value) VALUES ('arriving', $1)", [named(from)]);
    // Embedded databases stay where they are: with whoever has that directory, however many work on the store.
    const databases = join(from.text, 'databases');
    if (to.isServer && !from.isServer && existsSync(databases))
      await into.query(
        'INSERT INTO embedded_database (name, place) SELECT name, $2 FROM unnest($1::text[]) AS n (name) ON CONFLICT (name) DO UPDATE SET place = EXCLUDED.place',
        [readdirSync(databases), folderPlace(from.text)],
      );
  });
}
async function arrived(to: Place): Promise<void> {
  const { home, close } = await open(to, false);
  await home.query("DELETE FROM house WHERE name = 'arriving'").finally(close);
}
async function* withoutEnds(lines: AsyncIterable<string>): AsyncGenerator<string> {
  for await (const line of lines) yield line.slice(0, -1);
}
