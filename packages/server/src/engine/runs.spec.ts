import { rmSync } from 'node:fs';
import { join } from 'node:path';
import type { RunDetail } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('runs', () => {
  let server: RunningServer;
  let table = 0;
  beforeAll(async () => {
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '50' });
    await server.connect();
  });
  afterAll(() => server.close());

  /** A document over a file of its own into a table of its own. */
  async function load(rows: string[], patch: Record<string, unknown> = {}) {
    const name = `t${++table}`;
    server.file(`${name}.csv`, ['no;name;price', ...rows].join('\n'));
    const base = itemsDocument(`${name}.csv`);
    const target = {
      ...(base['target'] as Record<string, unknown>),
      ...((patch['target'] as object | undefined) ?? {}),
      dataset: `store/${name}`,
    };
    const made = await server.mapping({ ...base, name, ...patch, target });
    return { ...made, name, file: `${name}.csv` };
  }
  const rewrite = (file: string, rows: string[]): void => server.file(file, ['no;name;price', ...rows].join('\n'));
  async function mend(mapping: string, line: string, rule: string): Promise<void> {
    const { document, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const lines = document.lines.map((l) => (l.id === line ? { ...l, rule } : l));
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, { document: { ...document, lines }, version });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
  }
  const failures = (query: string) => server.api('listFailures', 'GET', `/failures?${query}`);

  it('delivers what passes, files what fails under its line, and adds up', async () => {
    const { plan, mapping, name } = await load(
      ['1;a;1,50', '2;a name too long;2,00', '3;c;x', '4;d', '1;again;9,00', ';e;5,00', '7;g;7,00'],
      {
        source: { primary: { alias: 'i', dataset: `files/t${table + 1}.csv` }, filter: "i.no IS DISTINCT FROM '7'" },
      },
    );
    const run = await server.run(plan);
    expect(run).toMatchObject({
      state: 'finished',
      counts: { read: 7, filtered: 1, skipped: 0, failed: 5, delivered: 1 },
      revision: 1,
      startedBy: 'Ines Marlowe',
    });
    expect(await server.rows(name)).toEqual([['1', 'a', '1.50']]);
    const groups = await server.api('listCauses', 'GET', `/failures/causes?mapping=${mapping}`);
    expect(groups.map((g) => [g.lineNumber, g.label, g.cause, g.count]).sort()).toEqual(
      [
        [1, 'Number', 'duplicate_key', 1],
        [1, 'Number', 'required_missing', 1],
        [2, 'Name', 'too_long', 1],
        [3, 'Price', 'rule_error', 1],
        [null, 'the record as a whole', 'source_unreadable', 1],
      ].sort(),
    );
    const [bad] = await failures(`mapping=${mapping}&cause=rule_error`);
    const detail = await server.api('getFailure', 'GET', `/failures/${bad!.id}`);
    expect(detail).toMatchObject({
      row: 3,
      line: 'l3',
      lineNumber: 3,
      rule: "parse_number(i.price, ',')",
      revision: 1,
      failures: [{ line: 'l3', target: 'price', cause: 'rule_error', values: { 'i.price': 'x' } }],
      source: [
        { name: 'no', value: '3' },
        { name: 'name', value: 'c' },
        { name: 'price', value: 'x' },
      ],
    });
    expect(detail.mapped[0]).toEqual({ name: 'no', label: 'Number', value: '3' });
  });

  it('replays only what failed, through the newest revision, and keeps the history', async () => {
    const { plan, mapping, name } = await load(['1;a;1,50', '2;b;2.50', '3;c;3.50', '4;d;none']);
    await server.run(plan);
    await mend(mapping, 'l3', "parse_number(replace(i.price, '.', ','), ',')");
    const { run } = await server.api('replay', 'POST', '/failures/replay', {
      mapping,
      cause: 'rule_error',
      line: 'l3',
    });
    const replayed = await server.ended(run);
    expect(replayed).toMatchObject({ kind: 'replay', revision: 2, counts: { read: 3, delivered: 2, failed: 1 } });
    expect(await server.rows(name)).toEqual([
      ['1', 'a', '1.50'],
      ['2', 'b', '2.50'],
      ['3', 'c', '3.50'],
    ]);
    const delivered = await failures(`mapping=${mapping}&state=delivered`);
    expect(delivered.map((f) => f.row)).toEqual([2, 3]);
    const [again] = await failures(`mapping=${mapping}`);
    const detail = await server.api('getFailure', 'GET', `/failures/${again!.id}`);
    expect(detail.history.map((h) => [h.what, h.revision])).toEqual([
      ['failed', 1],
      ['failed', 2],
    ]);
    // A delivered record can't be sent again.
    expect((await server.ask('POST', '/api/failures/replay', { ids: [delivered[0]!.id] })).body.detail).toMatch(
      /not open any more/,
    );
    // The whole run afterwards finds the mended rows right and keeps one record open.
    await server.run(plan);
    expect((await failures(`mapping=${mapping}`)).map((f) => f.id)).toEqual([again!.id]);
  });

  it('does not let a replayed duplicate overwrite the record that came first', async () => {
    const { plan, mapping, name } = await load(['1;first;1,00', '1;second;2,00']);
    await server.run(plan);
    const { run } = await server.api('replay', 'POST', '/failures/replay', {
      mapping,
      cause: 'duplicate_key',
      line: 'l1',
    });
    expect((await server.ended(run)).counts).toMatchObject({ read: 1, failed: 1, delivered: 0 });
    expect(await server.rows(name)).toEqual([['1', 'first', '1.00']]);
    expect((await failures(`mapping=${mapping}`))[0]).toMatchObject({
      cause: 'duplicate_key',
      state: 'open',
      message: expect.stringContaining('in the target already'),
    });
  });

  it('does not replay what could not be read; it closes itself when the file is mended', async () => {
    const { plan, mapping, file } = await load(['1;a;1,00', '2;b;2,00;extra']);
    await server.run(plan);
    const [bad] = await failures(`mapping=${mapping}`);
    expect((await server.ask('POST', '/api/failures/replay', { ids: [bad!.id] })).body.detail).toMatch(
      /Mend the file, then run the plan/,
    );
    rewrite(file, ['1;a;1,00', '2;b;2,00']);
    await server.run(plan);
    expect(await server.api('getFailure', 'GET', `/failures/${bad!.id}`)).toMatchObject({ state: 'closed' });
  });

  it('upserts: a second run changes what changed and doubles nothing', async () => {
    const { plan, name, file } = await load(['1;a;1,00', '2;b;2,00']);
    await server.run(plan);
    rewrite(file, ['2;b;2,50', '3;c;3,00']);
    await server.run(plan);
    expect(await server.rows(name)).toEqual([
      ['1', 'a', '1.00'],
      ['2', 'b', '2.50'],
      ['3', 'c', '3.00'],
    ]);
    // What the table has already is not said to be delivered once more.
    expect((await server.run(plan)).counts).toMatchObject({ read: 2, unchanged: 2, delivered: 0 });
  });

  it('inserts: what is there already is refused by the target, under the key’s line', async () => {
    const { plan, mapping, name, file } = await load(['1;a;1,00', '2;b;2,00'], { write: { mode: 'insert' } });
    await server.run(plan);
    rewrite(file, ['2;b;2,50', '3;c;3,00', '4;d;4,00']);
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 3, delivered: 2, failed: 1 });
    expect(await server.rows(name)).toHaveLength(4);
    expect((await failures(`mapping=${mapping}`))[0]).toMatchObject({ cause: 'target_rejected', line: 'l1', row: 1 });
  });

  it('replaces: the table holds what this run brought, also when that is nothing', async () => {
    const { plan, name, file } = await load(['1;a;1,00', '2;b;2,00'], { write: { mode: 'replace' } });
    await server.run(plan);
    rewrite(file, ['3;c;3,00']);
    await server.run(plan);
    expect(await server.rows(name)).toEqual([['3', 'c', '3.00']]);
    rewrite(file, []);
    // Most of the table would go: a person is asked first, and nothing is removed until then.
    const asks = await server.run(plan);
    expect(asks).toMatchObject({ state: 'asks', error: expect.stringContaining('1 record') });
    expect(await server.rows(name)).toHaveLength(1);
    expect((await server.api('waiting', 'GET', '/waiting')).runs).toBe(1);
    await server.restart('SIGKILL');
    await server.api('replaceAll', 'POST', `/runs/${asks.id}/replace`);
    expect(await server.ended(asks.id)).toMatchObject({ state: 'finished' });
    expect(await server.rows(name)).toEqual([]);
    expect(await server.ask('POST', `/api/runs/${asks.id}/replace`)).toMatchObject({ status: 409 });
  });

  it('updates only what is there, and fills only what is empty', async () => {
    const write = async (mode: object, name: string, rows: string[]): Promise<RunDetail> => {
      const file = `${name}-${Math.random()}.csv`;
      server.file(file, ['nummer;name;price', ...rows].join('\n'));
      const base = itemsDocument(file);
      const target = { ...(base['target'] as object), dataset: `store/${name}` };
      const lines = (base['lines'] as { source?: string }[]).map((l) =>
        l.source === 'i.no' ? { ...l, source: 'i.nummer' } : l,
      );
      const { plan } = await server.mapping({ ...base, name: file, target, lines, write: mode });
      return server.run(plan);
    };
    await write({ mode: 'upsert' }, 'ways', ['1;Bell;1,00', '2;;2,00']);
    const updated = await write({ mode: 'update' }, 'ways', ['1;Bell;1,50', '2;;2,00', '9;Pump;9,00']);
    expect(updated.counts).toMatchObject({ read: 3, delivered: 1, unchanged: 1, failed: 1 });
    expect(updated.causes).toMatchObject([
      { line: 'l1', cause: 'target_rejected', message: expect.stringContaining('only existing ones are changed') },
    ]);
    const filled = await write({ mode: 'upsert', existing: 'fill empty' }, 'ways', [
      '1;Other;7,00',
      '2;Lamp;7,00',
      '3;Nut;3,00',
    ]);
    expect(filled.counts).toMatchObject({ read: 3, delivered: 2, unchanged: 1, failed: 0 });
    expect(await server.rows('ways')).toEqual([
      ['1', 'Bell', '1.50'],
      ['2', 'Lamp', '2.00'],
      ['3', 'Nut', '3.00'],
    ]);
  });
  it('replaces whole or not at all: a run that is cancelled, stopped or said no to leaves the table as it was', async () => {
    const old = Array.from({ length: 5000 }, (_, i) => `o${i};old;1,00`);
    const lines = (itemsDocument()['lines'] as { id: string }[]).map((l) =>
      l.id === 'l3' ? { ...l, onFail: 'stop' } : l,
    );
    const { plan, name, file } = await load(old, { write: { mode: 'replace' }, lines });
    await server.run(plan);
    const whole = async (): Promise<number> =>
      (await server.api('listDatasets', 'GET', '/systems/store/datasets')).find((d) => d.name === name)!.records!;
    expect(await whole()).toBe(5000);
    rewrite(
      file,
      Array.from({ length: 40_000 }, (_, i) => `n${i};new;1,00`),
    );
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.read < 500)
      await new Promise((r) => setTimeout(r, 5));
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    expect(await server.ended(run)).toMatchObject({ state: 'cancelled', counts: { delivered: 0 } });
    expect(await whole()).toBe(5000);
    rewrite(file, ['n1;new;1,00', 'n2;new;x']);
    expect(await server.run(plan)).toMatchObject({ state: 'stopped', counts: { delivered: 0, failed: 1 } });
    expect(await whole()).toBe(5000);
    rewrite(file, ['n1;new;1,00']);
    const asks = await server.run(plan);
    expect(asks.state).toBe('asks');
    await server.api('cancelRun', 'POST', `/runs/${asks.id}/cancel`);
    expect(await server.ended(asks.id)).toMatchObject({ state: 'cancelled', counts: { delivered: 0 } });
    expect(await whole()).toBe(5000);
    // Nothing that was loaded beside the table stays behind.
    const datasets = await server.api('listDatasets', 'GET', '/systems/store/datasets');
    expect(datasets.filter((d) => d.name.includes('load_'))).toEqual([]);
  });

  it('closes only what it read again and what went well then', async () => {
    const { plan, mapping, file } = await load(['1;a;x', '2;b;y', '3;c;z', '4;d;4,00']);
    await server.run(plan);
    expect(await failures(`mapping=${mapping}`)).toHaveLength(3);
    // One is mended in the source, one fails again, one is not in the file any more.
    rewrite(file, ['1;a;1,00', '2;b;y']);
    await server.run(plan);
    expect((await failures(`mapping=${mapping}`)).map((f) => f.label)).toEqual(['2, b', '3, c']);
    const [, gone] = await failures(`mapping=${mapping}`);
    await server.api('waive', 'POST', '/failures/waive', { ids: [gone!.id], reason: 'left the scheme' });
    const waived = await server.api('getFailure', 'GET', `/failures/${gone!.id}`);
    expect(waived).toMatchObject({ state: 'waived' });
    expect(waived.history.at(-1)!.message).toBe('Ines Marlowe: left the scheme');
    // A rule that takes the value now closes the same record.
    await mend(mapping, 'l3', "CASE WHEN i.price = 'y' THEN 2 ELSE parse_number(i.price, ',') END");
    await server.run(plan);
    expect(await failures(`mapping=${mapping}`)).toEqual([]);
  });

  it('leaves what was there twice open where it reads the first records only', async () => {
    const { plan, mapping } = await load(['1;a;1,00', '2;b;x', '1;a;1,00', '1;c;1,00']);
    await server.run(plan);
    const open = async (): Promise<string[]> => (await failures(`mapping=${mapping}`)).map((f) => f.label);
    expect(await open()).toEqual(['2, b', '1, a', '1, c']);
    await server.run(plan, 1);
    expect(await open()).toEqual(['2, b', '1, a', '1, c']);
  });

  it('goes on with a sequence from run to run, and replays keep the number that a record had', async () => {
    const target = {
      key: ['no'],
      fields: [
        { name: 'no', type: 'bigint', nullable: false },
        { name: 'name', type: 'varchar(12)' },
      ],
    };
    const { plan, mapping, name, file } = await load(['1;a;0', '2;b;0', '3;b;0'], {
      target,
      lines: [
        { id: 'l1', target: 'no', kind: 'generated', generate: 'sequence' },
        { id: 'l2', target: 'name', kind: 'straight', source: 'i.name', check: "name <> 'late'" },
      ],
      write: { mode: 'upsert', existing: 'overwrite' },
    });
    await server.run(plan);
    rewrite(file, ['4;late;0', '5;e;0', '6;f;0']);
    await server.run(plan);
    const all = async (): Promise<string[]> => (await server.rows(name)).map((r) => r.join(' ')).sort();
    expect(await all()).toEqual(['1 a', '2 b', '3 b', '4 e', '5 f']);
    const { document, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const open = document.lines.map((l) => (l.id === 'l2' ? { ...l, check: undefined } : l));
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, {
      document: { ...document, lines: open },
      version,
    });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const { run } = await server.api('replay', 'POST', '/failures/replay', {
      mapping,
      cause: 'check_failed',
      line: 'l2',
    });
    await server.ended(run);
    expect(await all()).toEqual(['1 a', '2 b', '3 b', '4 e', '5 f', '6 late']);
  });

  it('reads only the first records for a try', async () => {
    const { plan, name } = await load(Array.from({ length: 500 }, (_, i) => `${i};n;1,00`));
    expect((await server.run(plan, 120)).counts).toMatchObject({ read: 120, delivered: 120 });
    expect(await server.rows(name)).toHaveLength(120);
    expect(await server.ask('POST', `/api/plans/${plan}/start`, { rowLimit: 0 })).toMatchObject({ status: 400 });
  });

  it('ends the run where the document says stop', async () => {
    const lines = (itemsDocument()['lines'] as { id: string }[]).map((l) =>
      l.id === 'l3' ? { ...l, onFail: 'stop' } : l,
    );
    const { plan } = await load(['1;a;1,00', '2;b;x', '3;c;3,00'], { lines });
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'stopped', counts: { read: 2, delivered: 1, failed: 1 } });
  });

  it('counts skips, and remarks besides', async () => {
    const lines = (itemsDocument()['lines'] as { id: string }[]).map((l) =>
      l.id === 'l3' ? { ...l, onFail: 'default', default: '0' } : l,
    );
    const { plan, mapping, name } = await load(['1;a;1,00', '2;b;x', '3;skip;3,00'], {
      lines,
      skips: [{ id: 's1', when: "i.name = 'skip'", reason: 'Left out' }],
    });
    expect((await server.run(plan)).counts).toEqual({
      read: 3,
      filtered: 0,
      skipped: 1,
      unchanged: 0,
      unmatched: 0,
      failed: 0,
      waiting: 0,
      delivered: 2,
      remarks: 1,
    });
    expect(await server.rows(name)).toEqual([
      ['1', 'a', '1.00'],
      ['2', 'b', '0.00'],
    ]);
    expect(await failures(`mapping=${mapping}&state=remark`)).toHaveLength(1);
    expect(await failures(`mapping=${mapping}`)).toHaveLength(0);
  });

  it('breaks off with a sentence when the file vanished, the table misses a field or keys differ', async () => {
    const gone = await load(['1;a;1,00']);
    const before = (await server.api('waiting', 'GET', '/waiting')).runs;
    rmSync(join(server.folder, gone.file));
    expect(await server.run(gone.plan)).toMatchObject({ state: 'broken', error: expect.stringContaining(gone.file) });
    expect((await server.api('waiting', 'GET', '/waiting')).runs).toBe(before + 1);

    const there = await load(['1;a;1,00']);
    await server.run(there.plan);
    const base = itemsDocument(there.file);
    const target = base['target'] as { fields: object[] };
    const refusal = async (document: unknown): Promise<string> => {
      const { id } = await server.api('createMapping', 'POST', '/mappings', { document });
      return (await server.ask('POST', `/api/mappings/${id}/publish`, {})).body.detail;
    };
    const wider = await refusal({
      ...base,
      target: {
        ...target,
        dataset: `store/${there.name}`,
        fields: [...target.fields, { name: 'colour', type: 'text' }],
      },
      lines: [...(base['lines'] as object[]), { id: 'l4', target: 'colour', kind: 'constant', value: 'red' }],
    });
    expect(wider).toMatch(/has no field “colour”/);
    const otherKey = await refusal({
      ...base,
      target: { ...target, dataset: `store/${there.name}`, key: ['name'] },
    });
    expect(otherKey).toMatch(/Upsert goes by the key \(name\), but the table .* has the key \(no\)/);
  });

  it('says which fields a table lacks, adds them, and says where records would be there twice', async () => {
    const there = await load(['1;a;1,00']);
    const base = itemsDocument(there.file);
    const target = base['target'] as { fields: object[] };
    const make = async (patch: object, more: object[] = []): Promise<string> => {
      const lines = more.length > 0 ? [...(base['lines'] as object[]), LINE] : base['lines'];
      const document = {
        ...base,
        ...patch,
        lines,
        target: { ...target, dataset: `store/${there.name}`, fields: [...target.fields, ...more] },
      };
      return (await server.api('createMapping', 'POST', '/mappings', { document })).id;
    };
    const LINE = { id: 'l4', target: 'colour', kind: 'constant', value: 'red' };
    const outlook = (id: string) => server.api('targetOutlook', 'GET', `/mappings/${id}/target`);
    const wider = await make({}, [{ name: 'colour', type: 'varchar(5)', nullable: false }]);
    // There is no table yet: the run makes it as it has to be.
    expect(await outlook(wider)).toMatchObject({ lacking: [], twice: null });

    await server.run(there.plan);
    expect(await outlook(wider)).toMatchObject({ lacking: [{ name: 'colour', type: 'varchar(5)' }], twice: null });
    expect(await server.api('addTargetFields', 'POST', `/mappings/${wider}/target/fields`, {})).toEqual({
      added: ['colour'],
    });
    expect(await outlook(wider)).toMatchObject({ lacking: [], twice: null });
    expect(await server.api('addTargetFields', 'POST', `/mappings/${wider}/target/fields`, {})).toEqual({ added: [] });
    expect((await server.ask('POST', `/api/mappings/${wider}/publish`, {})).status).toBe(200);

    const document = {
      ...base,
      write: { mode: 'insert' },
      target: { ...target, dataset: `store/${there.name}`, key: [] },
    };
    const { id } = await server.api('createMapping', 'POST', '/mappings', { document });
    expect((await outlook(id)).twice).toMatch(/has records already, and this mapping adds its own without a key/);
  });

  it('counts runs without gaps, also after the server was killed', async () => {
    const { plan } = await load(['1;a;1,00']);
    const { id } = await server.run(plan);
    await server.restart('SIGKILL');
    expect((await server.run(plan)).id).toBe(id + 1);
  });

  it('needs a published revision', async () => {
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: itemsDocument('items.csv', { name: 'Unpublished' }),
    });
    const plan = await server.api('createPlan', 'POST', '/plans', { name: 'Too early', mapping: id });
    expect(await server.ask('POST', `/api/plans/${plan.id}/start`, {})).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('Publish it first') },
    });
    expect(await server.ask('POST', '/api/plans', { name: 'Of nothing', mapping: 'nothing' })).toMatchObject({
      status: 422,
    });
  });

  it('can be cancelled; what was delivered stays', async () => {
    const { plan, name } = await load(Array.from({ length: 60_000 }, (_, i) => `${i};n;1,00`));
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.read < 500)
      await new Promise((r) => setTimeout(r, 5));
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    const ended = await server.ended(run);
    expect(ended.state).toBe('cancelled');
    expect(ended.counts.read).toBeLessThan(60_000);
    const datasets = await server.api('listDatasets', 'GET', '/systems/store/datasets');
    expect(datasets.find((d) => d.name === name)!.records).toBe(ended.counts.delivered);
    expect(await server.ask('POST', `/api/runs/${run}/cancel`)).toMatchObject({ status: 409 });
  });
});
