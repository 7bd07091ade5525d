import { directDatabase } from '../testing/direct-database.ts';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';
import { findUses } from './uses.ts';

describe('who uses what', () => {
  it('follows each save, and going back to a revision', async () => {
    const server = await RunningServer.start();
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;Kit;1,50\n');
    const { mapping } = await server.mapping(itemsDocument());
    const usedBy = async (system: string): Promise<unknown> =>
      (await server.api('getSystem', 'GET', `/systems/${system}`)).usedBy.map((u) => `${u.id} ${u.as}`);
    expect(await usedBy('files')).toEqual([`${mapping} source`]);

    const { document, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const elsewhere = {
      ...document,
      name: 'Elsewhere',
      source: { ...document.source, primary: { ...document.source.primary, dataset: 'gone/items.csv' } },
      codeTables: { ...document.codeTables, extra: [{ from: 'A', to: 'B' }] },
    };
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, { document: elsewhere, version });
    expect(await usedBy('files')).toEqual([]);
    const tables = await server.api('listCodeTables', 'GET', '/codes');
    expect(tables.find((t) => t.name === 'extra')!.usedIn).toMatchObject([{ mapping, name: 'Elsewhere', lines: [] }]);
    // A save that is refused changes nothing.
    const late = await server.ask('PUT', `/api/mappings/${mapping}/draft`, { document, version });
    expect(late.status).toBe(409);
    expect(await usedBy('files')).toEqual([]);

    await server.api('restoreRevision', 'POST', `/mappings/${mapping}/revisions/1/restore`, {});
    expect(await usedBy('files')).toEqual([`${mapping} source`]);
    expect((await server.api('listCodeTables', 'GET', '/codes')).map((t) => t.name)).not.toContain('extra');
    await server.close();
  });

  it('is found for the drafts of an older store; what is no document any more stops nobody', async () => {
    const db = await directDatabase();
    const text = JSON.stringify(itemsDocument());
    await db.query(
      "INSERT INTO mapping (id, draft, name) VALUES ('a', $1, 'a'), ('b', '{\"name\": \"no document\"}', 'b')",
      [text],
    );
    await findUses(db);
    await findUses(db);
    const rows = await db.query('SELECT DISTINCT mapping, name FROM mapping_use WHERE line IS NULL ORDER BY 1, 2');
    expect(rows.length).toBeGreaterThan(1);
    expect(new Set(rows.map((r) => r['mapping']))).toEqual(new Set(['a']));
    const whole = await db.query("SELECT count(*) AS n FROM mapping_use WHERE role = 'primary' AND field IS NULL");
    expect(Number(whole[0]!['n'])).toBe(1);
    const names = await db.query('SELECT id, name FROM mapping ORDER BY id');
    expect(names).toEqual([
      { id: 'a', name: itemsDocument()['name'] },
      { id: 'b', name: 'b' },
    ]);
    await db.close();
  });
});
