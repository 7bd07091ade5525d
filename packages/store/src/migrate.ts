// Others that compile this file know of it only so.
// eslint-disable-next-line @typescript-eslint/triple-slash-reference
/// <reference path="./sql.d.ts" />
import { Fault } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import m001 from './migrations/001-ground.sql';
import m002 from './migrations/002-connect.sql';
import m003 from './migrations/003-look-schedule.sql';
import m004 from './migrations/004-life-of-a-mapping.sql';
import m005 from './migrations/005-reasons.sql';
import m006 from './migrations/006-trust.sql';
import m007 from './migrations/007-file-row.sql';
import m008 from './migrations/008-draft-saves.sql';
import m009 from './migrations/009-claims.sql';
import m010 from './migrations/010-uses.sql';
import m011 from './migrations/011-outbox.sql';
import m012 from './migrations/012-run-numbers.sql';
import m013 from './migrations/013-finder.sql';
import m014 from './migrations/014-kept-filters.sql';
import m015 from './migrations/015-plans.sql';
import m016 from './migrations/016-api-keys.sql';
import m017 from './migrations/017-taken.sql';
import m018 from './migrations/018-calendars.sql';
import m019 from './migrations/019-changes.sql';
import m020 from './migrations/020-notifications.sql';
import m021 from './migrations/021-source-changes.sql';
import m022 from './migrations/022-windows.sql';
import m023 from './migrations/023-share.sql';
import m024 from './migrations/024-vanished.sql';
import m025 from './migrations/025-capture.sql';
import m026 from './migrations/026-waiting.sql';
import m027 from './migrations/027-pace.sql';
import m028 from './migrations/028-volume.sql';
import m029 from './migrations/029-stream.sql';
import m030 from './migrations/030-source-types.sql';
import m031 from './migrations/031-behind.sql';
import m032 from './migrations/032-delivered-parts.sql';
import m033 from './migrations/033-received-in-order.sql';
import m034 from './migrations/034-workers.sql';
import m035 from './migrations/035-unread.sql';
import m036 from './migrations/036-reading.sql';
import m037 from './migrations/037-profile-figures.sql';
import m038 from './migrations/038-mapped-part.sql';

/** Forward only; a released migration is never edited. */
export const migrations: readonly (readonly [number: number, name: string, sql: string])[] = [
  [1, 'ground', m001],
  [2, 'connect', m002],
  [3, 'look-schedule', m003],
  [4, 'life-of-a-mapping', m004],
  [5, 'reasons', m005],
  [6, 'trust', m006],
  [7, 'file-row', m007],
  [8, 'draft-saves', m008],
  [9, 'claims', m009],
  [10, 'uses', m010],
  [11, 'outbox', m011],
  [12, 'run-numbers', m012],
  [13, 'finder', m013],
  [14, 'kept-filters', m014],
  [15, 'plans', m015],
  [16, 'api-keys', m016],
  [17, 'taken', m017],
  [18, 'calendars', m018],
  [19, 'changes', m019],
  [20, 'notifications', m020],
  [21, 'source-changes', m021],
  [22, 'windows', m022],
  [23, 'share', m023],
  [24, 'vanished', m024],
  [25, 'capture', m025],
  [26, 'waiting', m026],
  [27, 'pace', m027],
  [28, 'volume', m028],
  [29, 'stream', m029],
  [30, 'source-types', m030],
  [31, 'behind', m031],
  [32, 'delivered-parts', m032],
  [33, 'received-in-order', m033],
  [34, 'workers', m034],
  [35, 'unread', m035],
  [36, 'reading', m036],
  [37, 'profile-figures', m037],
  [38, 'mapped-part', m038],
];

/** The newest change that this program knows. */
export const NEWEST = migrations.at(-1)![0];

/** Brings the tables up to a change; without, to the newest. */
export async function migrate(db: Database, upTo = NEWEST): Promise<void> {
  await db.exec(
    'CREATE TABLE IF NOT EXISTS migration (number integer PRIMARY KEY, name text NOT NULL, at timestamptz NOT NULL DEFAULT now())',
  );
  const done = await changesOf(db);
  for (const [number, name, sql] of migrations) {
    if (done.has(number) || number > upTo) continue;
    // A statement ends with a line; the body of a function holds such ends itself.
    const statements = (sql.match(/(?:\$\$.*?\$\$|(?!;\s*\n).)+/gs) ?? [])
      .map((s) => s.replace(/^;/, '').trim())
      .filter((s) => s.replace(/--.*\n?/g, '').trim() !== '');
    await db.transaction([
      ...statements.map((s) => ({ sql: s })),
      { sql: 'INSERT INTO migration (number, name) VALUES ($1, $2)', params: [number, name] },
    ]);
  }
}

/** Others work with the tables as they are: they are not changed under them. */
export async function requireNewest(db: Database, label: string): Promise<void> {
  const done = await changesOf(db);
  if (!done.has(NEWEST))
    throw new Fault(
      'start',
      `Others work on the store at ${label} whose program is older than this one, and this one needs tables that are newer. Stop them all; then start this one, and them with this version.`,
    );
}

/** The changes that a store has. Throws a fault where a newer program made some. */
async function changesOf(db: Database): Promise<ReadonlySet<number>> {
  const done = (await db.query<{ number: number }>('SELECT number FROM migration')).map((r) => r.number);
  const newest = Math.max(0, ...done);
  if (newest > NEWEST)
    throw new Fault(
      'start',
      `The store was written by a newer Versicle (it has change ${newest}, this program knows ${NEWEST}). Start that version, or use another store (VERSICLE_DATA, DATABASE_URL).`,
    );
  return new Set(done);
}
