import { RunningServer } from '../testing/running-server.ts';

const order = (id: number): Record<string, unknown> => ({ id, name: `n${id}`, pad: 'x'.repeat(60) });
/** Behind the first megabyte, from which a structure is guessed, there is a record with a member and a list that no other has. */
const orders = [
  ...Array.from({ length: 12_000 }, (_, i) => order(i)),
  { ...order(12_000), late: 'here', tags: ['a', 'b'] },
];
const json = JSON.stringify(orders);
const lines = orders.map((o) => JSON.stringify(o)).join('\n');

describe('a look into a file', () => {
  let server: RunningServer;
  const at = (what: string, dataset: string, more = ''): string =>
    `/api/systems/files/${what}?dataset=${encodeURIComponent(dataset)}${more}`;
  const fieldsOf = async (dataset: string): Promise<string[]> =>
    (await server.ask('GET', at('dataset', dataset))).body.fields.map((f: { name: string }) => f.name);
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('orders.json', json);
    server.file('orders.jsonl', lines);
    server.file('plain.csv', 'no;name\n1;a\n2;b\n');
  });
  afterAll(() => server.close());

  it('learns from all records what only the last one has, and runs read it', async () => {
    expect(await fieldsOf('orders.json')).toEqual(['_key', 'id', 'name', 'pad']);
    const learned = await server.api('learnDataset', 'POST', '/systems/files/learn', { dataset: 'orders.json' });
    expect(learned).toMatchObject({ records: 12_001, unread: 0, added: ['late', 'tags/value'] });
    expect(learned.detail).toMatchObject({ settled: true, parts: [{ name: 'orders.json/tags' }] });
    expect(await fieldsOf('orders.json')).toEqual(['_key', 'id', 'name', 'pad', 'late']);
    expect(await fieldsOf('orders.json/tags')).toEqual(['_key', '_parent_key', '_position', 'value']);
    const { body } = await server.ask('GET', at('rows', 'orders.json', '&filter=late%20IS%20NOT%20NULL'));
    expect(body.rows).toMatchObject([{ row: 12_001, values: ['12001', '12000', 'n12000', orders[0]!['pad'], 'here'] }]);
    const again = await server.api('learnDataset', 'POST', '/systems/files/learn', { dataset: 'orders.json/tags' });
    expect(again.added).toEqual([]);

    const lined = await server.api('learnDataset', 'POST', '/systems/files/learn', { dataset: 'orders.jsonl' });
    expect(lined).toMatchObject({ records: 12_001, added: ['late', 'tags'] });
    expect(await fieldsOf('orders.jsonl')).toEqual(['id', 'name', 'pad', 'late', 'tags']);
    for (const file of ['orders.json', 'orders.jsonl']) {
      const target = {
        dataset: `store/${file.replace('.', '_')}`,
        key: ['no'],
        fields: [
          { name: 'no', type: 'varchar(8)', nullable: false },
          { name: 'late', type: 'text' },
        ],
      };
      const { plan } = await server.mapping({
        versicle: 1,
        name: file,
        source: { primary: { alias: 'o', dataset: `files/${file}` } },
        target,
        lines: [
          { id: 'l1', target: 'no', kind: 'straight', source: 'o.id' },
          { id: 'l2', target: 'late', kind: 'straight', source: 'o.late' },
        ],
        write: { mode: 'upsert', existing: 'overwrite' },
      });
      const run = await server.run(plan);
      expect(run).toMatchObject({ state: 'finished', counts: { read: 12_001, delivered: 12_001 } });
      const table = target.dataset.split('/')[1];
      const late = await server.ask('GET', `/api/systems/store/rows?dataset=${table}&filter=late%20IS%20NOT%20NULL`);
      expect(late.body.rows.map((r: { values: unknown }) => r.values)).toEqual([['12000', 'here']]);
    }
  });
  it('learns nothing where a file names its columns itself, or breaks off', async () => {
    const told = async (dataset: string): Promise<string> =>
      (await server.ask('POST', '/api/systems/files/learn', { dataset })).body.detail;
    expect(await told('plain.csv')).toContain('names its columns itself');
    server.file('cut.xml', `<all>${'<o><id>1</id></o>'.repeat(3)}`);
    expect((await server.ask('POST', '/api/systems/files/learn', { dataset: 'cut.xml' })).body).toMatchObject({
      records: 4,
      unread: 1,
      added: [],
    });
    expect(await told('gone.json')).toContain('There is no file “gone.json”');
  });
  it('is left when nobody waits for it, and the next one is made', async () => {
    server.file('large.csv', `no;name\n${'1;some name that is not short\n'.repeat(900_000)}`);
    for (let i = 0; i < 6; i++) {
      const left = new AbortController();
      const asked = fetch(server.address + at('count', 'large.csv', '&filter=name%20%3D%20%27b%27'), {
        signal: left.signal,
      });
      const answered = await Promise.race([
        asked.then(
          () => true,
          () => true,
        ),
        new Promise((r) => setTimeout(r, 60)),
      ]);
      left.abort();
      await asked.catch(() => undefined);
      expect(answered).not.toBe(true);
    }
    // Two are counted at a time: those that were left are not in the way, and who looks or runs waits for none of them.
    expect(await fieldsOf('plain.csv')).toEqual(['no', 'name']);
    expect((await server.ask('GET', at('count', 'plain.csv', '&filter=no%20%3D%20%271%27'))).body).toEqual({
      met: 1,
      all: 2,
    });
  });
  it('shows fewer records where they have thousands of fields', async () => {
    const wide = Array.from({ length: 12_000 }, (_, i) => `c${i}`).join(';');
    server.file('wide.csv', `${wide}\n${`${wide}\n`.repeat(20)}`);
    const { body } = await server.ask('GET', at('rows', 'wide.csv', '&limit=100'));
    expect(body).toMatchObject({ more: true, all: null });
    expect(body.rows).toHaveLength(8);
    expect(body.fields).toHaveLength(12_000);
  });
  it('that takes too long is given up with a sentence, also of what is brought in; the server answers', async () => {
    await server.restart('SIGTERM', { VERSICLE_LOOK_SECONDS: '0.02' });
    const large = { dataset: null, fileName: 'large.csv', content: Buffer.from(lines).toString('base64') };
    for (let i = 0; i < 2; i++) {
      const [look, brought, health] = await Promise.all([
        server.ask('GET', at('rows', 'large.csv', '&sort=name&limit=5')),
        server.ask('POST', '/api/systems/files/structures', large),
        server.ask('GET', '/api/health'),
      ]);
      expect(look).toMatchObject({ status: 422 });
      expect(look.body.detail).toContain('To look at “large.csv” takes longer than 0.02 seconds; it was given up.');
      expect(brought.body.detail).toContain('takes longer than 0.02 seconds');
      expect(health.body).toMatchObject({ ok: true });
    }
    await server.restart('SIGTERM');
    expect(await fieldsOf('plain.csv')).toEqual(['no', 'name']);
  });
});
