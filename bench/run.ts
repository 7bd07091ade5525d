import { createReadStream, mkdtempSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { dirname, join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import {
  ByteWriter,
  compileMapping,
  copyLine,
  MappingRun,
  parseDocument,
  parseFieldType,
  readerFor,
  readRows,
  sampleFields,
  sniffFormat,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  type MappingDocument,
  type SourceField,
} from '../packages/core/src/index.ts';
import { ServerDatabase } from '../packages/postgres/src/index.ts';
import { postgresPrograms, PostgresServer } from '../packages/postgres/src/testing/postgres-server.ts';
import { document, folder, tripsFile } from './data.ts';
import { benchServer } from './server.ts';

/** (b), (d): a run of 1,000,000 rows into the embedded database and into a PostgreSQL server, against the bare COPY of the finished rows into the same table. */

const ROWS = Number(process.env['BENCH_ROWS'] ?? 1_000_000);
const CHUNK = 20_000;
const THREADS = ['1', '2'];
const file = await tripsFile(ROWS);
const home = mkdtempSync(join(folder, 'run-'));

const doc = parseDocument(document('bench/trips.csv', 'store/trip'));
const columns = doc.target.fields
  .map((f) => `"${f.name}" ${parseFieldType(f.type).sql}${f.nullable ? '' : ' NOT NULL'}`)
  .join(', ');
const finished = await finishedRows(doc);
const embedded = await bareCopy(finished);
for (const threads of THREADS) {
  const found = await measureRun({ kind: 'embedded', name: 'store' }, threads);
  tell('(b) run', `into the embedded database, mapping threads: ${threads}`, found, embedded, 1.2);
}
if (postgresPrograms() !== null) {
  const server = await PostgresServer.start();
  const bare = await bareServerCopy(server, finished);
  for (const threads of THREADS) {
    await server.query('DROP TABLE IF EXISTS trip');
    const { port } = server;
    const connection = { kind: 'postgres', host: '127.0.0.1', port, database: 'postgres', user: 'ledger' };
    const found = await measureRun({ ...connection, password: PostgresServer.password }, threads);
    tell('(d) run', `into a PostgreSQL server, mapping threads: ${threads}`, found, bare, 1.7);
  }
  await server.stop();
}
rmSync(home, { recursive: true, force: true });

interface Measured {
  readonly seconds: number;
  /** Seconds that all cores of the machine worked meanwhile. */
  readonly worked: number;
  readonly median: number;
  readonly p99: number;
  readonly requests: number;
}
function tell(what: string, where: string, found: Measured, floor: number, most: number): void {
  console.log(
    `${what} of ${ROWS.toLocaleString('en-GB')} rows ${where}: ${found.seconds.toFixed(1)} s; bare COPY ${floor.toFixed(1)} s; ratio ${(found.seconds / floor).toFixed(2)} (at most ${most})`,
  );
  const cores = cpus().length;
  console.log(
    `    ${cores} cores worked for ${found.worked.toFixed(1)} s, ${Math.round((100 * found.worked) / (found.seconds * cores))} % of their time; if they never waited, the ratio were ${(found.worked / cores / floor).toFixed(2)}`,
  );
  console.log(
    `    a small request every 50 ms meanwhile: median ${found.median.toFixed(0)} ms, 99th percentile ${found.p99.toFixed(0)} ms (below 250), ${found.requests} requests`,
  );
}

async function measureRun(connection: object, threads: string): Promise<Measured> {
  const env = { VERSICLE_MAPPING_THREADS: threads };
  const { call, stop } = await benchServer(mkdtempSync(join(home, 'data-')), env);
  await call('POST', '/systems', { id: 'bench', name: 'Bench', connection: { kind: 'folder', root: dirname(file) } });
  await call('POST', '/systems', { id: 'store', name: 'Store', connection });
  const { id } = await call('POST', '/mappings', { document: document(`bench/trips-${ROWS}.csv`, 'store/trip') });
  await call('POST', `/mappings/${id}/publish`, {});
  const plan = await call('POST', '/plans', { name: 'Bench', mapping: id });
  const before = workedSoFar();
  const { run: number } = await call('POST', `/plans/${plan['id']}/start`, {});
  const times: number[] = [];
  let going = true;
  const probe = (async () => {
    while (going) {
      const started = performance.now();
      await call('GET', '/health');
      times.push(performance.now() - started);
      await new Promise((r) => setTimeout(r, 50));
    }
  })();
  for (;;) {
    await new Promise((r) => setTimeout(r, 500));
    const detail = (await call('GET', `/runs/${number}`)) as unknown as {
      state: string;
      finishedAt: string | null;
      startedAt: string;
      error: string | null;
      counts: { delivered: number };
    };
    if (detail.finishedAt === null) continue;
    const worked = workedSoFar() - before;
    going = false;
    await probe;
    if (detail.state !== 'finished' || detail.counts.delivered !== ROWS)
      throw new Error(`${detail.state} ${detail.error} ${detail.counts.delivered}`);
    const sorted = times.sort((a, b) => a - b);
    await stop();
    return {
      seconds: (Date.parse(detail.finishedAt) - Date.parse(detail.startedAt)) / 1000,
      worked,
      median: sorted[sorted.length >> 1]!,
      p99: sorted[Math.floor(sorted.length * 0.99)]!,
      requests: sorted.length,
    };
  }
}

/** Seconds of all cores since the machine began. */
function workedSoFar(): number {
  return cpus().reduce((sum, { times }) => sum + times.user + times.nice + times.sys + times.irq, 0) / 1000;
}

/** Nothing but COPY of the finished rows, in chunks, into the same table in a PGlite of this process. */
async function bareCopy(chunks: readonly Uint8Array[]): Promise<number> {
  const db = await PGlite.create(join(home, 'floor'));
  await db.exec(`CREATE TABLE trip (${columns}, PRIMARY KEY (trip_no))`);
  const started = performance.now();
  let written = 0;
  for (const chunk of chunks) {
    await db.query("COPY trip FROM '/dev/blob'", [], { blob: new Blob([chunk as Uint8Array<ArrayBuffer>]) });
    written += CHUNK;
    if (written % 260_000 === 0) await db.exec('CHECKPOINT');
  }
  const seconds = (performance.now() - started) / 1000;
  await db.close();
  return seconds;
}
/** The same into a PostgreSQL server, a transaction a chunk. */
async function bareServerCopy(server: PostgresServer, chunks: readonly Uint8Array[]): Promise<number> {
  const { port } = server;
  const at = { host: '127.0.0.1', port, database: 'postgres', user: 'ledger', password: PostgresServer.password };
  const db = new ServerDatabase({ ...at, ssl: false, label: 'the floor' });
  await db.exec(`CREATE TABLE trip (${columns}, PRIMARY KEY (trip_no))`);
  const started = performance.now();
  for (const chunk of chunks) await db.inTransaction((session) => session.copy!('trip', null, chunk));
  const seconds = (performance.now() - started) / 1000;
  await db.close();
  return seconds;
}

async function finishedRows(doc: MappingDocument): Promise<Uint8Array[]> {
  const read = (): AsyncIterable<Uint8Array> =>
    createReadStream(file, { highWaterMark: 256 * 1024 }) as AsyncIterable<Uint8Array>;
  let sample = new Uint8Array(0);
  for await (const chunk of read()) {
    sample = chunk.subarray(0, 65536) as Uint8Array<ArrayBuffer>;
    break;
  }
  const { format } = sniffFormat(sample, file);
  const fields: SourceField[] = sourceFieldsFor(doc, sampleFields(sample, format));
  const mapping = compileMapping(doc, fields);
  const columns = mapping.columns.map((c) => ({ name: c.name, type: c.type.value }));
  const mapper = new MappingRun(mapping, { startedAt: timestampOfMillis(0) });
  const chunks: Uint8Array[] = [];
  const out = new ByteWriter(1024 * 1024);
  let n = 0;
  for await (const batch of readRows(read(), readerFor(format, null)))
    for (const row of batch.rows) {
      if (row instanceof Unreadable) throw new Error(row.message);
      copyLine(out, mapper.apply(row, ++n).values, columns);
      if (n % CHUNK === 0) chunks.push(out.take());
    }
  return chunks;
}
