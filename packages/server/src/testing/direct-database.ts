import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeFromTemplate, PgliteHere, ServerDatabase, type Database } from '@versicle/postgres';
import { storeAddress } from '@versicle/store/address';
import { itemsDocument } from './running-server.ts';
import { newStore, onServer } from './store-home.ts';

const migrations = join(__dirname, '../../../store/src/migrations');
const template = join(__dirname, '../../../../.cache/template');

/** The store without a server of ours before it, for tests of what speaks SQL: on a PGlite in this very thread, or on a server. */
export async function directDatabase(): Promise<Database> {
  if (onServer) return directOnServer();
  const sql = readdirSync(migrations)
    .sort()
    .map((name) => readFileSync(join(migrations, name), 'utf8'));
  const tables = createHash('sha256').update(sql.join('\n')).digest('hex').slice(0, 12);
  const home = mkdtempSync(join(tmpdir(), 'versicle-direct-'));
  const directory = join(home, 'store');
  await makeFromTemplate(directory, `${template}-direct-${tables}`, async (making) => {
    const db = await PgliteHere.open(making, { template, trigrams: true });
    for (const text of sql) await db.exec(text);
    await db.exec('CHECKPOINT');
    await db.close();
  });
  const db = await PgliteHere.open(directory, { trigrams: true });
  const close = db.close.bind(db);
  return Object.assign(db, {
    close: async () => {
      await close();
      rmSync(home, { recursive: true, force: true });
    },
  });
}

async function directOnServer(): Promise<Database> {
  const { url, drop } = await newStore();
  const db = new ServerDatabase(storeAddress(url), { trigrams: true });
  const close = db.close.bind(db);
  return Object.assign(db, { close: () => close().then(drop) });
}

let made = 0;
/** A queued run of a mapping of its own that reads from one system and writes to a dataset. */
export async function storedRun(db: Database, reads: string, writes: string): Promise<number> {
  const id = `m${++made}`;
  const document = itemsDocument();
  document['source'] = { primary: { alias: 'i', dataset: `${reads}/items.csv` } };
  (document['target'] as { dataset: string }).dataset = writes;
  const text = JSON.stringify(document);
  await db.query('INSERT INTO mapping (id, draft, name) VALUES ($1, $2, $1)', [id, text]);
  await db.query(
    "INSERT INTO revision (mapping, number, document, note, published_by) VALUES ($1, 1, $2, '', 'Ines')",
    [id, text],
  );
  await db.query("INSERT INTO plan (id, name, document) VALUES ($1, $1, '{}')", [id]);
  const [row] = await db.query<{ id: number }>(
    "INSERT INTO run (kind, plan, mapping, revision, started_by) VALUES ('full', $1, $1, 1, 'Ines') RETURNING id",
    [id],
  );
  return row!.id;
}
