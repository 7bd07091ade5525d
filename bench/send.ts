import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { Agent, request } from 'undici';
import { folder } from './data.ts';
import { benchServer } from './server.ts';

/** Records to an API, through the outbox, against the same requests sent bare, as many at a time. */

const RECORDS = Number(process.env['BENCH_RECORDS'] ?? 10_000);
const PARALLEL = 8;
const home = mkdtempSync(join(folder, 'send-'));
const API = `
  const { createServer } = require('node:http');
  const { parentPort } = require('node:worker_threads');
  let records = 0;
  let times = [];
  const server = createServer((req, res) => {
    const pieces = [];
    req.on('data', (d) => pieces.push(d));
    req.on('end', () => {
      if (req.method === 'POST') { const sent = JSON.parse(Buffer.concat(pieces)); records += Array.isArray(sent) ? sent.length : 1; times.push(performance.now()); }
      if (req.url === '/times') { res.writeHead(200).end(JSON.stringify(times)); times = []; return; }
      res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(req.method === 'POST' ? { errors: [] } : { records }));
    });
  });
  server.listen(0, '127.0.0.1', () => parentPort.postMessage(server.address().port));
`;
const api = new Worker(API, { eval: true });
const port = await new Promise<number>((resolve) => api.once('message', resolve));
const base = `http://127.0.0.1:${port}`;
const records = Array.from({ length: RECORDS }, (_, i) => ({ no: String(i), name: `Kit ${i % 50}`, price: i % 12 }));
writeFileSync(join(home, 'items.csv'), ['no,name,price', ...records.map((r) => Object.values(r).join(','))].join('\n'));

const { call, stop } = await benchServer(join(home, 'data'));
await call('POST', '/systems', { id: 'files', name: 'Files', connection: { kind: 'folder', root: home } });
for (const [batch, repeat] of process.env['BENCH_ONLY']
  ? ([[1, 'key']] as const)
  : ([
      [1, 'nothing'],
      [1, 'key'],
      [20, 'nothing'],
      [20, 'key'],
    ] as const)) {
  const seconds = await sent(batch, repeat);
  const floor = await bare(batch);
  console.log(
    `${RECORDS.toLocaleString('en-GB')} records, ${batch} a request, ${PARALLEL} requests at a time, repeats known by ${repeat}: ${seconds.toFixed(1)} s, ${Math.round(RECORDS / seconds).toLocaleString('en-GB')} records a second; bare requests ${floor.toFixed(1)} s; ratio ${(seconds / floor).toFixed(1)}`,
  );
}
await times();
await sent(20, 'key', 50);
const arrived = await times();
const pace = ((arrived.length - 1) * 20_000) / (arrived.at(-1)! - arrived[0]!);
const busiest = Math.max(...arrived.map((from, i) => arrived.slice(i).filter((at) => at < from + 1000).length));
console.log(
  `${RECORDS.toLocaleString('en-GB')} records, 20 a request, 50 requests a second at the most: ${Math.round(pace).toLocaleString('en-GB')} records a second from the first to the last (within 5 % of 1,000), ${busiest} requests in the busiest second, as they arrive (at most 50)`,
);
await stop();
await api.terminate();
rmSync(home, { recursive: true, force: true });

/** When requests with records arrived since the last time this was asked, in milliseconds. */
async function times(): Promise<number[]> {
  return (await (await fetch(`${base}/times`)).json()) as number[];
}

async function sent(batch: number, repeat: 'nothing' | 'key', perSecond = 0): Promise<number> {
  const id = `api-${batch}-${repeat}-${perSecond}`;
  await call('POST', '/systems', {
    id,
    name: id,
    connection: {
      kind: 'http',
      base,
      auth: 'none',
      parallel: PARALLEL,
      ...(perSecond > 0 ? { pace: `${perSecond} a second` } : {}),
    },
  });
  const endpoint = { path: '/items', write: { method: 'POST', path: '/items', batch, repeat: { by: repeat } } };
  await call('PUT', `/systems/${id}/setting`, { dataset: 'items', setting: { kind: 'endpoint', endpoint } });
  const fields = ['no', 'name', 'price'];
  const { id: mapping } = await call('POST', '/mappings', {
    document: {
      versicle: 1,
      name: id,
      source: { primary: { alias: 'i', dataset: 'files/items.csv' } },
      target: {
        dataset: `${id}/items`,
        key: ['no'],
        fields: fields.map((name) => ({ name, type: 'text', nullable: name !== 'no' })),
      },
      lines: fields.map((target, i) => ({ id: `l${i}`, target, kind: 'straight', source: `i.${target}` })),
      write: { mode: 'insert' },
    },
  });
  await call('POST', `/mappings/${mapping}/publish`, {});
  const plan = await call('POST', '/plans', { name: id, mapping });
  const { run } = await call('POST', `/plans/${plan['id']}/start`, {});
  for (;;) {
    await new Promise((r) => setTimeout(r, 500));
    const found = (await call('GET', `/runs/${run}`)) as unknown as {
      state: string;
      finishedAt: string | null;
      startedAt: string;
      counts: { delivered: number };
    };
    if (found.finishedAt === null) continue;
    if (found.state !== 'finished' || found.counts.delivered !== RECORDS) throw new Error(JSON.stringify(found));
    return (Date.parse(found.finishedAt) - Date.parse(found.startedAt)) / 1000;
  }
}

async function bare(batch: number): Promise<number> {
  const agent = new Agent({ connections: PARALLEL });
  const started = performance.now();
  let next = 0;
  const send = async (): Promise<void> => {
    while (next < RECORDS) {
      const some = records.slice(next, (next += batch));
      const body = JSON.stringify(batch === 1 ? some[0] : some);
      const answer = await request(`${base}/items`, {
        method: 'POST',
        body,
        headers: { 'content-type': 'application/json' },
        dispatcher: agent,
      });
      await answer.body.text();
    }
  };
  await Promise.all(Array.from({ length: PARALLEL }, send));
  const seconds = (performance.now() - started) / 1000;
  await agent.close();
  return seconds;
}
