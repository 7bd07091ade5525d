import type { RunDetail } from '@versicle/contract';
import ExcelJS from 'exceljs';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';
import { joined } from './readings.ts';

/** Files are read as they were when the mapping was published, whatever the files of a day happen to look like. */
describe('how files are read', () => {
  let server: RunningServer;
  let made = 0;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(() => server.close());

  const fields = ['no', 'name'].map((name) => ({ name, type: 'text' }));
  async function mapping(file: string, content: string | Buffer, patch: Record<string, unknown> = {}) {
    const table = `t${++made}`;
    server.file(file, content);
    const lines = fields.map(({ name }) => ({ id: name, target: name, kind: 'straight', source: `i.${name}` }));
    const target = { dataset: `store/${table}`, key: [], fields };
    const document = itemsDocument(file, { name: table, target, lines, write: { mode: 'insert' }, ...patch });
    return { ...(await server.mapping(document)), table, file };
  }
  type Made = Awaited<ReturnType<typeof mapping>>;
  /** Runs over a file as it is today. Gives how that ended, and the rows that it brought. */
  async function today({ plan, table, file }: Made, content: string): Promise<{ run: RunDetail; rows: unknown[] }> {
    server.file(file, content);
    const before = JSON.stringify(await server.rows(table).catch(() => []));
    const run = await server.run(plan);
    const known = JSON.parse(before) as unknown[];
    const rows = (await server.rows(table)).filter(
      (row) => !known.some((k) => JSON.stringify(k) === JSON.stringify(row)),
    );
    return { run, rows };
  }
  const log = (run: RunDetail): string => run.log.map((l) => l.message).join('\n');

  it('JSON whose lists have one element today, or none, or whose members are not there', async () => {
    const orders = await mapping('orders.json', '{"items":[{"no":"1","name":"a"},{"no":"2","name":"b"}]}');
    expect(await today(orders, '{"items":[{"no":"3"}]}')).toMatchObject({
      run: { state: 'finished' },
      rows: [['3', null]],
    });
    expect(await today(orders, '{"items":[]}')).toMatchObject({
      run: { state: 'finished', counts: { read: 0, delivered: 0 } },
      rows: [],
    });
    const { run, rows } = await today(orders, '{"items":[{"no":"4","name":"d","colour":"red"}]}');
    expect(rows).toEqual([['4', 'd']]);
    expect(log(run)).toContain('1 record of files/orders.json has “colour”, the first in row 1 of orders.json');
  });
  it('XML with one order, of which the lines still repeat', async () => {
    const order = (no: number, ...names: string[]): string =>
      `<order>${names.map((n) => `<line><no>${no}</no><name>${n}</name></line>`).join('')}</order>`;
    const lines = await mapping('orders.xml', `<orders>${order(1, 'a', 'b')}${order(2, 'c')}</orders>`, {
      source: { primary: { alias: 'i', dataset: 'files/orders.xml/line' } },
    });
    expect(await today(lines, `<orders>${order(3, 'd')}</orders>`)).toMatchObject({
      run: { state: 'finished' },
      rows: [['3', 'd']],
    });
    expect(await today(lines, '<orders/>')).toMatchObject({
      run: { state: 'finished', counts: { read: 0 } },
      rows: [],
    });
  });
  it('text whose header would be taken for data today, and the other way round', async () => {
    const named = await mapping('named.csv', 'no;name\n1;a\n2;b');
    expect((await today(named, 'no;name')).run).toMatchObject({ state: 'finished', counts: { read: 0 } });
    expect((await today(named, 'name;no\nc;3')).rows).toEqual([['3', 'c']]);
    const bare = await mapping('bare.csv', '1;a\n2;b', {
      lines: [
        { id: 'no', target: 'no', kind: 'straight', source: 'i.column_1' },
        { id: 'name', target: 'name', kind: 'straight', source: 'i.column_2' },
      ],
    });
    // Two rows of texts: looked at anew, the first one would be a header, and lost.
    const { run, rows } = await today(bare, 'x;y\nv;w');
    expect(run).toMatchObject({ state: 'finished', counts: { read: 2, delivered: 2 } });
    expect(rows).toEqual([
      ['v', 'w'],
      ['x', 'y'],
    ]);
  });
  it('a column that is gone is missed, and a new one told', async () => {
    const named = await mapping('columns.csv', 'no;name;note\n1;a;x');
    await today(named, 'no;name;note\n1;a;x');
    const { run, rows } = await today(named, 'no;name;extra\n2;b;y');
    expect(rows).toEqual([['2', 'b']]);
    expect(log(run)).toContain('new field: “extra”');
    const gone = await today(named, 'no;note\n3;z');
    expect(gone).toMatchObject({ run: { state: 'broken' }, rows: [] });
    expect(gone.run.error).toContain('name');
  });
  it('what a person settles afterwards goes before it, and a new revision reads what there is then', async () => {
    const named = await mapping('settled.csv', 'no;name\n1;a');
    const format = { kind: 'delimited', encoding: 'utf-8', delimiter: ',', quote: '"', newline: '\n', skipLines: 0, header: true, emptyIsNull: true }; // prettier-ignore
    await server.api('settleDataset', 'PUT', '/systems/files/setting', {
      dataset: 'settled.csv',
      setting: { kind: 'format', format },
    });
    expect((await today(named, 'no,name\n2,b')).rows).toEqual([['2', 'b']]);
    const other = await mapping('again.csv', 'no;name\n1;a');
    server.file('again.csv', 'no|name\n2|b');
    const { document, version } = await server.api('getMapping', 'GET', `/mappings/${other.mapping}`);
    const changed = { document: { ...document, purpose: 'told anew' }, version };
    await server.api('saveDraft', 'PUT', `/mappings/${other.mapping}/draft`, changed);
    await server.api('publish', 'POST', `/mappings/${other.mapping}/publish`, {});
    expect((await today(other, 'no|name\n3|c')).rows).toEqual([['3', 'c']]);
  });
  it('text in the encoding that each file has, and the first sheet of a workbook whatever it is called', async () => {
    const members = await mapping('members.csv', 'no;name\n1;Ines');
    server.file('members.csv', Buffer.from('no;name\n2;Möwe', 'latin1'));
    const run = await server.run(members.plan);
    expect(run.counts).toMatchObject({ read: 1, failed: 0, delivered: 1 });
    expect((await server.rows(members.table)).map(([, name]) => name)).toContain('Möwe');
    expect((await today(members, 'no;name\n3;Bär')).rows).toEqual([['3', 'Bär']]);
    const book = async (sheet: string, ...row: string[]): Promise<Buffer> => {
      const made = new ExcelJS.Workbook();
      const page = made.addWorksheet(sheet);
      page.addRow(['no', 'name']);
      page.addRow(row);
      return Buffer.from(await made.xlsx.writeBuffer());
    };
    const monthly = await mapping('monthly.xlsx', await book('August', '1', 'a'));
    server.file('monthly.xlsx', await book('September', '2', 'b'));
    expect((await server.run(monthly.plan)).state).toBe('finished');
    expect(await server.rows(monthly.table)).toEqual([['2', 'b']]);
  });
  it('of joined datasets, too', async () => {
    server.file('riders.csv', 'id;name\na;Ann\nb;Bob');
    const joined = await mapping('hires.json', '{"items":[{"no":"1","rider":"a"},{"no":"2","rider":"b"}]}', {
      source: {
        primary: { alias: 'h', dataset: 'files/hires.json' },
        joins: [{ alias: 'r', dataset: 'files/riders.csv', kind: 'left', on: 'h.rider = r.id' }],
      },
      lines: [
        { id: 'no', target: 'no', kind: 'straight', source: 'h.no' },
        { id: 'name', target: 'name', kind: 'straight', source: 'r.name' },
      ],
    });
    expect((await today(joined, '{"items":[{"no":"3"}]}')).rows).toEqual([['3', null]]);
    server.file('riders.csv', 'id;name');
    expect((await today(joined, '{"items":[]}')).run).toMatchObject({ state: 'finished', counts: { read: 0 } });
  });
  const dataset = ({ file }: Made) => server.api('getDataset', 'GET', `/systems/files/dataset?dataset=${file}`);
  const settle = async (made: Made, unknown: string): Promise<void> => {
    const { setting } = await dataset(made);
    const format = { ...(setting as { format: object }).format, unknown };
    await server.api('settleDataset', 'PUT', '/systems/files/setting', {
      dataset: made.file,
      setting: { kind: 'format', format },
    });
  };
  const fieldsOf = async (made: Made): Promise<string[]> => (await dataset(made)).fields.map((f) => f.name);
  it('what no field is for with a field from then on, where a person wants it so', async () => {
    const list = await mapping('grown.json', '[{"no":"1","name":"a"}]');
    await settle(list, 'taken');
    const grown = '[{"no":"2","name":"b"},{"no":"3","name":"c","at":{"lat":1},"tags":["x","y"]}]';
    const { run, rows } = await today(list, grown);
    // One value where two are is nothing that could be left out.
    expect(run).toMatchObject({ state: 'finished', counts: { read: 2, failed: 1 } });
    expect(rows).toEqual([['2', 'b']]);
    expect(log(run)).toContain('files/grown.json has fields for it now: at.lat and tags/value');
    expect(await fieldsOf(list)).toEqual(['_key', 'no', 'name', 'at.lat']);
    const again = await today(list, grown);
    expect(again).toMatchObject({ run: { counts: { read: 2, failed: 0 } }, rows: [['3', 'c']] });
    expect(log(again.run)).not.toContain('does not know');
  });
  it('cells beyond the header of a workbook with a column from then on, where a person wants it so', async () => {
    const book = async (...rows: string[][]): Promise<Buffer> => {
      const made = new ExcelJS.Workbook();
      const page = made.addWorksheet('Items');
      page.addRow(['no', 'name']);
      for (const row of rows) page.addRow(row);
      return Buffer.from(await made.xlsx.writeBuffer());
    };
    const sheet = await mapping('wide.xlsx', await book(['1', 'a']));
    await settle(sheet, 'taken');
    server.file('wide.xlsx', await book(['2', 'b'], ['3', 'c', '', 'red']));
    const run = await server.run(sheet.plan);
    expect(log(run)).toContain('1 record of files/wide.xlsx has “column D”');
    expect(log(run)).toContain('files/wide.xlsx has fields for it now: column_3 and column_4');
    expect(await fieldsOf(sheet)).toEqual(['no', 'name', 'column_3', 'column_4']);
    const { rows } = await server.api('getRows', 'GET', '/systems/files/rows?dataset=wide.xlsx');
    expect(rows.map((row) => row.values!.at(-1))).toEqual([null, 'red']);
    const again = await server.run(sheet.plan);
    expect(log(again)).not.toContain('column D');
  });
  it('told of a column that came between publishing and the first run', async () => {
    const early = await mapping('early.csv', 'no;name\n1;a');
    const { run, rows } = await today(early, 'no;colour;name\n1;red;a');
    expect(rows).toEqual([['1', 'a']]);
    expect(log(run)).toContain('files/early.csv has 1 new field: “colour”');
    expect(log((await today(early, 'no;colour;name\n2;red;b')).run)).not.toContain('new field');
  });
  it('reports without their rows that are no records, which are told', async () => {
    const report = await mapping('report.csv', 'no;name\n1;a\nTotal;1\nend');
    const { setting } = await dataset(report);
    const format = {
      ...(setting as { format: object }).format,
      withoutShort: true,
      withoutBeginning: 'Total',
    };
    await server.api('settleDataset', 'PUT', '/systems/files/setting', {
      dataset: 'report.csv',
      setting: { kind: 'format', format: format as never },
    });
    const { run, rows } = await today(report, 'no;name\n1;a\nTotal;1\n2;b\nTotal;1\nend\n3;c;d');
    expect(run).toMatchObject({ state: 'finished', counts: { read: 3, delivered: 2, failed: 1 } });
    expect(rows).toEqual([
      ['1', 'a'],
      ['2', 'b'],
    ]);
    expect(log(run)).toContain(
      '2 rows of files/report.csv were left out, begun as its format says of rows that are none, the first behind row 1 of report.csv',
    );
    expect(log(run)).toContain('1 row of files/report.csv was left out, too short for a record');
    // Also where no record comes behind them, or none at all.
    const total = (await today(report, 'no;name\n4;d\nTotal;1')).run;
    expect(log(total)).toContain('the first behind row 1 of report.csv');
    const none = (await today(report, 'no;name\nTotal;0\n')).run;
    expect(none).toMatchObject({ state: 'finished', counts: { read: 0 } });
    expect(log(none)).toContain('1 row of files/report.csv was left out');
    expect(log(none)).toContain('the first before row 1 of report.csv');
    // They are no fields that somebody could map.
    expect(JSON.stringify(await server.api('today', 'GET', '/today'))).not.toContain('⊘');
  });
  it('what no field is for as a person wants it: told, left out, or with a record that fails', async () => {
    const list = await mapping('list.jsonl', '{"no":"1","name":"a"}\n');
    const columns = await mapping('list.csv', 'no;name\n1;a');
    const more = '{"no":"2","name":"b"}\n{"no":"3","name":"c","colour":"red"}\n';
    await settle(list, 'refused');
    const refused = await today(list, more);
    expect(refused).toMatchObject({ run: { counts: { read: 2, failed: 1, delivered: 1 } }, rows: [['2', 'b']] });
    await settle(list, 'ignored');
    const ignored = await today(list, more);
    expect(ignored).toMatchObject({ run: { counts: { read: 2, failed: 0, delivered: 2 } }, rows: [['3', 'c']] });
    expect(log(ignored.run)).not.toContain('colour');
    server.file('list.csv', 'no;name\n1;a');
    await settle(columns, 'refused');
    expect((await today(columns, 'no;name;colour\n2;b;\n3;c;red')).run.counts).toMatchObject({
      failed: 1,
      delivered: 1,
    });
  });
  it('of what is not there when it is published, as the first run finds it that has all it needs', async () => {
    const late = await mapping('late.json', '[{"no":"1","name":"a"}]');
    await server.stop('SIGKILL');
    await server.inStore(async (db) => void (await db.query('DELETE FROM reading')));
    await server.restart();
    expect((await today(late, '[{"no":"2","name":"b"},{"no":"3","name":"c"}]')).rows).toHaveLength(2);
    expect((await today(late, '[{"no":"4"}]')).rows).toEqual([['4', null]]);
  });
});

/** Of a share, whose mappings were published on different days. */
it('two readings of a file that had something else beside its records are one', () => {
  const reading = (field: string, beside: readonly string[], records = 'items') => ({
    format: { kind: 'json', encoding: 'utf-8', records, structures: [{ path: '', fields: [field] }], part: '', beside, withDoc: false } as const, // prettier-ignore
    fields: ['_key', field],
  });
  expect(joined(reading('a', ['head']), reading('b', ['head', 'totals']))).toMatchObject({
    format: { structures: [{ path: '', fields: ['a', 'b'] }], beside: ['head', 'totals'] },
    fields: ['_key', 'a', 'b'],
  });
  expect(joined(reading('a', []), reading('b', [], 'others'))).toBeNull();
});
