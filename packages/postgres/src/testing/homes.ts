import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Database, Sessions } from '../database.ts';
import { postgresPrograms, PostgresServer } from './postgres-server.ts';

const template = join(__dirname, '../../../../.cache/template');

export type Home = Database & Sessions;

interface OpenHome {
  readonly db: Home;
  close(): Promise<void>;
}
interface HomeWish {
  /** Similarity of words, as the store has it. */
  readonly trigrams?: boolean;
}
async function pglite({ trigrams = false }: HomeWish): Promise<OpenHome> {
  const home = mkdtempSync(join(tmpdir(), 'versicle-home-'));
  const { PgliteHere } = await import('../pglite/pglite-here.ts');
  const db = await PgliteHere.open(join(home, 'data'), { journal: true, template, trigrams });
  return {
    db,
    close: async () => {
      await db.close();
      rmSync(home, { recursive: true, force: true });
    },
  };
}
async function server({ trigrams = false }: HomeWish): Promise<OpenHome> {
  const server = await PostgresServer.start();
  const { port } = server;
  const at = { host: '127.0.0.1', port, database: 'postgres', user: 'ledger', password: PostgresServer.password };
  // Whoever starts a server for something else does without it.
  const { ServerDatabase } = await import('../tcp/server.ts');
  const db = new ServerDatabase({ ...at, ssl: false, label: 'the ledger' }, { trigrams });
  return {
    db,
    close: async () => {
      await db.close();
      await server.stop();
    },
  };
}

/** The same tests for both homes of the port; without Debian's PostgreSQL server, the second is skipped by its name. */
export function eachHome(
  name: string,
  tests: (home: () => Home, where: 'pglite' | 'server') => void,
  wish: HomeWish = {},
): void {
  const both = (where: 'pglite' | 'server', open: (wish: HomeWish) => Promise<OpenHome>) => () => {
    let home: OpenHome | null = null;
    beforeAll(async () => void (home = await open(wish)));
    afterAll(() => home?.close());
    tests(() => home!.db, where);
  };
  describe(`${name}, in a PGlite`, both('pglite', pglite));
  (postgresPrograms() === null ? describe.skip : describe)(`${name}, on a server`, both('server', server));
}
