import { randomUUID } from 'node:crypto';
import ExcelJS from 'exceljs';
import type { MappingDocument } from '@versicle/core';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('mappings', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;a;1,00\n');
  });
  afterAll(() => server.close());

  const create = async (patch: Record<string, unknown> = {}) =>
    server.api('createMapping', 'POST', '/mappings', { document: itemsDocument('items.csv', patch) });
  const withRule = (document: MappingDocument, rule: string): MappingDocument => ({
    ...document,
    lines: document.lines.map((l) => (l.id === 'l3' ? { ...l, rule } : l)),
  });

  it('saves a draft, and refuses one that began from an older state', async () => {
    const made = await create();
    const changed = withRule(made.document, "parse_number(replace(i.price, '.', ','), ',')");
    const saved = await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, {
      document: changed,
      version: made.version,
    });
    expect(saved.version).toBe(made.version + 1);
    const late = await server.ask('PUT', `/api/mappings/${made.id}/draft`, {
      document: made.document,
      version: made.version,
    });
    expect(late).toMatchObject({ status: 409, body: { detail: expect.stringContaining('another page') } });
    expect((await server.api('getMapping', 'GET', `/mappings/${made.id}`)).document).toEqual(changed);
  });
  it('tells a browser that left whether its save arrived', async () => {
    const made = await create();
    const [save, late] = [randomUUID(), randomUUID()];
    const arrived = async (name: string): Promise<boolean> =>
      (await server.api('arrivedSave', 'GET', `/mappings/${made.id}/saves/${name}`)).arrived;
    expect(await arrived(save)).toBe(false);
    const body = { document: made.document, version: made.version };
    await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, { ...body, save });
    expect((await server.ask('PUT', `/api/mappings/${made.id}/draft`, { ...body, save: late })).status).toBe(409);
    expect([await arrived(save), await arrived(late)]).toEqual([true, false]);
    const nonsense = await server.ask('GET', `/api/mappings/${made.id}/saves/1`);
    expect(nonsense.status).toBe(400);
  });

  it('suggests what could fill the lines to map, also from other mappings', async () => {
    server.file('goods.csv', 'number;title;cost;weight\n1;Bell;1,50;3\n2;Lamp;22,10;5\n');
    await create({ name: 'Learned from', target: { ...(itemsDocument().target as object), dataset: 'store/learned' } });
    const target = {
      dataset: 'store/goods',
      key: ['no'],
      fields: [
        { name: 'no', type: 'varchar(8)' },
        { name: 'name', type: 'text' },
        { name: 'price', type: 'numeric(8,2)' },
        { name: 'colour', type: 'text' },
      ],
    };
    const made = await create({
      name: 'To map',
      source: { primary: { alias: 'g', dataset: 'files/goods.csv' } },
      target,
      lines: [],
    });
    const list = await server.api('suggestLines', 'GET', `/mappings/${made.id}/suggestions`);
    expect(list.map((s) => [s.target, s.rule ?? s.source]).sort()).toEqual([
      ['name', 'g.title'],
      ['no', 'g.number'],
      ['price', "parse_number(g.cost, ',', '.')"],
    ]);
    const learned = await create({
      name: 'Learns',
      target: { ...(itemsDocument().target as object), dataset: 'store/learned' },
      lines: [],
    });
    const again = await server.api('suggestLines', 'GET', `/mappings/${learned.id}/suggestions`);
    expect(again.find((s) => s.target === 'price')).toMatchObject({
      rule: "parse_number(i.price, ',')",
      reason: expect.stringContaining('filled so in “Learned from”'),
    });
  });

  it('takes a revision up again as the draft, and refuses a save that did not know of it', async () => {
    const made = await create({ name: 'Restored' });
    await server.api('publish', 'POST', `/mappings/${made.id}/publish`, { note: 'First' });
    const changed = { ...made.document, purpose: 'Another one' };
    const saved = await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, {
      document: changed,
      version: made.version,
    });
    await server.api('publish', 'POST', `/mappings/${made.id}/publish`, { note: 'Second' });
    const restored = await server.api('restoreRevision', 'POST', `/mappings/${made.id}/revisions/1/restore`);
    expect(restored.document).toEqual(made.document);
    expect(restored).toMatchObject({ revision: 2, version: saved.version + 1 });
    const late = await server.ask('PUT', `/api/mappings/${made.id}/draft`, {
      document: changed,
      version: saved.version,
    });
    expect(late.status).toBe(409);
    expect((await server.ask('POST', `/api/mappings/${made.id}/revisions/9/restore`)).status).toBe(404);
  });
  it('gives the draft as a workbook, and reads it back with what changed meanwhile', async () => {
    const made = await create({ name: 'By workbook' });
    const answer = await fetch(`${server.address}/api/mappings/${made.id}/workbook.xlsx`);
    expect(answer.headers.get('content-type')).toContain('spreadsheetml');
    const book = new ExcelJS.Workbook();
    await book.xlsx.load(await answer.arrayBuffer());
    const sheet = book.getWorksheet('Mapping')!;
    const column = (name: string): number => (sheet.getRow(1).values as string[]).indexOf(name);
    sheet.getCell(2, column('Note')).value = 'answered';
    const content = Buffer.from(await book.xlsx.writeBuffer()).toString('base64');
    // Meanwhile somebody changed another line, and the note of the same one.
    const [first, second, ...others] = made.document.lines;
    const changed = { ...made.document, lines: [first!, { ...second!, note: 'mine' }, ...others] };
    const saved = await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, {
      document: changed,
      version: made.version,
    });
    const body = { fileName: 'back.xlsx', content };
    const back = await server.api('readWorkbook', 'POST', `/mappings/${made.id}/workbook`, body);
    expect(back).toMatchObject({ ofOther: null, clashes: [], difference: { lines: [{ line: first!.id }] } });
    expect(back.document.lines[1]).toMatchObject({ note: 'mine' });
    await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, {
      document: { ...changed, lines: [{ ...first!, note: 'otherwise' }, ...changed.lines.slice(1)] },
      version: saved.version,
    });
    const clashing = await server.api('readWorkbook', 'POST', `/mappings/${made.id}/workbook`, body);
    expect(clashing.clashes).toEqual([{ what: first!.target, line: first!.id }]);
    sheet.getCell(3, column('State')).value = 'approved';
    const odd = await server.api('readWorkbook', 'POST', `/mappings/${made.id}/workbook`, {
      fileName: 'odd.xlsx',
      content: Buffer.from(await book.xlsx.writeBuffer()).toString('base64'),
    });
    expect(odd.mistaken).toEqual([
      {
        sheet: 'Mapping',
        row: 3,
        column: 'State',
        value: 'approved',
        says: expect.stringContaining('“approved” is none of the words'),
        choices: ['to map', 'question', 'drafted', 'agreed'],
      },
    ]);
    expect(odd.document.lines[1]!.state).toBe('drafted');
    expect(odd.document.lines[0]!.note).toBe('answered');
    const other = await create({ name: 'Another' });
    expect(await server.api('readWorkbook', 'POST', `/mappings/${other.id}/workbook`, body)).toMatchObject({
      ofOther: made.id,
    });
    const wrong = await server.ask('POST', `/api/mappings/${made.id}/workbook`, {
      fileName: 'x.xlsx',
      content: 'AAAA',
    });
    expect(wrong.body.detail).toContain('x.xlsx');
  });
  it('shows the lines of all mappings together', async () => {
    const document = itemsDocument();
    const made = await create({
      name: 'Seen among all',
      target: { ...(document.target as object), dataset: 'store/among_all' },
      questions: [{ id: 'q1', line: 'l1', text: 'Which?', to: 'Oda Fenn' }],
    });
    const lines = (await server.api('listLines', 'GET', '/lines')).filter((l) => l.mapping === made.id);
    expect(lines.map((l) => l.field)).toEqual(made.document.target.fields.map((f) => f.name));
    expect(lines[0]).toMatchObject({ number: 1, questions: 1, waitsFor: ['Oda Fenn'], target: 'store/among_all' });
    expect(lines[2]).toMatchObject({ stateBy: null, stateAt: null });
    const agreed = made.document.lines.map((l) => (l.id === 'l3' ? { ...l, state: 'agreed' as const } : l));
    const by = { 'X-Person': encodeURIComponent('Zoë Fenn') };
    await server.ask(
      'PUT',
      `/api/mappings/${made.id}/draft`,
      { document: { ...made.document, lines: agreed }, version: 1 },
      by,
    );
    const signed = (await server.api('listLines', 'GET', '/lines')).find(
      (l) => l.mapping === made.id && l.line === 'l3',
    );
    expect(signed).toMatchObject({ state: 'agreed', stateBy: 'Zoë Fenn', stateAt: expect.stringMatching(/^20\d\d-/) });
  });
  it('keeps words of one meaning, and suggests by them', async () => {
    server.file('quays.csv', 'berths\n12\n14\n');
    const made = await create({
      name: 'Quays',
      source: { primary: { alias: 'q', dataset: 'files/quays.csv' } },
      target: { dataset: 'store/quays', fields: [{ name: 'moorings', type: 'integer' }] },
      lines: [],
    });
    const suggested = async (): Promise<(string | undefined)[]> =>
      (await server.api('suggestLines', 'GET', `/mappings/${made.id}/suggestions`)).map((s) => s.source);
    expect(await server.api('getSynonyms', 'GET', '/synonyms')).toEqual({ groups: [] });
    expect(await suggested()).toEqual([]);
    const wrong = await server.ask('PUT', '/api/synonyms', { groups: [['alone']] });
    expect(wrong.body.detail).toContain('needs two words');
    await server.api('setSynonyms', 'PUT', '/synonyms', { groups: [['Berths', 'moorings']] });
    expect(await suggested()).toEqual(['q.berths']);
  });
  it('publishes revisions that never change, and tells drafts from them line by line', async () => {
    const made = await create();
    const first = await server.api('publish', 'POST', `/mappings/${made.id}/publish`, { note: 'First' });
    expect(first).toMatchObject({ number: 1, note: 'First', publishedBy: 'Ines Marlowe' });
    expect(await server.ask('POST', `/api/mappings/${made.id}/publish`, {})).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('nothing to publish') },
    });
    const changed = withRule(made.document, 'i.price::numeric');
    const saved = await server.api('saveDraft', 'PUT', `/mappings/${made.id}/draft`, {
      document: changed,
      version: made.version,
    });
    expect(saved.changedLines).toEqual(['l3']);
    const difference = await server.api('difference', 'GET', `/mappings/${made.id}/difference?from=1&to=draft`);
    expect(difference).toEqual({
      from: '1',
      to: 'draft',
      other: [],
      lines: [
        {
          line: 'l3',
          target: 'price',
          change: 'changed',
          parts: [{ part: 'rule', before: "parse_number(i.price, ',')", after: 'i.price::numeric' }],
        },
      ],
    });
    await server.api('publish', 'POST', `/mappings/${made.id}/publish`, {});
    expect((await server.api('getRevision', 'GET', `/mappings/${made.id}/revisions/1`)).lines).toEqual(
      made.document.lines,
    );
    expect((await server.api('listRevisions', 'GET', `/mappings/${made.id}/revisions`)).map((r) => r.number)).toEqual([
      2, 1,
    ]);
    expect(await server.ask('GET', `/api/mappings/${made.id}/difference?from=1&to=third`)).toMatchObject({
      status: 422,
    });
    expect(await server.ask('GET', `/api/mappings/${made.id}/revisions/9`)).toMatchObject({ status: 404 });
  });

  it.each([
    [
      'a field that the source does not have',
      { lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'i.nmae' }] },
      /no field.*Did you mean/i,
    ],
    ['an unknown function', { lines: [{ id: 'l1', target: 'no', kind: 'rule', rule: 'uper(i.no)' }] }, /uper.*upper/],
    [
      'a type that does not exist',
      { target: { dataset: 'store/item', fields: [{ name: 'no', type: 'varchr(8)' }] } },
      /no type “varchr\(8\)”.*Did you mean varchar/,
    ],
    [
      'a key given twice',
      { target: { ...(itemsDocument()['target'] as object), key: ['no', 'no'] } },
      /“no” stands twice in the key/,
    ],
    [
      'a required field that nothing fills',
      { lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'i.no' }] },
      /Price \(price\) is required, but no line fills it/,
    ],
    ['upsert without a key', { target: { ...(itemsDocument()['target'] as object), key: [] } }, /upsert needs a key/],
  ])('refuses to publish %s', async (_what, patch, sentence) => {
    const made = await create(patch);
    const reply = await server.ask('POST', `/api/mappings/${made.id}/publish`, {});
    expect(reply.status).toBe(422);
    expect(reply.body.faults.map((f: { message: string }) => f.message).join('\n')).toMatch(sentence);
  });

  it('refuses to publish when the source can’t be read, and says so', async () => {
    const made = await create({ source: { primary: { alias: 'i', dataset: 'files/itms.csv' } } });
    const reply = await server.ask('POST', `/api/mappings/${made.id}/publish`, {});
    expect(reply.body.detail).toMatch(/itms\.csv.*Did you mean “?items\.csv/);
    const elsewhere = await create({ source: { primary: { alias: 'i', dataset: 'fils/items.csv' } } });
    expect((await server.ask('POST', `/api/mappings/${elsewhere.id}/publish`, {})).body.detail).toMatch(
      /no system “fils”.*Did you mean files/,
    );
  });

  it('refuses what is no mapping document, with every path', async () => {
    const reply = await server.ask('POST', '/api/mappings', { document: { ...itemsDocument(), versicle: 2 } });
    expect(reply.status).toBe(400);
    const odd = await server.ask('POST', '/api/mappings', {
      document: { ...itemsDocument(), colour: 'red', lines: [{ id: 'l 1', target: 'no' }] },
    });
    expect(odd.body.faults.map((f: { path: string }) => f.path)).toEqual(
      expect.arrayContaining(['document.lines.0.id', 'document']),
    );
  });

  it('lists mappings with their states and open questions', async () => {
    const lines = (itemsDocument()['lines'] as object[]).map((l, i) => ({
      ...l,
      state: i === 0 ? 'agreed' : i === 1 ? 'question' : 'drafted',
    }));
    const questions = [{ id: 'q1', line: 'l2', text: 'Which names?', to: 'Oda Fenn' }];
    const { id } = await create({ name: 'Asked about', lines, questions });
    const summary = (await server.api('listMappings', 'GET', '/mappings')).find((m) => m.id === id);
    expect(summary).toMatchObject({
      states: { agreed: 1, question: 1, drafted: 1 },
      revision: null,
      source: 'files/items.csv',
    });
    const today = await server.api('today', 'GET', '/today');
    expect(today.questions).toEqual([
      expect.objectContaining({ mapping: id, number: 2, text: 'Which names?', to: 'Oda Fenn' }),
    ]);
    expect((await server.api('waiting', 'GET', '/waiting')).mappings).toBe(1);
  });
});
