import { mkdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('systems', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(() => server.close());
  const rows = async (
    query: string,
  ): Promise<{
    status: number;
    body: {
      rows: { row: number; file: string; values: (string | null)[]; problem: string | null }[];
      fields: string[];
      looked: number;
      more: boolean;
      detail: string;
    };
  }> => server.ask('GET', `/api/systems/files/rows?${query}`);

  describe('testing a connection', () => {
    it('says what a folder holds', async () => {
      server.file('a.csv', 'x;y\n1;2\n');
      const found = await server.api('testSystem', 'POST', '/systems/files/test');
      expect(found).toMatchObject({
        ok: true,
        message: 'The folder holds 1 file, 1 of which can be read as records.',
        sees: ['a.csv'],
      });
    });
    it('tells a missing folder from a file, and names the nearest', async () => {
      mkdirSync(join(server.home, 'exports'));
      const made = await server.api('createSystem', 'POST', '/systems', {
        id: 'gone',
        name: 'Gone',
        connection: { kind: 'folder', root: join(server.home, 'exprots') },
      });
      expect(made.diagnosis).toMatchObject({
        ok: false,
        code: 'no_such_folder',
        message: expect.stringMatching(/Did you mean .*exports\?/),
      });
      const file = await server.api('createSystem', 'POST', '/systems', {
        id: 'notfolder',
        name: 'File',
        connection: { kind: 'folder', root: join(server.folder, 'a.csv') },
      });
      expect(file.diagnosis).toMatchObject({ ok: false, code: 'not_a_folder' });
      expect((await server.api('waiting', 'GET', '/waiting')).systems).toBe(2);
      for (const id of ['gone', 'notfolder']) await server.api('deleteSystem', 'DELETE', `/systems/${id}`);
    });
    it('says that a folder has only folders, and counts empty files as none that can be read', async () => {
      const root = join(server.home, 'nested');
      mkdirSync(join(root, '2025'), { recursive: true });
      mkdirSync(join(root, '2026'));
      const made = await server.api('createSystem', 'POST', '/systems', {
        id: 'nested',
        name: 'Nested',
        connection: { kind: 'folder', root },
      });
      expect(made.diagnosis).toMatchObject({
        ok: true,
        message:
          'The folder is there, but it has no files of its own, only the folders 2025, 2026; connect one of these.',
      });
      writeFileSync(join(root, 'empty.csv'), '');
      writeFileSync(join(root, 'full.csv'), 'a\n1\n');
      expect(await server.api('testSystem', 'POST', '/systems/nested/test')).toMatchObject({
        message: 'The folder holds 2 files, 1 of which can be read as records.',
      });
      await server.api('deleteSystem', 'DELETE', '/systems/nested');
    });
    it('wants a full path, and an id that is free', async () => {
      expect(
        await server.ask('POST', '/api/systems', {
          id: 'rel',
          name: 'Rel',
          connection: { kind: 'folder', root: 'exports' },
        }),
      ).toMatchObject({ status: 422 });
      expect(
        await server.ask('POST', '/api/systems', {
          id: 'files',
          name: 'Again',
          connection: { kind: 'folder', root: server.folder },
        }),
      ).toMatchObject({ status: 409 });
    });
    it('keeps a system that is used', async () => {
      server.file('items.csv', 'no;name;price\n1;a;1,00\n');
      await server.api('createMapping', 'POST', '/mappings', { document: itemsDocument() });
      expect(await server.ask('DELETE', '/api/systems/files')).toMatchObject({
        status: 422,
        body: { detail: expect.stringContaining('Items to store (as source)') },
      });
    });
  });

  describe('a folder lets nothing out', () => {
    it('takes no path as a dataset', async () => {
      for (const name of ['../data/store/PG_VERSION', '..', '/etc/passwd', 'sub/x.csv', 'a.csv%00.csv'])
        expect((await rows(`dataset=${encodeURIComponent(decodeURIComponent(name))}`)).status).toBeGreaterThanOrEqual(
          400,
        );
    });
    it('does not follow a link out of the folder', async () => {
      writeFileSync(join(server.home, 'secret.csv'), 'a;b\n1;2\n');
      symlinkSync(join(server.home, 'secret.csv'), join(server.folder, 'link.csv'));
      symlinkSync('a.csv', join(server.folder, 'inside.csv'));
      const { status, body } = await rows('dataset=link.csv');
      expect(status).toBeGreaterThanOrEqual(400);
      expect(body.detail).not.toContain('1;2');
      expect((await rows('dataset=inside.csv')).body.rows).toHaveLength(1);
      const listed = await server.api('listDatasets', 'GET', '/systems/files/datasets');
      expect(listed.map((d) => d.name)).toContain('inside.csv');
      expect(listed.map((d) => d.name)).not.toContain('link.csv');
    });
  });

  describe('rows', () => {
    it('keeps text as it is, and says which rows it can’t read', async () => {
      server.file('odd.csv', 'id;v\n00417;1E5\n2;a;b\n"x\ny";\n');
      const { body } = await rows('dataset=odd.csv');
      expect(body.fields).toEqual(['id', 'v']);
      expect(body.rows.map((r) => r.values)).toEqual([['00417', '1E5'], [], ['x\ny', null]]);
      expect(body.rows[1]!.problem).toMatch(/The row has 3 cells where the header has 2/);
    });
    it('filters by a rule, and says what is wrong with one', async () => {
      expect((await rows(`dataset=odd.csv&filter=${encodeURIComponent("id = '00417'")}`)).body).toMatchObject({
        rows: [{ row: 1 }],
        looked: 3,
        more: false,
      });
      expect((await rows('dataset=odd.csv&filter=idd%20IS%20NULL')).body.detail).toMatch(
        /There is no field.*Did you mean/,
      );
      expect((await rows(`dataset=odd.csv&filter=${encodeURIComponent('length(id)')}`)).body.detail).toMatch(
        /A filter is a condition/,
      );
    });
    it('reads several files as one, and packed ones', async () => {
      server.file('part-1.csv', 'n\n1\n2\n');
      server.file('part-2.csv', 'n\n3\n');
      const { body } = await rows('dataset=part-*.csv');
      expect(body.rows.map((r) => [r.row, r.file, r.values[0]])).toEqual([
        [1, 'part-1.csv', '1'],
        [2, 'part-1.csv', '2'],
        [3, 'part-2.csv', '3'],
      ]);
      server.file('packed.csv.gz', gzipSync('n;m\n1;2\n'));
      expect((await rows('dataset=packed.csv.gz')).body.rows[0]!.values).toEqual(['1', '2']);
      server.file('cut.csv.gz', gzipSync(`n;m\n${'1;2\n'.repeat(60_000)}`).subarray(0, 200));
      expect((await rows('dataset=cut.csv.gz&filter=n%20IS%20NULL')).body.detail).toMatch(/damaged or cut short/);
    });
    it.each([
      ['empty.csv', '', /empty; there is nothing to read/],
      ['blank.csv', ' \n \n', /nothing but blanks/],
      ['twice.csv', 'a;b;a\n1;2;3\n', /two columns called “a” \(columns 1 and 3\)/],
      ['zip.csv', 'PK\u0003\u0004rest', /ZIP archive or a workbook/],
      ['book.xlsx', 'PK', /not a sound ZIP archive/],
    ])('says what is wrong with %s', async (name, content, sentence) => {
      server.file(name, content);
      const { status, body } = await rows(`dataset=${name}`);
      expect(status).toBeGreaterThanOrEqual(400);
      expect(body.detail).toMatch(sentence);
      expect(body.detail).toContain(name);
    });
    it('names the nearest file for one that is not there, and a folder as a folder', async () => {
      expect((await rows('dataset=itmes.csv')).body.detail).toMatch(/Did you mean “?items.csv/);
      mkdirSync(join(server.folder, 'folder.csv'));
      expect((await rows('dataset=folder.csv')).body.detail).toMatch(/folder/);
      rmSync(join(server.folder, 'folder.csv'), { recursive: true });
    });
    it('reads the embedded database, with the filter pushed down', async () => {
      server.file('items.csv', 'no;name;price\n1;a;1,00\n2;b;2,50\n');
      const { plan } = await server.mapping(itemsDocument());
      await server.run(plan);
      const reply = await server.ask(
        'GET',
        `/api/systems/store/rows?dataset=item&filter=${encodeURIComponent('price > 2')}`,
      );
      expect(reply.body.rows.map((r: { values: string[] }) => r.values)).toEqual([['2', 'b', '2.50']]);
      const structure = await server.api('getDataset', 'GET', '/systems/store/dataset?dataset=item');
      expect(structure.fields).toEqual([
        expect.objectContaining({ name: 'no', key: true, nullable: false }),
        expect.objectContaining({ name: 'name', nullable: true }),
        expect.objectContaining({ name: 'price', type: 'numeric(8,2)' }),
      ]);
      expect((await server.ask('GET', '/api/systems/store/rows?dataset=itme')).body.detail).toMatch(
        /Did you mean item/,
      );
    });
  });
});
