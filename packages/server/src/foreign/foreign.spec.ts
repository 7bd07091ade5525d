import ExcelJS from 'exceljs';
import { RunningServer } from '../testing/running-server.ts';

describe('mapping spreadsheets of other people', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('members.csv', 'member_no,name,tariff\n1,Ann,A\n');
  });
  afterAll(() => server.close());
  async function workbook(): Promise<string> {
    const book = new ExcelJS.Workbook();
    book.addWorksheet('Cover').addRow(['Tidebridge migration']);
    const sheet = book.addWorksheet('Fields');
    sheet.addRows([
      ['Members'],
      [],
      ['SOURCE', null, 'TARGET', null, null],
      ['Field', 'Type', 'Field', 'Type', 'Rule'],
      ['member_no', 'char(6)', 'no', 'varchar(6)', 'straight'],
      ['tariff', 'char(1)', 'plan', 'varchar(20)', 'lookup Tariffs'],
      ['name', 'char(20)', 'greeting', 'text', 'something polite'],
    ]);
    sheet.mergeCells('A3:B3');
    sheet.mergeCells('C3:D3');
    book.addWorksheet('Tariffs').addRows([
      ['Old code', 'New code'],
      ['A', 'MONTHLY'],
    ]);
    return Buffer.from(await book.xlsx.writeBuffer()).toString('base64');
  }

  it('are looked at, matched, read and become a mapping that runs', async () => {
    const file = { fileName: 'theirs.xlsx', content: await workbook() };
    const { sheets } = await server.api('lookAtForeign', 'POST', '/foreign/look', file);
    expect(sheets.map((s) => [s.name, s.holds, s.headerRow])).toEqual([
      ['Cover', 'something else', 0],
      ['Fields', 'lines', 3],
      ['Tariffs', 'codes', 0],
    ]);
    const [, fields, tariffs] = sheets;
    expect(fields!.columns).toEqual(['source name', 'source type', 'target name', 'target type', 'rule']);
    const layout = (s: typeof fields): object => ({ sheet: s!.name, headerRow: s!.headerRow, columns: s!.columns });
    const asked = {
      ...file,
      name: 'Theirs',
      lines: layout(fields),
      codes: [layout(tariffs)],
      source: 'files/members.csv',
      target: 'store/theirs',
      targetTable: null,
    };
    const read = await server.api('readForeign', 'POST', '/foreign/read', asked);
    expect(read).toMatchObject({ understood: 2, toMap: 1 });
    const { plan } = await server.mapping(read.document);
    expect(await server.run(plan)).toMatchObject({ counts: { delivered: 1 } });
    expect(await server.rows('theirs')).toEqual([['1', 'MONTHLY', null]]);
  });
  it('are remembered by their headings', async () => {
    const file = {
      fileName: 'b.csv',
      content: Buffer.from('Feldchen;Woher;Wie\nno;member_no;straight\n').toString('base64'),
    };
    const [before] = (await server.api('lookAtForeign', 'POST', '/foreign/look', file)).sheets;
    expect(before).toMatchObject({ remembered: false });
    const lines = { sheet: before!.name, headerRow: 0, columns: ['target name', 'source name', 'rule'] };
    await server.api('readForeign', 'POST', '/foreign/read', {
      ...file,
      name: 'B',
      lines,
      codes: [],
      source: 'files/members.csv',
      target: 'store/b',
      targetTable: null,
    });
    const [after] = (await server.api('lookAtForeign', 'POST', '/foreign/look', file)).sheets;
    expect(after!.columns).toEqual(['target name', 'source name', 'rule']);
  });
  it('that can’t be read are refused in a sentence', async () => {
    const broken = await server.ask('POST', '/api/foreign/look', {
      fileName: 'x.xlsx',
      content: Buffer.from('no workbook').toString('base64'),
    });
    expect(broken.status).toBe(422);
    expect(broken.body.detail).toContain('x.xlsx');
    const csv = { fileName: 'c.csv', content: Buffer.from('a,b\n1,2\n').toString('base64') };
    const asked = { ...csv, name: 'C', codes: [], source: 'files/members.csv', target: 'store/c', targetTable: null };
    const noName = await server.ask('POST', '/api/foreign/read', {
      ...asked,
      lines: { sheet: 'c.csv', headerRow: 0, columns: [null, null] },
    });
    expect(noName.body.detail).toMatch(/which column names the target/);
    const noRow = await server.ask('POST', '/api/foreign/read', {
      ...asked,
      lines: { sheet: 'c.csv', headerRow: 9, columns: ['target name', null] },
    });
    expect(noRow.body.detail).toMatch(/row 10 can’t be its header/);
  });
});
