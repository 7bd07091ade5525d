import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { directDatabase } from '../../testing/direct-database.ts';
import { notebook } from '../../testing/kinds/notebook/notebook.ts';
import { Secrets } from '../../store/secrets.ts';
import { EmbeddedHere } from '../embedded-databases.ts';
import { Systems } from '../systems.ts';
import { kinds } from './index.ts';

describe('a new kind', () => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-kinds-'));
  let systems: Systems;
  let close: () => Promise<void>;
  beforeAll(async () => {
    const db = await directDatabase();
    systems = new Systems(
      db,
      new EmbeddedHere(home, undefined),
      Secrets.open(join(home, 'key'), undefined),
      kinds.and(notebook),
    );
    close = () => db.close();
  });
  afterAll(async () => {
    await systems.close();
    await close();
    rmSync(home, { recursive: true });
  });

  it('is offered with its own form and words', () => {
    expect(systems.kinds.shown().at(-1)).toMatchObject({
      kind: 'notebook',
      words: 'Notebook',
      entries: [
        { name: 'shelf', title: 'Shelf', type: 'text', required: true },
        { name: 'pages', title: 'Pages', type: 'number', required: false, initial: '3' },
        { name: 'clasp', title: 'Clasp', secret: true, required: false },
      ],
    });
  });
  it('says what is wrong with a connection by the names of its entries', async () => {
    const create = (connection: object): Promise<unknown> =>
      systems.create({ id: 'diary', name: 'Diary', connection: connection as never });
    await expect(create({ kind: 'notebook' })).rejects.toThrow('Shelf: something must stand here.');
    await expect(create({ kind: 'notebook', shelf: 'a', pages: 'many' })).rejects.toThrow(/^Pages: /);
    await expect(create({ kind: 'notebook', shelf: 'attic' })).rejects.toThrow('Nobody goes to the attic.');
    await expect(create({ kind: 'notebok', shelf: 'a' })).rejects.toThrow(
      'There is no kind of system called “notebok”. Did you mean notebook?',
    );
  });
  it('is connected, keeps its secret under lock, and is read like any other', async () => {
    const made = await systems.create({
      id: 'diary',
      name: 'Diary',
      connection: { kind: 'notebook', shelf: 'a', pages: '4' },
    });
    expect(made).toMatchObject({
      where: 'diary on shelf a',
      connection: { kind: 'notebook', shelf: 'a', pages: 4 },
      facts: { words: 'Notebook' },
      secretsSet: ['clasp'],
      diagnosis: { ok: true, message: 'It has 4 pages.' },
    });
    expect(made.madeSecret).toHaveLength(32);
    expect(JSON.stringify(await systems.list())).not.toContain(made.madeSecret);
    expect((await systems.datasets('diary')).map((d) => d.name)).toEqual(['notes']);
    const rows = await systems.rows('diary', 'notes', { filter: "page = '3'", sort: null, limit: 10 });
    expect(rows.rows.map((r) => r.values)).toEqual([['3', 'line 3']]);
  });
  it('asks for its secret again when it goes somewhere else', async () => {
    await expect(
      systems.change('diary', { name: 'Diary', connection: { kind: 'notebook', shelf: 'b' } }),
    ).rejects.toThrow('Give its secrets again.');
  });
});
