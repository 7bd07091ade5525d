import ExcelJS from 'exceljs';
import { RunningServer } from '../testing/running-server.ts';
import { Standins } from '../testing/standins.ts';

const document = (name: string, patch: object = {}): Record<string, unknown> => ({
  versicle: 1,
  name,
  source: { primary: { alias: 'f', dataset: 'files/faults.csv' } },
  target: {
    dataset: `store/${name.toLowerCase()}`,
    key: ['no'],
    fields: [
      { name: 'no', type: 'text' },
      { name: 'fault', type: 'text' },
    ],
  },
  lines: [
    { id: 'l1', target: 'no', kind: 'straight', source: 'f.no' },
    { id: 'l2', target: 'fault', kind: 'lookup', source: 'f.fault', codeTable: 'faults' },
  ],
  codeTables: { faults: [{ from: '01', to: 'BRK' }] },
  write: { mode: 'upsert' },
  ...patch,
});
const base64 = (data: string | ArrayBuffer): string => Buffer.from(data as string).toString('base64');

describe('code tables', () => {
  let server: RunningServer;
  let standins: Standins;
  beforeAll(async () => {
    standins = await Standins.start(10);
    server = await RunningServer.start();
    await server.connect();
    server.file('faults.csv', 'no,fault\n1,01\n2,02\n3,02\n4,99\n');
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });
  const table = (name: string): Promise<any> => server.api('getCodeTable', 'GET', `/codes/${name}`); // eslint-disable-line @typescript-eslint/no-explicit-any

  it('fills what runs lack in one place, and brings the mappings up to date', async () => {
    const { mapping, plan } = await server.mapping(document('Faults'));
    expect(await server.run(plan)).toMatchObject({ counts: { failed: 3, delivered: 1 } });
    const [inMapping] = await server.api('listCodeTables', 'GET', '/codes');
    expect(inMapping).toMatchObject({ name: 'faults', kept: false, missing: 2 });
    await server.api('createCodeTable', 'POST', '/codes', { name: 'faults', codes: [{ from: '01', to: 'BRK' }] });
    const kept = await table('faults');
    expect(kept.missing.map((m: { from: string; failed: number }) => [m.from, m.failed])).toEqual([
      ['02', 2],
      ['99', 1],
    ]);
    expect(kept.usedIn).toMatchObject([{ mapping, lines: [2], same: true }]);
    expect((await server.api('waiting', 'GET', '/waiting')).codes).toBe(2);

    const codes = [...kept.codes, { from: '02', to: 'CHN', meaning: 'chain' }];
    const saved = await server.api('saveCodeTable', 'PUT', '/codes/faults', {
      description: '',
      codes,
      otherwise: 'ODD',
      translation: null,
      version: kept.version,
    });
    expect(saved.usedIn[0]).toMatchObject({ same: false, lacks: 1 });
    const stale = await server.ask('PUT', '/api/codes/faults', {
      description: '',
      codes,
      otherwise: null,
      translation: null,
      version: kept.version,
    });
    expect(stale.status).toBe(409);
    await server.api('bringUpToDate', 'POST', '/codes/faults/bring-up', { mappings: [mapping] });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const { run } = await server.api('replay', 'POST', '/failures/replay', {
      mapping,
      cause: 'code_not_found',
      line: 'l2',
    });
    expect(await server.ended(run)).toMatchObject({ counts: { delivered: 3, failed: 0 } });
    expect(await server.rows('faults')).toEqual([
      ['1', 'BRK'],
      ['2', 'CHN'],
      ['3', 'CHN'],
      ['4', 'ODD'],
    ]);
    expect((await table('faults')).missing).toEqual([]);
  });
  it('reads files of codes beside the table, names doubles, and refuses them in the table', async () => {
    await server.api('createCodeTable', 'POST', '/codes', {
      name: 'towns',
      codes: [
        { from: 'A', to: '1' },
        { from: 'Z', to: '26' },
      ],
    });
    const read = await server.api('readCodes', 'POST', '/code-files/read', {
      beside: 'towns',
      fileName: 'towns.csv',
      content: base64('Code;To;Description;Valid from\nA;1;first;\nB;2;;2026-01-01\nB;3;;\n'),
    });
    expect(read).toMatchObject({ added: 1, changed: 1, gone: 1, twice: ['B'] });
    expect(read.codes).toEqual([
      { from: 'A', to: '1', meaning: 'first' },
      { from: 'B', to: '2', validFrom: '2026-01-01' },
    ]);
    const book = new ExcelJS.Workbook();
    book.addWorksheet('Codes').addRows([
      ['from', 'to'],
      ['007', '0042'],
    ]);
    const xlsx = await server.api('readCodes', 'POST', '/code-files/read', {
      beside: 'towns',
      fileName: 'c.xlsx',
      content: base64((await book.xlsx.writeBuffer()) as ArrayBuffer),
    });
    expect(xlsx.codes).toEqual([{ from: '007', to: '0042' }]);
    const doubled = await server.ask('POST', '/api/codes', {
      name: 'double',
      codes: [
        { from: 'A', to: '1' },
        { from: 'A', to: '2' },
      ],
    });
    expect(doubled.body.detail).toMatch(/“A” stands in the table twice/);
    const broken = await server.ask('POST', '/api/code-files/read', {
      beside: 'towns',
      fileName: 'one.csv',
      content: base64('only\nx\n'),
    });
    expect(broken.body.detail).toMatch(/at least two columns/);
  });
  it('exports what computes nothing, and reads it back as it was', async () => {
    const codes = [
      { from: '=1+1', to: '@x', meaning: "'quoted" },
      { from: '-5', to: '+5' },
    ];
    await server.api('createCodeTable', 'POST', '/codes', { name: 'odd', codes });
    const csv = await (await fetch(`${server.address}/api/codes/odd/codes.csv`)).text();
    expect(csv).toContain("'=1+1,'@x,''quoted");
    const back = await server.api('readCodes', 'POST', '/code-files/read', {
      beside: 'odd',
      fileName: 'odd.csv',
      content: base64(csv),
    });
    expect(back).toMatchObject({ codes, added: 0, changed: 0, gone: 0 });
    const xlsx = await fetch(`${server.address}/api/codes/odd/codes.xlsx`);
    const again = await server.api('readCodes', 'POST', '/code-files/read', {
      beside: 'odd',
      fileName: 'odd.xlsx',
      content: base64(await xlsx.arrayBuffer()),
    });
    expect(again.codes).toEqual(codes);
  });
  it('asks an outside service for codes once, and says what it does not know', async () => {
    await server.api('createSystem', 'POST', '/systems', {
      id: 'translator',
      name: 'Translator',
      connection: { kind: 'http', base: standins.url('translator') },
    });
    await server.api('createCodeTable', 'POST', '/codes', { name: 'outside', codes: [] });
    const refused = await server.ask('POST', '/api/codes/outside/translate', { codes: ['01'] });
    expect(refused.body.detail).toMatch(/No outside service/);
    const translation = { system: 'translator', path: '/translate?code={code}', to: 'to' };
    await server.api('saveCodeTable', 'PUT', '/codes/outside', {
      description: '',
      codes: [],
      otherwise: null,
      translation,
      version: 1,
    });
    const first = await server.api('translateCodes', 'POST', '/codes/outside/translate', { codes: ['07', '99'] });
    expect(first[0]).toEqual({ from: '07', to: 'LGT', problem: null, cached: false });
    expect(first[1]).toMatchObject({ to: null, problem: expect.stringContaining('the fault code 99 is not known') });
    const before = await standins.requests('translator');
    const second = await server.api('translateCodes', 'POST', '/codes/outside/translate', { codes: ['07'] });
    expect(second[0]).toMatchObject({ to: 'LGT', cached: true });
    expect(await standins.requests('translator')).toBe(before);
  });
  it('takes codes only for the time in which they are valid', async () => {
    const codes = [
      { from: '01', to: 'OLD', validTo: '2020-12-31' },
      { from: '01', to: 'NEW', validFrom: '2021-01-01' },
    ];
    const { plan } = await server.mapping(
      document('Dated', { codeTables: { faults: codes }, codeDefaults: { faults: 'none' } }),
    );
    await server.run(plan);
    expect((await server.rows('dated')).map((r) => r[1])).toEqual(['NEW', 'none', 'none', 'none']);
  });
});
