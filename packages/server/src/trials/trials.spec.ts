import type { TrialState } from '@versicle/contract';
import { RunningServer } from '../testing/running-server.ts';

const document = (docks = 's.docks::integer'): Record<string, unknown> => ({
  versicle: 1,
  name: 'Stations on trial',
  source: { primary: { alias: 's', dataset: 'files/stations.csv' }, filter: "s.code <> 'X'" },
  target: {
    dataset: 'store/station',
    key: ['code'],
    fields: [
      { name: 'code', type: 'varchar(9)', required: true },
      { name: 'docks', type: 'integer' },
    ],
  },
  lines: [
    { id: 'l1', target: 'code', kind: 'straight', source: 's.code' },
    { id: 'l2', target: 'docks', kind: 'rule', rule: docks },
  ],
});

describe('trials of a draft', () => {
  let server: RunningServer;
  const begin = async (doc: Record<string, unknown>): Promise<string> =>
    (await server.api('createMapping', 'POST', '/mappings', { document: doc })).id;
  const tried = async (id: string, rowLimit: number | null): Promise<TrialState> => {
    await server.api('startTrial', 'POST', `/mappings/${id}/trial`, { rowLimit });
    for (;;) {
      const state = await server.api('getTrial', 'GET', `/mappings/${id}/trial`);
      if (state.state !== 'running') return state;
      await new Promise((r) => setTimeout(r, 20));
    }
  };
  const text = async (path: string): Promise<string> => (await fetch(`${server.address}${path}`)).text();

  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    const rows = Array.from({ length: 500 }, (_, i) => `S${i};${i % 100 === 7 ? 'many' : i}`);
    server.file('stations.csv', `code;docks\n${rows.join('\n')}\nX;1\n`);
  });
  afterAll(() => server.close());

  it('tells what a run would do, over all records or the first ones, and writes nowhere', async () => {
    const id = await begin(document());
    expect((await server.api('getTrial', 'GET', `/mappings/${id}/trial`)).state).toBe('none');
    const all = await tried(id, null);
    expect(all).toMatchObject({ state: 'done', rowLimit: null, records: 501, problem: null });
    expect(all.report!.counts).toMatchObject({ read: 501, filtered: 1, failed: 5, written: 495 });
    expect(all.report!.failures).toEqual([
      expect.objectContaining({ line: 'l2', cause: 'rule_error', count: 5, row: 8, file: 'stations.csv' }),
    ]);
    expect((await tried(id, 50)).report!.counts).toMatchObject({ read: 50, failed: 1, written: 49 });
    const { body } = await server.ask('GET', '/api/systems/store/datasets');
    expect(body).toEqual([]);
  });
  it('tells what the records have and their structure does not know', async () => {
    const line = (i: number): string =>
      JSON.stringify({ code: `S${i}`, docks: i, pad: 'x'.repeat(60), ...(i >= 1500 ? { late: 'a' } : {}) });
    server.file('late.jsonl', Array.from({ length: 2000 }, (_, i) => line(i)).join('\n'));
    const source = { primary: { alias: 's', dataset: 'files/late.jsonl' } };
    const id = await begin({ ...document(), name: 'Late', source });
    const said = 'files/late.jsonl have “late”, the first in row 1,501 of late.jsonl; the structure of the dataset does not know it, so it was not read'; // prettier-ignore
    expect((await tried(id, null)).report).toMatchObject({ unread: [`500 records of ${said}`] });
    expect((await tried(id, 1500)).report).toMatchObject({ counts: { read: 1500 }, unread: [] });
    const some = (await tried(id, 1600)).report!;
    expect(some.counts.read).toBe(1600);
    expect(some.unread).toEqual([expect.stringMatching(/^At least \d+ records? of files.late.jsonl ha.*row 1,501 of/)]);
    await server.api('learnDataset', 'POST', '/systems/files/learn', { dataset: 'late.jsonl' });
    expect((await tried(id, null)).report).toMatchObject({ counts: { read: 2000 }, unread: [] });
  });
  it('has what would be written, and what fails, as files', async () => {
    const id = await begin({ ...document(), name: 'As files' });
    expect((await server.ask('GET', `/api/mappings/${id}/trial/failed.jsonl`)).body.detail).toContain('try it first');
    await tried(id, 10);
    expect(await text(`/api/mappings/${id}/trial/mapped.csv`)).toBe(
      'code,docks\nS0,0\nS1,1\nS2,2\nS3,3\nS4,4\nS5,5\nS6,6\nS8,8\nS9,9\n',
    );
    const [failure] = (await text(`/api/mappings/${id}/trial/failed.jsonl`)).trim().split('\n');
    expect(JSON.parse(failure!)).toMatchObject({ row: 8, line: 'l2', target: 'docks', cause: 'rule_error' });
  });
  it('and a run tell the same place of a record, in the file where a person finds it, and among all', async () => {
    server.file('two-a.csv', 'code;docks\nA;1\nB;2\nC;3\n');
    server.file('two-b.csv', 'docks;code\n4;D\nmany;E\n6;F;too much\n');
    const doc = document();
    doc['source'] = { primary: { alias: 's', dataset: 'files/two-*.csv' } };
    doc['target'] = { ...(doc['target'] as object), dataset: 'store/of_two' };
    const { mapping, plan } = await server.mapping({ ...doc, name: 'Of two files', write: { mode: 'upsert' } });
    const run = await server.run(plan);
    const failed = await server.api('listFailures', 'GET', `/failures?run=${run.id}`);
    expect(failed.map(({ row, fileRow, file }) => [row, fileRow, file])).toEqual([
      [5, 2, 'two-b.csv'],
      [6, 3, 'two-b.csv'],
    ]);
    expect(failed[1]!.message).toContain('Row 3 of two-b.csv');
    const { report } = await tried(mapping, null);
    expect(report!.failures.map(({ row, file }) => [row, file])).toEqual(
      expect.arrayContaining([
        [2, 'two-b.csv'],
        [3, 'two-b.csv'],
      ]),
    );
    const lines = (await text(`/api/mappings/${mapping}/trial/failed.jsonl`)).trim().split('\n');
    expect(lines.map((l) => (JSON.parse(l) as { row: number }).row)).toEqual([5, 6]);

    // A file that comes before the others moves every row of the dataset, and none of its file.
    server.file('two-.csv', 'code;docks\nX1;1\n');
    server.file('two-b.csv', 'docks;code\n4;D\n5;E\n6;F\n');
    await server.run(plan);
    expect(await server.api('listFailures', 'GET', `/failures?mapping=${mapping}&state=open`)).toEqual([]);
  });
  it('is refused while the document has errors, and says so when the source is gone', async () => {
    const id = await begin({ ...document('s.dock::integer'), name: 'With an error' });
    const refused = await server.ask('POST', `/api/mappings/${id}/trial`, { rowLimit: null });
    expect(refused.status).toBe(422);
    expect(refused.body.detail).toContain('1 error');
    const gone = document();
    gone['source'] = { primary: { alias: 's', dataset: 'files/gone.csv' } };
    const other = await begin({ ...gone, name: 'Gone' });
    const answer = await server.ask('POST', `/api/mappings/${other}/trial`, { rowLimit: null });
    expect(answer.body.detail).toContain('gone.csv');
  });
  it('reads records of a database, too', async () => {
    const { plan } = await server.mapping({ ...document(), name: 'Into the store' });
    await server.run(plan);
    const doc = document('s.docks * 2');
    doc['source'] = {
      primary: { alias: 's', dataset: 'store/station' },
      structures: {
        s: [
          { name: 'code', type: 'text' },
          { name: 'docks', type: 'integer' },
        ],
      },
    };
    doc['target'] = { ...(doc['target'] as object), dataset: 'store/other' };
    const id = await begin({ ...doc, name: 'From the store' });
    expect((await tried(id, 20)).report!.counts).toMatchObject({ read: 20, written: 20 });
  });
  it('is cancelled, and can be started again', async () => {
    const rows = Array.from({ length: 400_000 }, (_, i) => `L${i};${i}`);
    server.file('stations.csv', `code;docks\n${rows.join('\n')}\n`);
    const id = await begin({ ...document(), name: 'Large' });
    await server.api('startTrial', 'POST', `/mappings/${id}/trial`, { rowLimit: null });
    const second = await server.ask('POST', `/api/mappings/${id}/trial`, { rowLimit: null });
    expect(second.status).toBe(409);
    expect((await server.api('cancelTrial', 'DELETE', `/mappings/${id}/trial`)).state).toBe('cancelled');
    expect(await tried(id, 5)).toMatchObject({ state: 'done', records: 5 });
  });
  it('runs the examples of a document before it is published', async () => {
    server.file('stations.csv', 'code;docks\nA;1\n');
    const example = { id: 'e1', note: 'small', source: { code: 'A', docks: '1' } };
    const values = (docks: string): object => ({ outcome: 'written', values: { code: 'A', docks }, causes: {} });
    const wrong = await begin({ ...document(), name: 'Wrong', examples: [{ ...example, expect: values('2') }] });
    const refused = await server.ask('POST', `/api/mappings/${wrong}/publish`, {});
    expect(refused.status).toBe(422);
    expect(refused.body.detail).toContain('Example “small” (e1): docks should be “2” and is “1”.');
    const right = await begin({ ...document(), name: 'Right', examples: [{ ...example, expect: values('1') }] });
    expect((await server.ask('POST', `/api/mappings/${right}/publish`, {})).status).toBe(200);
  });
});
