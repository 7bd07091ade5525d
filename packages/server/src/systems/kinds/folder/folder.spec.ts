import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { itemsDocument, RunningServer, type Reply } from '../../../testing/running-server.ts';

describe('a folder as the target', () => {
  let server: RunningServer;
  const document = (file: string, patch: Record<string, unknown> = {}): Record<string, unknown> => ({
    ...itemsDocument('items.csv'),
    name: `Items to ${file}`,
    target: {
      dataset: `files/${file}`,
      key: ['no'],
      fields: [
        { name: 'no', type: 'varchar(8)', nullable: false },
        { name: 'name', type: 'varchar(12)' },
        { name: 'price', type: 'numeric(8,2)', required: true },
      ],
    },
    write: { mode: 'replace' },
    ...patch,
  });
  const written = (file: string): string => readFileSync(join(server.folder, file), 'utf8');
  beforeAll(async () => {
    // Small chunks, so that a file is made of several.
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '2' });
    await server.connect();
    server.file(
      'items.csv',
      'no;name;price\n00417;Bell;4,20\n00418;"Lamp, red";22,10\n00419;Seat;oops\n00420;;7,90\n00421;Lock;1,00\n',
    );
  });
  afterAll(() => server.close());

  it('writes a file in one step, of as many chunks as there were; failed records are not in it', async () => {
    const { plan } = await server.mapping(document('out.csv'));
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 5, delivered: 4, failed: 1 });
    expect(run.log.map((l) => l.message)).toContain('the file out.csv has 4 records');
    expect(written('out.csv')).toBe(
      'no,name,price\n00417,Bell,4.20\n00418,"Lamp, red",22.10\n00420,,7.90\n00421,Lock,1.00\n',
    );
    // Run again, it is written anew and not added to.
    await server.run(plan);
    expect(written('out.csv').split('\n')).toHaveLength(6);
    const { body } = await server.ask('GET', '/api/systems/files/datasets');
    expect(body.map((d: { name: string }) => d.name)).toEqual(['items.csv', 'out.csv']);
  });
  it('never writes over a file that it did not make, or that somebody changed since', async () => {
    server.file('theirs.csv', 'mine;own\n1;2\n');
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: document('theirs.csv') as never,
    });
    expect((await server.ask('POST', `/api/mappings/${id}/publish`, {})).body.detail).toContain('did not make it');
    expect(written('theirs.csv')).toBe('mine;own\n1;2\n');
    const { plan } = await server.mapping(document('ours.csv'));
    await server.run(plan);
    server.file('ours.csv', 'edited by hand\n');
    expect(await server.run(plan)).toMatchObject({
      state: 'broken',
      error: expect.stringContaining('was changed since'),
    });
    expect(written('ours.csv')).toBe('edited by hand\n');
  });
  it('keeps each part’s columns: a replay after a line was added leaves the earlier records as they were', async () => {
    const { mapping, plan } = await server.mapping(document('grown.csv'));
    await server.run(plan);
    const { body: draft } = await server.ask('GET', `/api/mappings/${mapping}`);
    draft.document.lines[2].rule = "coalesce(parse_number(nullif(i.price, 'oops'), ','), 9.99)";
    draft.document.target.fields.splice(1, 0, { name: 'kind', type: 'text', nullable: true, required: false });
    draft.document.lines.splice(1, 0, { id: 'l9', target: 'kind', kind: 'constant', value: 'new', state: 'drafted' });
    await server.ask('PUT', `/api/mappings/${mapping}/draft`, { document: draft.document, version: draft.version });
    await server.ask('POST', `/api/mappings/${mapping}/publish`, {});
    const run = await server.ask('POST', '/api/failures/replay', { mapping, cause: 'rule_error', line: 'l3' });
    await server.ended(run.body.run);
    expect(written('grown.csv').split('\n').slice(0, 3)).toEqual([
      'no,kind,name,price',
      '00417,,Bell,4.20',
      '00418,,"Lamp, red",22.10',
    ]);
    expect(written('grown.csv')).toContain('00419,new,Seat,9.99');
  });
  it.each([
    ['xml', 'A\u0001B', 'a control character, which XML can’t carry'],
    ['txt', '"two\nlines"', '“two\nlines” does not fit into 12 characters of one line'],
    ['xlsx', 'L'.repeat(40_000), 'longer than the 32,767 characters that a cell holds'],
  ])('fails the records that a file .%s can’t hold, and writes the others', async (ending, name, why) => {
    server.file(`odd-${ending}.csv`, `no;name;price\n1;Bell;4,20\n2;${name};1,00\n3;Lock;1,00\n`);
    const dataset = `files/odd-out.${ending}`;
    const doc = document('', {
      source: { primary: { alias: 'i', dataset: `files/odd-${ending}.csv` } },
      name: dataset,
    });
    const target = doc['target'] as { dataset: string; fields: { name: string; type: string }[] };
    target.dataset = dataset;
    if (ending === 'xlsx') target.fields[1]!.type = 'text';
    const { mapping, plan } = await server.mapping(doc);
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 3, delivered: 2, failed: 1 } });
    const [failed] = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    expect(failed).toMatchObject({ line: 'l2', cause: 'target_rejected', row: 2 });
    expect(failed!.message).toContain(why);
    if (ending === 'txt') return expect(written('odd-out.txt').replace(/ +/g, ' ')).toBe('1 Bell 4.20\n3 Lock 1.00\n');
    const { body } = await server.ask('GET', `/api/systems/files/rows?dataset=odd-out.${ending}&limit=10`);
    const names = (body.rows as { values: string[] }[]).map((r) => r.values.find((v) => /^[BL]/.test(v)));
    expect(names).toEqual(['Bell', 'Lock']);
  });
  it('finds fields by their names in every file of a pattern, and says what a file lacks', async () => {
    server.file('trips-09.csv', 'id,name,mail\n1,Kit,kit@example.org\n');
    server.file('trips-10.csv', 'mail,id,extra,name\nmo@example.org,2,x,Mo\n');
    server.file('trips-11.csv', 'name,id\nFay,3\n');
    const { plan } = await server.mapping({
      ...document('all.csv'),
      source: { primary: { alias: 't', dataset: 'files/trips-*.csv' } },
      target: {
        dataset: 'store/traveller',
        key: ['id'],
        fields: [
          { name: 'id', type: 'text', nullable: false },
          { name: 'name', type: 'text' },
          { name: 'mail', type: 'text' },
        ],
      },
      lines: ['id', 'name', 'mail'].map((t, i) => ({ id: `l${i}`, target: t, kind: 'straight', source: `t.${t}` })),
      write: { mode: 'upsert' },
    });
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 3, delivered: 3 } });
    expect(await server.rows('traveller')).toEqual([
      ['1', 'Kit', 'kit@example.org'],
      ['2', 'Mo', 'mo@example.org'],
      ['3', 'Fay', null],
    ]);
    expect(run.log.map((l) => l.message)).toContain(
      'trips-11.csv has no columns mail, extra; in its records they are empty',
    );
    server.file('plain-1.csv', '1,2,3\n4,5,6\n');
    server.file('plain-2.csv', '1,2,3,4\n4,5,6,7\n');
    const { body } = await server.ask('GET', '/api/systems/files/dataset?dataset=plain-*.csv');
    expect(body.detail).toMatch(/plain-2\.csv has 4 columns, plain-1\.csv has 3/);
  });
  it('lies in a folder that may be chosen, and matches patterns in linear time', async () => {
    const refused = async (root: string): Promise<string> =>
      (await server.ask('POST', '/api/systems', { id: 'x', name: 'X', connection: { kind: 'folder', root } })).body
        .detail;
    expect(await refused('/etc')).toContain('VERSICLE_ROOTS');
    expect(await refused(join(server.home, 'data'))).toContain('keeps its own data there');
    const started = Date.now();
    await server.ask('GET', `/api/systems/files/dataset?dataset=${'*a'.repeat(60)}b`);
    expect(Date.now() - started).toBeLessThan(3000);
  });
  it('adds what a replay brings', async () => {
    const { mapping, plan } = await server.mapping(document('again.jsonl'));
    await server.run(plan);
    const { body: draft } = await server.ask('GET', `/api/mappings/${mapping}`);
    draft.document.lines[2].rule = "coalesce(parse_number(nullif(i.price, 'oops'), ','), 9.99)";
    await server.ask('PUT', `/api/mappings/${mapping}/draft`, { document: draft.document, version: draft.version });
    await server.ask('POST', `/api/mappings/${mapping}/publish`, {});
    const run = await server.ask('POST', '/api/failures/replay', { mapping, cause: 'rule_error', line: 'l3' });
    await server.ended(run.body.run);
    expect(written('again.jsonl')).toContain('{"no":"00419","name":"Seat","price":"9.99"}');
    expect(written('again.jsonl').trim().split('\n')).toHaveLength(5);
  });
  it.each(['out.json', 'out.xml', 'out.xlsx', 'out.txt'])('writes %s so that it reads back', async (file) => {
    const { plan } = await server.mapping(document(file));
    expect((await server.run(plan)).state).toBe('finished');
    expect(existsSync(join(server.folder, file))).toBe(true);
    const { body } = await server.ask('GET', `/api/systems/files/rows?dataset=${file}`);
    expect(body.rows).toHaveLength(4);
    expect(JSON.stringify(body.rows)).toContain('22.10');
  });
  it('reads by the marks that a format declares; those that were only guessed decide on nothing', async () => {
    server.file('marked.csv', 'no;name;price\n1;03.08.2019;1.204,50\n2;04.08.2019;7,5\n');
    const straight = document('marked-out.csv', {
      source: { primary: { alias: 'i', dataset: 'files/marked.csv' } },
      lines: ['no', 'name', 'price'].map((name, i) => ({
        id: `l${i}`,
        target: name,
        kind: 'straight',
        source: `i.${name}`,
      })),
    });
    const { plan } = await server.mapping(straight);
    expect((await server.run(plan)).counts).toMatchObject({ delivered: 0, failed: 2 });
    const guessed = (await server.ask('GET', '/api/systems/files/dataset?dataset=marked.csv')).body;
    expect(guessed).toMatchObject({
      settled: false,
      setting: { format: { marks: { decimal: ',', dates: 'DD.MM.YYYY' } } },
    });
    const settled = await server.ask('PUT', '/api/systems/files/setting', {
      dataset: 'marked.csv',
      setting: guessed.setting,
    });
    expect(settled.body.settled).toBe(true);
    expect((await server.run(plan)).counts).toMatchObject({ delivered: 2, failed: 0 });
    expect(written('marked-out.csv')).toContain('1,03.08.2019,1204.50\n2,04.08.2019,7.50');
    const { body } = await server.ask('GET', '/api/systems/files/rows?dataset=marked.csv');
    expect(body.reading).toMatchObject({ declared: { dates: 'DD.MM.YYYY' } });
    expect(body.reading.cells[0].map((c: { typed: string }) => c.typed)).toEqual(['2019-08-03', '1204.50']);
    const wrong = await server.ask('PUT', '/api/systems/files/setting', {
      dataset: 'marked.csv',
      setting: { kind: 'format', format: { ...guessed.setting.format, marks: { decimal: ',', dates: 'QQ' } } },
    });
    expect(wrong.body.detail).toContain('can’t be written “QQ”');
  });
  it('refuses what a file can not do', async () => {
    const run = async (doc: Record<string, unknown>): Promise<string> => {
      const { plan } = await server.mapping(doc);
      return (await server.run(plan)).error ?? '';
    };
    expect(await run(document('u.csv', { write: { mode: 'upsert', existing: 'overwrite' } }))).toContain(
      'record by record',
    );
    // Said before it is published, not when it runs.
    await expect(run(document('x.doc'))).rejects.toThrow('the ending says how to write');
    const outside: Reply = await server.ask('POST', '/api/mappings', { document: document('../x.csv') });
    if (outside.status === 200) {
      const published = await server.ask('POST', `/api/mappings/${outside.body.id}/publish`, {});
      if (published.status === 200) {
        const plan = await server.ask('POST', '/api/plans', { name: 'Outside', mapping: outside.body.id });
        const { body } = await server.ask('POST', `/api/plans/${plan.body.id}/start`, {});
        expect((await server.ended(body.run)).error).toContain("can't be the name of a file");
      }
    }
    expect(existsSync(join(server.home, 'x.csv'))).toBe(false);
  });
});

describe('a folder of files with odd names', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(() => server.close());

  it('lists each as what it is, and reads all that is text', async () => {
    const rows = 'no;name\n1;Bell\n2;Lamp\n';
    const names = ['export', 'access.log', 'trips.2026-08-01', 'a\\b.csv', 'EXPORT.PSV', 'mail.eml', 'photo.png', 'trips.csv.done']; // prettier-ignore
    for (const name of names) server.file(name, rows);
    // Windows-1252, as an older program wrote it.
    writeFileSync(Buffer.concat([Buffer.from(`${server.folder}/caf`), Buffer.from([0xe9]), Buffer.from('.csv')]), rows);
    const { body } = await server.ask('GET', '/api/systems/files/datasets');
    const problems = new Map(body.map((d: { name: string; problem: string | null }) => [d.name, d.problem]));
    const notRead = 'Files of this kind are not read.';
    expect(Object.fromEntries(problems)).toEqual({
      export: null,
      'access.log': null,
      'trips.2026-08-01': null,
      'a\\b.csv': null,
      'EXPORT.PSV': null,
      'mail.eml': notRead,
      'photo.png': notRead,
      'trips.csv.done': notRead,
      'caf\ufffd.csv': 'The name of the file is not written in UTF-8; rename it to read it.',
    });
    for (const name of names.slice(0, 5)) {
      const { body: read } = await server.ask('GET', `/api/systems/files/rows?dataset=${encodeURIComponent(name)}`);
      expect(read.rows).toMatchObject([{ values: ['1', 'Bell'] }, { values: ['2', 'Lamp'] }]);
    }
    const odd = await server.ask('GET', `/api/systems/files/rows?dataset=${encodeURIComponent('caf\ufffd.csv')}`);
    expect(odd.body.detail).toContain('is not written in UTF-8');
    const tested = await server.ask('POST', '/api/systems/files/test');
    expect(tested.body.message).toBe('The folder holds 9 files, 5 of which can be read as records.');
  });
});
