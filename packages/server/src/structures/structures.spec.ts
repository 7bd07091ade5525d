import { stringify } from 'yaml';
import { RunningServer, itemsDocument, type Reply } from '../testing/running-server.ts';
import { Standins } from '../testing/standins.ts';

describe('structures', () => {
  let server: RunningServer;
  let standins: Standins;
  const bring = (system: string, dataset: string | null, fileName: string, content: string): Promise<Reply> =>
    server.ask('POST', `/api/systems/${system}/structures`, {
      dataset,
      fileName,
      content: Buffer.from(content).toString('base64'),
    });
  const describeDataset = async (dataset: string, system = 'files'): Promise<Reply['body']> =>
    (await server.ask('GET', `/api/systems/${system}/dataset?dataset=${dataset}`)).body;
  beforeAll(async () => {
    standins = await Standins.start(200);
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });

  it('keeps versions, says what changed, and which lines it touches', async () => {
    server.file('items.csv', 'no;name;price\n1;a;1,50\n');
    await server.mapping(itemsDocument());
    await describeDataset('items.csv');
    server.file('items.csv', 'no;title;price;colour\n1;a;1,50;red\n');
    await describeDataset('items.csv');
    await describeDataset('items.csv');
    const { body } = await server.ask('GET', '/api/systems/files/structures?dataset=items.csv');
    expect(body.map((v: { number: number; source: string }) => [v.number, v.source])).toEqual([
      [2, 'read from the system'],
      [1, 'read from the system'],
    ]);
    expect(body[0].changes).toEqual([
      {
        what: 'removed',
        field: 'name',
        before: 'text',
        after: null,
        touches: [{ mapping: 'items-to-store', name: 'Items to store', line: 'l2', number: 2 }],
      },
      { what: 'added', field: 'title', before: null, after: 'text', touches: [] },
      { what: 'added', field: 'colour', before: null, after: 'text', touches: [] },
    ]);
  });
  it('takes types and descriptions from an XML Schema', async () => {
    server.file(
      'orders.xml',
      '<export><order no="1"><bike>0007501</bike></order><order no="2"><bike>0007502</bike></order></export>',
    );
    const xsd = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="export"><xs:complexType><xs:sequence>
      <xs:element name="order" maxOccurs="unbounded"><xs:complexType><xs:sequence>
        <xs:element name="bike"><xs:annotation><xs:documentation>Seven digits</xs:documentation></xs:annotation>
          <xs:simpleType><xs:restriction base="xs:string"><xs:maxLength value="7"/></xs:restriction></xs:simpleType></xs:element>
      </xs:sequence><xs:attribute name="no" type="xs:int" use="required"/></xs:complexType></xs:element>
    </xs:sequence></xs:complexType></xs:element></xs:schema>`;
    expect((await bring('files', 'orders.xml', 'orders.xsd', xsd)).body).toEqual({
      what: 'the schema orders.xsd',
      datasets: [{ name: 'orders.xml', fields: 2, added: [] }],
    });
    const { fields } = await describeDataset('orders.xml');
    expect(fields.find((f: { name: string }) => f.name === 'bike')).toMatchObject({
      type: 'varchar(7)',
      nullable: false,
      description: 'Seven digits',
    });
    expect(fields.find((f: { name: string }) => f.name === '@no')).toMatchObject({ type: 'integer', nullable: false });
  });
  it('reads what a description tells of, though no record has had it yet', async () => {
    server.file('visits.xml', '<export><visit><bike>7501</bike></visit><visit><bike>7502</bike></visit></export>');
    const text = (name: string, more = ''): string => `<xs:element name="${name}" type="xs:string" ${more}/>`;
    const group = (name: string, inner: string, more = ''): string =>
      `<xs:element name="${name}" ${more}><xs:complexType><xs:sequence>${inner}</xs:sequence></xs:complexType></xs:element>`;
    const visit = `${text('bike')}${text('note', 'minOccurs="0"')}${group('part', text('no'), 'minOccurs="0" maxOccurs="unbounded"')}`;
    const xsd = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">${group('export', group('visit', visit, 'maxOccurs="unbounded"'))}</xs:schema>`;
    expect((await bring('files', 'visits.xml', 'visits.xsd', xsd)).body.datasets).toEqual([
      { name: 'visits.xml', fields: 2, added: ['note', 'part/no'] },
    ]);
    const detail = await describeDataset('visits.xml');
    expect(detail.fields.map((f: { name: string }) => f.name)).toEqual(['_key', 'bike', 'note']);
    expect(detail.parts.map((p: { name: string }) => p.name)).toEqual(['visits.xml/part']);
    // A day on which there are some; again, nothing is new.
    const late = '<visit><bike>7503</bike><note>Bell</note><part><no>a</no></part><part><no>b</no></part></visit>';
    server.file('visits.xml', `<export><visit><bike>7501</bike></visit>${late}</export>`);
    const rows = async (dataset: string): Promise<unknown> =>
      (await server.ask('GET', `/api/systems/files/rows?dataset=${dataset}&limit=9`)).body.rows;
    expect(await rows('visits.xml')).toMatchObject([
      { values: ['1', '7501', null] },
      { values: ['2', '7503', 'Bell'] },
    ]);
    expect(await rows('visits.xml/part')).toMatchObject([{ values: ['2.1', '2', '1', 'a'] }, { values: ['2.2', '2', '2', 'b'] }]); // prettier-ignore
    expect((await bring('files', 'visits.xml', 'visits.xsd', xsd)).body.datasets[0].added).toEqual([]);
    // Brought in for a part, it is of the whole file all the same.
    const priced = xsd.replace('name="no" type="xs:string" />', 'name="no" type="xs:string" /><xs:element name="price" type="xs:decimal" minOccurs="0"/>'); // prettier-ignore
    server.file('parts.xml', `<export><visit><bike>7501</bike></visit>${late}</export>`);
    expect((await bring('files', 'parts.xml/part', 'visits.xsd', priced)).body.datasets).toEqual([
      { name: 'parts.xml/part', fields: 2, added: ['part/price'] },
    ]);
    expect((await describeDataset('parts.xml')).setting.format.part).toBe('');
    expect(await rows('parts.xml')).toMatchObject([{ values: ['1', '7501', null] }, { values: ['2', '7503', 'Bell'] }]);
    expect(await rows('parts.xml/part')).toMatchObject([{ values: ['2.1', '2', '1', 'a', null] }, { values: ['2.2', '2', '2', 'b', null] }]); // prettier-ignore

    server.file('rides.jsonl', '{"no":1}\n');
    const schema = { type: 'object', properties: { no: { type: 'integer' }, at: { type: 'object', properties: { dock: { type: 'string' } } }, tags: { type: 'array', items: { type: 'string' } } } }; // prettier-ignore
    expect((await bring('files', 'rides.jsonl', 'rides.schema.json', JSON.stringify(schema))).body.datasets).toEqual([
      { name: 'rides.jsonl', fields: 2, added: ['at', 'tags'] },
    ]);
    server.file('rides.jsonl', '{"no":1}\n{"no":2,"at":{"dock":"D1"}}\n');
    expect(await rows('rides.jsonl')).toMatchObject([{ values: ['1', null, null] }, { values: ['2', '{"dock":"D1"}', null] }]); // prettier-ignore
  });
  it('makes datasets of an OpenAPI document, which can be read and written at once', async () => {
    await server.ask('POST', '/api/systems', {
      id: 'membership',
      name: 'Membership service',
      connection: {
        kind: 'http',
        base: standins.url('membership', '/v2'),
        auth: 'client',
        tokenUrl: standins.url('membership', '/oauth/token'),
        clientId: 'versicle',
        clientSecret: 'larkway-practice',
        testPath: '/plans',
      },
    });
    const description = await (await fetch(standins.url('membership', '/openapi.json'))).text();
    const { body } = await bring('membership', null, 'openapi.json', description);
    expect(body.datasets.map((d: { name: string }) => d.name)).toEqual(['members', 'sign-ups', 'plans']);
    const rows = (await server.ask('GET', '/api/systems/membership/rows?dataset=members&limit=2000')).body;
    expect(rows.rows).toHaveLength(200);
    const members = await describeDataset('members', 'membership');
    expect(members.fields[0]).toMatchObject({
      name: 'external_no',
      type: 'varchar(12)',
      nullable: false,
      description: 'The number that the member knows',
    });
    expect(members.format).toContainEqual({ label: 'Written', value: 'POST /members/batch' });
    expect((await bring('files', null, 'openapi.json', description)).body.detail).toContain('describes an HTTP API');
    // The same, as most people write it; by its ending or by how it begins.
    const yaml = stringify(JSON.parse(description));
    for (const name of ['openapi.yaml', 'api.txt'])
      expect((await bring('membership', null, name, yaml)).body.datasets).toEqual(body.datasets);
    const tell = async (text: string): Promise<string> =>
      (await bring('membership', null, 'openapi.yaml', text)).body.detail;
    expect(await tell('openapi: 3.0.0\npaths: [a\nb: c')).toContain('not sound YAML (line ');
    expect(await tell('swagger: "2.0"\npaths: {}')).toContain('not an OpenAPI document of version 3.0 or 3.1');
    const bomb = `a: &a [x, x, x, x, x, x, x, x, x]\n${[...'bcdefghi'].map((c, i) => `${c}: &${c} [${Array(9).fill(`*${'abcdefgh'[i]}`).join(', ')}]`).join('\n')}`; // prettier-ignore
    expect(await tell(bomb)).toContain("can't be read as a description");
    expect(await tell('')).toContain('openapi.yaml');
  });
  it('matches a dictionary of many tables by their names, and one of a single table by its fields', async () => {
    server.file('people.csv', 'person_no;surname\n1;Marlowe\n');
    const many =
      'Table;Column;Type;Length;Mandatory;Comment\npeople;person_no;NUMBER;6;Y;Given at the desk\n;surname;VARCHAR2;40;N;Family name\nothers;x;int;;;\n';
    expect((await bring('files', null, 'dictionary.csv', many)).body.datasets).toEqual([
      { name: 'people.csv', fields: 2, added: [] },
    ]);
    const { fields } = await describeDataset('people.csv');
    expect(fields).toEqual([
      expect.objectContaining({
        name: 'person_no',
        type: 'numeric(6,0)',
        nullable: false,
        description: 'Given at the desk',
      }),
      expect.objectContaining({ name: 'surname', type: 'varchar(40)' }),
    ]);
    const wrong = await bring('files', 'people.csv', 'd.csv', 'Field;Type\nnothing;int\n');
    expect(wrong.body.detail).toContain('none of which has a field of “people.csv”');
    expect((await bring('files', 'people.csv', 'd.csv', 'A;B\n1;2\n')).body.detail).toContain(
      'headed like field names',
    );
    expect((await bring('files', 'people.csv', 'd.xsd', '<a/>')).body.detail).toContain('its root is not');
    expect((await bring('files', 'people.csv', 'd.json', '{"a":')).body.detail).toContain('not sound JSON');
  });
  it('finds fields by name, label or description over all systems', async () => {
    const catalogued = await server.ask('POST', '/api/systems/membership/catalogue', { profile: false });
    expect(catalogued.body).toMatchObject({ datasets: 4, problems: [] });
    const find = async (text: string): Promise<string[]> =>
      (
        (await server.ask('GET', `/api/fields?text=${encodeURIComponent(text)}`)).body as {
          system: string;
          dataset: string;
          field: { name: string };
        }[]
      ).map((f) => `${f.system}/${f.dataset}.${f.field.name}`);
    expect(await find('surname')).toEqual(['files/people.csv.surname']);
    expect(await find('seven digits')).toEqual(['files/orders.xml.bike']);
    expect(await find('phones number')).toEqual(['membership/members/phones.number']);
    expect(await find('no such thing')).toEqual([]);
  });
});
