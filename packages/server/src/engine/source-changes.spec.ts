import { appendFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { RunDetail } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

let server: RunningServer;
let api: Server;
let records: object[] = [];
beforeAll(async () => {
  api = createServer(
    (_, res) => void res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(records)),
  );
  await new Promise<void>((resolve) => api.listen(0, '127.0.0.1', resolve));
  server = await RunningServer.start();
  await server.connect();
  const base = `http://127.0.0.1:${(api.address() as AddressInfo).port}`;
  await server.api('createSystem', 'POST', '/systems', {
    id: 'api',
    name: 'API',
    connection: { kind: 'http', base, auth: 'none' } as never,
  });
  const setting = { kind: 'endpoint', endpoint: { path: '/items', records: '' } };
  await server.ask('PUT', '/api/systems/api/setting', { dataset: 'items', setting });
});
afterAll(async () => {
  await server.close();
  api.closeAllConnections();
  api.close();
});

const log = (run: RunDetail): string => run.log.map((l) => l.message).join('; ');
const news = async (mapping: string): Promise<string[]> =>
  (await server.api('today', 'GET', '/today')).news.filter((n) => n.mapping === mapping).flatMap((n) => n.fields);
const lines = [
  ...(itemsDocument()['lines'] as object[]).slice(0, 2),
  // A rule that makes something of nothing: without the field, each record would go on with 0.
  { id: 'l3', target: 'price', kind: 'rule', rule: "coalesce(parse_number(i.price, '.'), 0)" },
];

it('a file that lost a field which a line uses stops the run before anything is written; a new one is told once', async () => {
  server.file('items.csv', 'no,name,price\n1,Bell,3.50\n');
  const { mapping, plan } = await server.mapping(itemsDocument('items.csv', { lines }));
  const first = await server.run(plan);
  server.file('items.csv', 'no,name,prices\n1,Bell,4.50\n');
  const broken = await server.run(plan);
  expect(broken).toMatchObject({ state: 'broken', counts: { read: 0, delivered: 0 } });
  expect(broken.error).toBe(
    `Line 3 Price uses “price”, which files/items.csv does not have any more; run ${first.id} still read it. Did you mean “prices”? Nothing was written. Change Items to store and publish it, or mend the source.`,
  );
  expect(await server.rows('item')).toEqual([['1', 'Bell', '3.50']]);
  server.file('items.csv', 'no,name,price,colour,size\n1,Bell,4.50,red,1\n');
  await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
  for (let i = 0; i < 100 && (await server.rows('item'))[0]![2] !== '4.50'; i++)
    await new Promise((again) => setTimeout(again, 50));
  expect(await server.rows('item')).toEqual([['1', 'Bell', '4.50']]);
  expect(log(await server.ended(broken.id))).toContain('has 2 new fields: “colour”, “size”');
  expect(await news(mapping)).toEqual(['colour', 'size']);
  await server.run(plan);
  await server.api('newFieldsSeen', 'POST', `/mappings/${mapping}/new-fields-seen`);
  server.file('items.csv', 'no,name,price,colour\n1,Bell,4.50,red\n');
  expect(log(await server.run(plan))).toContain('does not have “size” any more; no line uses that');
  server.file('items.csv', 'no,name,price,colour,size\n1,Bell,4.50,red,1\n');
  await server.run(plan);
  expect(await news(mapping)).toEqual([]);
});

it('what failed stays the same record where a field is added', async () => {
  server.file('known.csv', 'no,name,price\n1,Bell,3.50\n2,A name that is too long,1.00\n');
  const target = { ...(itemsDocument()['target'] as object), dataset: 'store/known' };
  const { mapping, plan } = await server.mapping(itemsDocument('known.csv', { name: 'Known', lines, target }));
  const open = async (): Promise<number> =>
    (await server.api('today', 'GET', '/today')).causes
      .filter((c) => c.mapping === mapping)
      .reduce((n, c) => n + c.count, 0);
  await server.run(plan);
  server.file('known.csv', 'colour,no,name,price\nred,1,Bell,3.50\nred,2,A name that is too long,1.00\n');
  await server.run(plan);
  expect(await open()).toBe(1);
  server.file('known.csv', 'colour,no,name,price\nred,1,Bell,3.50\nred,2,Lamp,1.00\n');
  await server.run(plan);
  expect(await open()).toBe(0);
});

it('members of an API that no record has are empty, but for one that seems to have another name', async () => {
  const many = (member: string): object[] =>
    Array.from({ length: 30 }, (_, i) => ({ no: String(i), name: 'Bell', [member]: '3.50' }));
  records = many('price');
  const source = { primary: { alias: 'i', dataset: 'api/items' } };
  const { plan } = await server.mapping(
    itemsDocument('', {
      name: 'From API',
      source,
      lines,
      target: { ...(itemsDocument()['target'] as object), dataset: 'store/from_api' },
    }),
  );
  expect(await server.run(plan)).toMatchObject({ state: 'finished', counts: { delivered: 30 } });
  // None this time; nothing at all; and none of few.
  records = [{ no: '1', name: 'Bell' }];
  const none = await server.run(plan);
  expect(none.state).toBe('finished');
  expect(log(none)).toContain('no record of api/items has “price” this time');
  records = [];
  expect((await server.run(plan)).state).toBe('finished');
  for (const member of ['prices', 'amount']) {
    records = many(member);
    const broken = await server.run(plan);
    expect(broken).toMatchObject({ state: 'broken', counts: { delivered: 0 } });
    expect(broken.error).toContain('which no record of api/items has any more');
    expect(broken.error).toContain('take the run up again');
    expect(broken.error!.includes('Did you mean “prices”?')).toBe(member === 'prices');
    await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
    for (;;) {
      const run = await server.api('getRun', 'GET', `/runs/${broken.id}`);
      if (run.state === 'finished') break;
      await new Promise((again) => setTimeout(again, 20));
    }
    // That was for this once.
    expect(await server.run(plan)).toMatchObject({ state: 'broken', counts: { delivered: 0 } });
  }
}, 60_000);

it('a field of a database that got another type stops the run, unless what it holds is written as before', async () => {
  let made = 0;
  const sql = async (statement: string): Promise<void> => {
    const { id } = await server.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: `Statement ${++made}`,
        steps: [{ id: 'do', kind: 'sql', system: 'store', sql: statement }],
      } as never,
    });
    const { run } = await server.api('startPlan', 'POST', `/plans/${id}/start`, {});
    expect(await server.ended(run)).toMatchObject({ state: 'finished', error: null });
  };
  await sql('CREATE TABLE kept (no integer PRIMARY KEY, name varchar(8), price numeric(6,2), size integer)');
  await sql("INSERT INTO kept VALUES (1, 'Bell', 3.50, 1)");
  const { plan } = await server.mapping(
    itemsDocument('', {
      name: 'From database',
      source: { primary: { alias: 'i', dataset: 'store/kept' } },
      lines,
      target: { ...(itemsDocument()['target'] as object), dataset: 'store/from_kept' },
    }),
  );
  const first = await server.run(plan);
  await sql('ALTER TABLE kept ALTER no TYPE bigint, ALTER name TYPE text, ALTER size TYPE text');
  const widened = await server.run(plan);
  expect(widened).toMatchObject({ state: 'finished', counts: { delivered: 0, unchanged: 1 } });
  expect(log(widened)).toContain('“no” of store/kept is bigint now; it was integer');
  expect(log(widened)).toContain('“size” of store/kept is text now; it was integer');
  await sql("ALTER TABLE kept ALTER price TYPE text USING price || ' GBP'");
  const broken = await server.run(plan);
  expect(broken).toMatchObject({ state: 'broken', counts: { read: 0, delivered: 0 } });
  expect(broken.error).toBe(
    `Line 3 Price uses “price”, which is text in store/kept now; run ${widened.id} read it as numeric(6,2). Nothing was written. Look whether From database still makes the right thing of it: to go on, take the run up again.`,
  );
  expect(widened.id).toBeGreaterThan(first.id);
  await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
  for (;;) {
    const run = await server.api('getRun', 'GET', `/runs/${broken.id}`);
    if (run.state === 'finished') break;
    await new Promise((again) => setTimeout(again, 20));
  }
  expect((await server.run(plan)).counts).toMatchObject({ read: 1, failed: 1 });
}, 60_000);

it('a file that is written anew while it is read breaks the run; what is put behind it is for the next one', async () => {
  const rows = (from: number, to: number, word: string): string =>
    Array.from({ length: to - from }, (_, i) => `${from + i},${word}${i % 7},1.00\n`).join('');
  const target = { ...(itemsDocument()['target'] as object), dataset: 'store/moving' };
  server.file('moving.csv', 'no,name,price\n');
  const { plan } = await server.mapping(itemsDocument('moving.csv', { name: 'Moving', lines, target }));
  const runWhile = async (happens: () => void): Promise<RunDetail> => {
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.read === 0)
      await new Promise((again) => setTimeout(again, 10));
    happens();
    return server.ended(run);
  };
  const ROWS = 150_000;
  const begun = `no,name,price\n${rows(0, ROWS, 'old')}`;
  server.file('moving.csv', begun);
  const grown = await runWhile(() => appendFileSync(join(server.folder, 'moving.csv'), rows(ROWS, ROWS + 10, 'new')));
  expect(grown).toMatchObject({ state: 'finished', counts: { read: ROWS, delivered: ROWS } });
  server.file('moving.csv', begun);
  const broken = await runWhile(() => server.file('moving.csv', `no,name,price\n${rows(0, ROWS, 'another')}`));
  expect(broken).toMatchObject({
    state: 'broken',
    error: expect.stringContaining('moving.csv was changed while it was read'),
  });
}, 120_000);

it('what the structure of a file does not know is told with its place and its number, also after kills', async () => {
  // Behind the first megabyte, from which the structure is learned.
  const item = (n: number): object => ({
    no: String(n),
    name: `n${n % 50}`,
    price: '1.00',
    pad: 'x'.repeat(80),
    ...(n >= 11_000 && n % 100 === 0 ? { ext: { colour: 'red', none: null } } : {}),
    ...(n === 11_999 ? { last: true } : {}),
  });
  const all = Array.from({ length: 12_000 }, (_, n) => item(n));
  server.file('late.json', JSON.stringify(all));
  server.file('late.jsonl', all.map((one) => JSON.stringify(one)).join('\n'));
  await server.restart('SIGTERM', { VERSICLE_CHUNK_ROWS: '300' });
  for (const file of ['late.json', 'late.jsonl']) {
    const target = { ...(itemsDocument()['target'] as object), dataset: `store/${file.replace('.', '_')}` };
    const { mapping, plan } = await server.mapping(itemsDocument(file, { name: file, lines, target }));
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered < 11_500) await new Promise((r) => setTimeout(r, 5)); // prettier-ignore
    await server.restart('SIGKILL', { VERSICLE_CHUNK_ROWS: '300' });
    const ended = await server.ended(run);
    expect(ended).toMatchObject({ state: 'finished', counts: { read: 12_000, delivered: 12_000 } });
    const field = file === 'late.json' ? 'ext.colour' : 'ext';
    const told = ended.log.filter((l) => l.level === 'warning').map((l) => l.message);
    expect(told).toEqual([
      `10 records of files/${file} have “${field}”, the first in row 11,001 of ${file}; the structure of the dataset does not know it, so it was not read`,
      `1 record of files/${file} has “last”, the first in row 12,000 of ${file}; the structure of the dataset does not know it, so it was not read`,
    ]);
    expect(await news(mapping)).toEqual([field, 'last']);
  }
});

it('lists and elements that came beside the records are told, also behind the last of them', async () => {
  const item = (n: number): string => `{"no":"${n}","name":"n","price":"1.00"}`;
  const xmlItem = (n: number): string => `<item><no>${n}</no><name>n</name><price>1.00</price></item>`;
  const numbers = Array.from({ length: 5000 }, (_, n) => n);
  const more = 'x'.repeat(300_000);
  const files: readonly [file: string, before: string, after: string, path: string][] = [
    [
      'beside.json',
      `{"head":{"no":[1]},"items":[${numbers.map(item).join()}]}`,
      `{"head":{"no":[1]},"items":[${numbers.map(item).join()}],"refunds":[{"no":"1","name":"${more}"}]}`,
      'refunds',
    ],
    [
      'beside.xml',
      `<export><head><no>1</no></head>${numbers.map(xmlItem).join('')}</export>`,
      `<export><head><no>1</no></head>${numbers.map(xmlItem).join('')}<refund><no>1</no><name>${more}</name></refund></export>`,
      'export/refund',
    ],
  ];
  for (const [file, before, after, path] of files) {
    server.file(file, before);
    const target = { ...(itemsDocument()['target'] as object), dataset: `store/${file.replace('.', '_')}` };
    const { plan } = await server.mapping(itemsDocument(file, { name: file, lines, target }));
    const first = await server.run(plan);
    expect(first.log.filter((l) => l.level === 'warning')).toEqual([]);
    server.file(file, after);
    const told = await server.run(plan);
    expect(told).toMatchObject({ state: 'finished', counts: { read: 5000 } });
    expect(told.log.filter((l) => l.level === 'warning').map((l) => l.message)).toEqual([
      `Beside the records of files/${file} there is one “${path}”, the first behind row 5,000 of ${file}; the structure of the dataset does not know it, so it was not read`,
    ]);
  }
});
