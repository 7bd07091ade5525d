import { isDatabaseOutage, PgliteHere, type ServerAddress, ServerDatabase, type Session } from '@versicle/postgres';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Where records are brought together. */
export type SetHome =
  /** In a PGlite of this thread. `template`: an empty data directory, which is quicker; null: there is none. */
  | { readonly kind: 'here'; readonly template: string | null }
  /** On a PostgreSQL server. `sessions`: what its sessions are called there. */
  | { readonly kind: 'server'; readonly address: ServerAddress; readonly sessions: string };

const MEMORY = "SET work_mem = '32MB'; SET temp_buffers = '16MB'";
/** Records are written away between pages of a cursor; and a statement ends soon after this process did, where the server's machine can tell. */
const ON_SERVER = `${MEMORY}; SET idle_in_transaction_session_timeout = 0`;
const CHECKED = "SET client_connection_check_interval = '10s'";

/** What PostgreSQL has from 16 on, for older servers: whether a text can be read as a type. */
const OWN_IS_INPUT = 'pg_temp.is_input';
const MADE_IS_INPUT = `CREATE FUNCTION ${OWN_IS_INPUT}(v text, type text) RETURNS boolean LANGUAGE plpgsql AS $$
BEGIN
  EXECUTE format('SELECT %L::%s', v, type);
  RETURN v IS NOT NULL OR NULL;
EXCEPTION WHEN data_exception THEN
  RETURN FALSE;
END $$`;

export interface SetSession extends Session {
  /** Names the function that says whether a text can be read as a type. */
  readonly isInput?: string;
}

/** A session of its own for one piece of work, whose tables are temporary: gone afterwards, however it ends. */
export async function withDatabase<T>(home: SetHome, work: (db: SetSession) => Promise<T>): Promise<T> {
  return home.kind === 'here' ? inPglite(home.template, work) : onServer(home, work);
}

async function inPglite<T>(template: string | null, work: (db: SetSession) => Promise<T>): Promise<T> {
  const directory = mkdtempSync(join(tmpdir(), 'versicle-set-'));
  try {
    const db = await PgliteHere.open(join(directory, 'data'), { template: template ?? undefined, settings: MEMORY });
    try {
      return await work(db.session);
    } finally {
      await db.close();
    }
  } finally {
    rmSync(directory, { recursive: true, force: true });
  }
}

async function onServer<T>(
  { address, sessions }: Extract<SetHome, { kind: 'server' }>,
  work: (db: SetSession) => Promise<T>,
): Promise<T> {
  const db = new ServerDatabase(address, { most: 1, name: sessions });
  try {
    return await db.inSession(async (session) => {
      await session.exec(ON_SERVER);
      await session.exec(CHECKED).catch((error: unknown) => {
        if (isDatabaseOutage(error)) throw error;
      });
      const [row] = await session.arrays<[number]>("SELECT current_setting('server_version_num')::int");
      if (row![0] >= 160_000) return work(session);
      await session.exec(MADE_IS_INPUT);
      return work({ ...session, isInput: OWN_IS_INPUT });
    });
  } finally {
    await db.close();
  }
}
