import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('the life of a document', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;a;1,50\n');
  });
  afterAll(() => server.close());
  const as = (person: string): Record<string, string> => ({ 'X-Person': encodeURIComponent(person) });

  it('knows who did and said what about a line', async () => {
    const { id, document } = await server.api('createMapping', 'POST', '/mappings', { document: itemsDocument() });
    let version = 1;
    const save = async (person: string, patch: object): Promise<void> => {
      const lines = document.lines.map((l) => (l.id === 'l3' ? { ...l, ...patch } : l));
      const saved = await server.ask(
        'PUT',
        `/api/mappings/${id}/draft`,
        { document: { ...document, lines }, version },
        as(person),
      );
      expect(saved.status).toBe(200);
      version = saved.body.version;
    };
    await save('Oda Fenn', { rule: 'parse_number(i.price)' });
    await save('Oda Fenn', { rule: "parse_number(i.price, ',', '.')" });
    await save('Kit Zoë Hale', { rule: "parse_number(i.price, ',', '.')", state: 'agreed' });
    const said = await server.ask(
      'POST',
      `/api/mappings/${id}/lines/l3/comments`,
      { text: 'Groups may come, too.' },
      as('Oda Fenn'),
    );
    const history = said.body.map((e: { what: string; by: string; parts: unknown; message: string }) => [
      e.what,
      e.by,
      e.message,
      e.parts,
    ]);
    expect(history).toEqual([
      ['comment', 'Oda Fenn', 'Groups may come, too.', []],
      ['state', 'Kit Zoë Hale', '', [{ part: 'state', before: 'drafted', after: 'agreed' }]],
      [
        'edited',
        'Oda Fenn',
        '',
        [{ part: 'rule', before: "parse_number(i.price, ',')", after: "parse_number(i.price, ',', '.')" }],
      ],
    ]);
    const back = await server.ask('PUT', `/api/mappings/${id}/draft`, { document, version }, as('Oda Fenn'));
    expect(back.status).toBe(200);
    const now = await server.api('lineHistory', 'GET', `/mappings/${id}/lines/l3/history`);
    // Oda's edit went back to where it was: only the states and the comment are left of it.
    expect(now.filter((e) => e.what === 'edited')).toEqual([]);
    expect((await server.ask('POST', `/api/mappings/${id}/lines/l3/comments`, { text: '  ' })).status).toBe(400);
  });

  it('knows why: whoever changed a line says so, and the note of the revision that it went out with stands beside it', async () => {
    const { id, document } = await server.api('createMapping', 'POST', '/mappings', {
      document: { ...itemsDocument(), name: 'With reasons' },
    });
    await server.ask('POST', `/api/mappings/${id}/publish`, { note: 'The first prices' }, as('Oda Fenn'));
    const lines = document.lines.map((l) => (l.id === 'l3' ? { ...l, note: 'Prices have a comma.' } : l));
    await server.ask(
      'PUT',
      `/api/mappings/${id}/draft`,
      { document: { ...document, lines }, version: 1 },
      as('Kit Hale'),
    );
    await server.ask('POST', `/api/mappings/${id}/publish`, { note: 'Said how prices are written' }, as('Oda Fenn'));
    const history = `/api/mappings/${id}/lines/l3/history`;
    const mine = async (person: string) => (await server.ask('GET', history, undefined, as(person))).body;
    const edited = (await mine('Kit Hale')).find((e: { what: string }) => e.what === 'edited');
    expect(edited).toMatchObject({ yours: true, why: '' });
    const say = (person: string, event: number, why: string) =>
      server.ask('PUT', `${history}/${event}/why`, { why }, as(person));
    const refused = await say('Oda Fenn', edited.id, 'I guess');
    expect([refused.status, refused.body.detail]).toEqual([
      422,
      'Kit Hale did this, and only Kit Hale can say why. Write a comment.',
    ]);
    expect((await say('Kit Hale', 999_999, 'Nothing there')).status).toBe(404);
    expect((await say('Kit Hale', edited.id, 'x'.repeat(1001))).status).toBe(400);
    await say('Kit Hale', edited.id, 'The depot asked');
    const told = (await mine('Oda Fenn')).map((e: Record<string, unknown>) => [
      e['what'],
      e['by'],
      e['message'],
      e['why'],
      e['yours'],
      e['revision'],
    ]);
    expect(told).toEqual([
      ['published', 'Oda Fenn', 'Said how prices are written', '', false, 2],
      ['edited', 'Kit Hale', '', 'The depot asked', false, null],
      ['published', 'Oda Fenn', 'The first prices', '', false, 1],
    ]);
    // A line that did not change has only the revision that it began with.
    const other = await server.api('lineHistory', 'GET', `/mappings/${id}/lines/l1/history`);
    expect(other.map((e) => e.revision)).toEqual([1]);
  });

  it('begins a document with a starter, and keeps one', async () => {
    server.file('people.csv', 'Member No,Name,Joined,Town\n1,"Fenn, Oda",03.08.2019,Harbour\n');
    const starters = await server.api('listStarters', 'GET', '/starters');
    expect(starters.filter((s) => s.shipped)).toHaveLength(3);
    const people = starters.find((s) => s.name.startsWith('People'))!;
    const made = await server.api('useStarter', 'POST', `/starters/${people.id}/use`, {
      name: 'New people',
      source: 'files/people.csv',
      target: 'store/person',
    });
    const line = (target: string) => made.document.lines.find((l) => l.target === target)!;
    expect(line('external_no')).toMatchObject({ kind: 'straight', source: 's."Member No"', state: 'drafted' });
    expect(line('joined_on')).toMatchObject({
      rule: `parse_date(s."Joined", 'DD.MM.YYYY')`,
      condition: `s."Joined" <> '00.00.0000'`,
    });
    expect(line('born_on')).toMatchObject({ state: 'to map', note: expect.stringContaining('parse_date(s.born') });
    expect(line('born_on').kind).toBeUndefined();
    const kept = await server.api('keepStarter', 'POST', '/starters', { mapping: made.id, name: 'Our people' });
    expect(kept).toMatchObject({ shipped: false, lines: 10 });
    const again = await server.api('useStarter', 'POST', `/starters/${kept.id}/use`, {
      name: 'Again',
      source: 'files/people.csv',
      target: 'store/person2',
    });
    expect(again.document.lines[0]).toMatchObject({ source: 's."Member No"' });
    expect((await server.ask('DELETE', `/api/starters/${people.id}`)).status).toBe(422);
    await server.api('removeStarter', 'DELETE', `/starters/${kept.id}`);
    expect(await server.api('listStarters', 'GET', '/starters')).toHaveLength(3);
  });
});
