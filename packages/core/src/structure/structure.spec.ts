import {
  compareStructures,
  endpointsOfOpenApi,
  matchColumns,
  structuresOfDictionary,
  structuresOfJsonSchema,
  structuresOfXsd,
} from '../index.ts';

const XSD = `<?xml version="1.0"?>
<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <xs:element name="export"><xs:complexType><xs:sequence>
    <xs:element name="order" type="Order" maxOccurs="unbounded"/>
  </xs:sequence></xs:complexType></xs:element>
  <xs:complexType name="Base"><xs:sequence><xs:element name="opened" type="xs:date"/></xs:sequence></xs:complexType>
  <xs:complexType name="Order">
    <xs:annotation><xs:documentation>One visit
      to the workshop</xs:documentation></xs:annotation>
    <xs:complexContent><xs:extension base="Base"><xs:sequence>
      <xs:element name="bike" type="BikeNo"/>
      <xs:element name="cost" minOccurs="0"><xs:complexType><xs:simpleContent>
        <xs:extension base="Amount"><xs:attribute name="currency" type="xs:string"/></xs:extension>
      </xs:simpleContent></xs:complexType></xs:element>
      <xs:choice><xs:element name="paid" type="xs:boolean"/><xs:element name="owed" type="xs:long"/></xs:choice>
      <xs:element name="part" type="Part" minOccurs="0" maxOccurs="99"/>
    </xs:sequence><xs:attribute name="no" type="xs:string" use="required"/></xs:extension></xs:complexContent>
  </xs:complexType>
  <xs:complexType name="Part"><xs:sequence>
    <xs:element name="part" type="Part" minOccurs="0" maxOccurs="unbounded"/>
    <xs:element name="name" type="xs:string"/>
  </xs:sequence></xs:complexType>
  <xs:simpleType name="BikeNo"><xs:annotation><xs:documentation>Leading zeros count</xs:documentation></xs:annotation>
    <xs:restriction base="xs:string"><xs:maxLength value="7"/></xs:restriction></xs:simpleType>
  <xs:simpleType name="Amount"><xs:restriction base="xs:decimal"><xs:totalDigits value="9"/><xs:fractionDigits value="2"/></xs:restriction></xs:simpleType>
</xs:schema>`;

describe('an XML Schema', () => {
  it('gives a structure for each element that repeats, and follows a circle once', () => {
    const found = structuresOfXsd(XSD);
    expect(found.map((s) => s.name)).toEqual(['export/order', 'export/order/part']);
    expect(found[0]!.description).toBe('One visit to the workshop');
    expect(found[0]!.fields.map((f) => [f.name, f.type, f.nullable])).toEqual([
      ['@no', 'text', false],
      ['opened', 'date', false],
      ['bike', 'varchar(7)', false],
      ['cost', 'numeric(9,2)', true],
      ['cost.@currency', 'text', true],
      ['paid', 'boolean', true],
      ['owed', 'bigint', true],
    ]);
    expect(found[0]!.fields[2]!.description).toBe('Leading zeros count');
    expect(found[1]!.fields.map((f) => f.name)).toEqual(['name']);
  });
  const schema = (...inner: string[]): string =>
    `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">${inner.join('')}</xs:schema>`;
  const holds = (name: string, ...inner: string[]): string =>
    `<xs:element name="${name}"><xs:complexType><xs:sequence>${inner.join('')}</xs:sequence></xs:complexType></xs:element>`;
  const fieldsOf = (text: string): [string, string, boolean][] =>
    structuresOfXsd(text)[0]!.fields.map((f) => [f.name, f.type, f.nullable]);

  it('takes what may stand for an element, and what may be nil', () => {
    expect(
      fieldsOf(
        schema(
          holds('ride', '<xs:element ref="stop"/>', '<xs:element name="note" type="xs:string" nillable="true"/>'),
          '<xs:element name="stop" abstract="true" type="xs:string"/>',
          '<xs:element name="dock" type="xs:int" substitutionGroup="stop"/>',
          '<xs:element name="hub" type="xs:long" substitutionGroup="dock"/>',
        ),
      ),
    ).toEqual([['dock', 'integer', true], ['hub', 'bigint', true], ['note', 'text', true]]); // prettier-ignore
    expect(
      fieldsOf(
        schema(
          holds('ride', '<xs:element ref="stop"/>'),
          '<xs:element name="stop" type="xs:string"/>',
          '<xs:element name="dock" type="xs:int" substitutionGroup="stop"/>',
        ),
      ),
    ).toEqual([['stop', 'text', true], ['dock', 'integer', true]]); // prettier-ignore
  });
  it.each([
    ['a type', holds('a', '<xs:element name="b" type="Money"/>'), 'refers to the type Money, which it does not define. It may be in money.xsd.'], // prettier-ignore
    ['a base', '<xs:element name="a"><xs:complexType><xs:complexContent><xs:extension base="m:Base"/></xs:complexContent></xs:complexType></xs:element>', 'the type m:Base'], // prettier-ignore
    ['a group', holds('a', '<xs:group ref="g"/>'), 'the group g'],
    ['attributes', '<xs:element name="a"><xs:complexType><xs:attributeGroup ref="g"/></xs:complexType></xs:element>', 'the group of attributes g'], // prettier-ignore
  ])('says what it lacks and where that may be: %s', (_, inner, sentence) => {
    expect(() => structuresOfXsd(schema('<xs:include schemaLocation="money.xsd"/>', inner))).toThrow(sentence);
  });
  it.each([
    ['an element', holds('a', '<xs:element ref="b"/>') + '<xs:element name="b" ref="b"/>'],
    ['groups', holds('a', '<xs:group ref="g"/>') + '<xs:group name="g"><xs:sequence><xs:group ref="h"/></xs:sequence></xs:group><xs:group name="h"><xs:sequence><xs:group ref="g"/></xs:sequence></xs:group>'], // prettier-ignore
    ['types', ['A', 'B'].map((t, i) => `<xs:complexType name="${t}"><xs:complexContent><xs:extension base="${'BA'[i]}"/></xs:complexContent></xs:complexType>`).join('') + '<xs:element name="a" type="A"/>'], // prettier-ignore
    ['attributes', '<xs:element name="a"><xs:complexType><xs:attributeGroup ref="g"/></xs:complexType></xs:element><xs:attributeGroup name="g"><xs:attributeGroup ref="g"/></xs:attributeGroup>'], // prettier-ignore
  ])('says what is made of itself: %s', (_, inner) => {
    expect(() => structuresOfXsd(schema(inner))).toThrow('of the schema is made of itself.');
  });
  it('counts what groups refer to, also where nothing is in them', () => {
    const twice = Array.from({ length: 40 }, (_, i) => `<xs:group name="g${i}"><xs:sequence><xs:group ref="g${i + 1}"/><xs:group ref="g${i + 1}"/></xs:sequence></xs:group>`); // prettier-ignore
    const text = schema(holds('a', '<xs:group ref="g0"/>'), ...twice, '<xs:group name="g40"><xs:sequence/></xs:group>');
    expect(() => structuresOfXsd(text)).toThrow('refer to one another more often than can be followed');
  });
  it('says what is wrong', () => {
    expect(() => structuresOfXsd('<a/>')).toThrow('its root is not “schema”');
    expect(() => structuresOfXsd('<xs:schema')).toThrow('not well-formed');
    expect(() => structuresOfXsd('<!DOCTYPE a><a/>')).toThrow('document type declaration');
    expect(() =>
      structuresOfXsd(
        '<schema><element name="a"><complexType><sequence><element ref="b"/></sequence></complexType></element></schema>',
      ),
    ).toThrow('refers to the element b');
  });
});

const MEMBER = {
  type: 'object',
  required: ['no', 'plan'],
  properties: {
    no: { type: 'string', maxLength: 12, title: 'Number', description: 'As printed' },
    plan: { $ref: '#/$defs/Plan' },
    born: { type: ['string', 'null'], format: 'date' },
    score: { type: 'number' },
    count: { type: 'integer', format: 'int64' },
    address: { type: 'object', required: ['town'], properties: { town: { type: 'string' }, geo: { type: 'object' } } },
    phones: { type: 'array', items: { type: 'object', properties: { number: { type: 'string' } } } },
    tags: { type: 'array', items: { type: 'string' } },
    friend: { $ref: '#' },
  },
  $defs: { Plan: { type: 'string', enum: ['A'], description: 'What is paid' } },
};
describe('a JSON Schema', () => {
  it('flattens objects and makes structures of lists', () => {
    const found = structuresOfJsonSchema(MEMBER, 'member');
    expect(found.map((s) => s.name)).toEqual(['member', 'member.phones', 'member.tags']);
    expect(found[0]!.fields.map((f) => [f.name, f.type, f.nullable])).toEqual([
      ['no', 'varchar(12)', false],
      ['plan', 'text', false],
      ['born', 'date', true],
      ['score', 'numeric', true],
      ['count', 'bigint', true],
      ['address.town', 'text', true],
      ['address.geo', 'jsonb', true],
    ]);
    expect(found[0]!.fields[0]).toMatchObject({ label: 'Number', description: 'As printed' });
    expect(found[2]!.fields).toEqual([expect.objectContaining({ name: 'value', type: 'text' })]);
  });
  it('takes one of several, with null or without, for what they have together', () => {
    const plan = {
      $defs: {
        Dock: { type: 'object', properties: { no: { type: 'integer' }, name: { type: 'string' } }, required: ['no'] },
        Bike: { type: 'object', properties: { no: { type: 'integer' }, gears: { type: 'integer' } }, required: ['no'] },
      },
      type: 'object',
      required: ['at', 'when', 'place', 'thing', 'any', 'code'],
      properties: {
        at: { anyOf: [{ type: 'number' }, { type: 'null' }], title: 'Where' },
        when: {
          oneOf: [
            { type: 'string', format: 'date' },
            { type: 'string', format: 'date-time' },
          ],
        },
        place: { anyOf: [{ $ref: '#/$defs/Dock' }, { type: 'null' }] },
        thing: { oneOf: [{ $ref: '#/$defs/Dock' }, { $ref: '#/$defs/Bike' }] },
        any: { anyOf: [{ type: 'string' }, { type: 'integer' }] },
        code: { allOf: [{ type: 'string', maxLength: 4 }], description: 'A short one' },
        gears: { type: 'integer', anyOf: [{ maximum: 3 }, { minimum: 7 }] },
        either: {
          type: 'object',
          properties: { a: { type: 'integer' } },
          anyOf: [{ required: ['a'] }, { required: ['b'] }],
        },
      },
    };
    expect(structuresOfJsonSchema(plan, 'p')[0]!.fields.map((f) => [f.name, f.type, f.nullable])).toEqual([
      ['at', 'numeric', true],
      ['when', 'text', false],
      ['place.no', 'integer', true],
      ['place.name', 'text', true],
      ['thing.no', 'integer', false],
      ['thing.name', 'text', true],
      ['thing.gears', 'integer', true],
      ['any', 'text', false],
      ['code', 'varchar(4)', false],
      ['gears', 'integer', true],
      ['either.a', 'integer', true],
    ]);
  });
  it.each([
    ['a reference to itself', { properties: { a: { $ref: '#/properties/a' } } }, 'round in circles'],
    ['allOf', { $defs: { A: { allOf: [{ $ref: '#/$defs/B' }] }, B: { allOf: [{ $ref: '#/$defs/A' }] } }, properties: { a: { $ref: '#/$defs/A' } } }, 'made of itself'], // prettier-ignore
    ['anyOf', { $defs: { A: { anyOf: [{ $ref: '#/$defs/A' }, { type: 'null' }] } }, properties: { a: { $ref: '#/$defs/A' } } }, 'made of itself'], // prettier-ignore
    ['an escape that is none', { properties: { a: { $ref: '#/$defs/%zz' } } }, 'a % in it stands before no two digits'],
    ['what every object has', { properties: { a: { $ref: '#/constructor' } } }, 'leads to nothing'],
  ])('says what can’t be followed: %s', (_, plan, sentence) => {
    expect(() => structuresOfJsonSchema(plan, 'x')).toThrow(sentence);
  });
  it('follows what holds itself once, also where it is put together of parts', () => {
    const node = { allOf: [{ properties: { name: { type: 'string' } } }], properties: { next: { $ref: '#/$defs/N' }, more: { type: 'array', items: { $ref: '#/$defs/N' } } } }; // prettier-ignore
    const found = structuresOfJsonSchema(
      { $defs: { N: node }, ...{ properties: { first: { $ref: '#/$defs/N' } } } },
      'x',
    );
    expect(found.map((f) => [f.name, f.fields.map((one) => one.name)])).toEqual([['x', ['first.name']]]);
  });
  it('takes allOf together and refuses references out of the document', () => {
    const all = {
      allOf: [{ properties: { a: { type: 'string' } }, required: ['a'] }, { properties: { b: { type: 'boolean' } } }],
    };
    expect(structuresOfJsonSchema(all, 'x')[0]!.fields.map((f) => [f.name, f.nullable])).toEqual([
      ['a', false],
      ['b', true],
    ]);
    expect(() => structuresOfJsonSchema({ properties: { a: { $ref: 'https://example.org/a' } } }, 'x')).toThrow(
      'out of the document',
    );
    expect(() => structuresOfJsonSchema({ properties: { a: { $ref: '#/nothing' } } }, 'x')).toThrow('leads to nothing');
    expect(() => structuresOfJsonSchema([], 'x')).toThrow('must be an object');
  });
});

describe('an OpenAPI document', () => {
  const list = (schema: object): object => ({
    responses: { 200: { description: '', content: { 'application/json': { schema } } } },
  });
  const document = {
    openapi: '3.1.0',
    paths: {
      '/members': {
        get: {
          summary: 'All members',
          parameters: [{ name: 'cursor', in: 'query', schema: { type: 'string' } }],
          ...list({
            type: 'object',
            properties: {
              data: {
                type: 'object',
                properties: { items: { type: 'array', items: { $ref: '#/components/schemas/Member' } } },
              },
              paging: { type: 'object', properties: { next: { type: ['string', 'null'] } } },
            },
          }),
        },
        post: { requestBody: { content: { 'application/json': { schema: { $ref: '#/components/schemas/Member' } } } } },
      },
      '/plans': {
        get: {
          parameters: [
            { name: 'page', in: 'query' },
            { name: 'per_page', in: 'query' },
          ],
          ...list({ type: 'array', items: { type: 'object', properties: { code: { type: 'string' } } } }),
        },
      },
      '/health': { get: list({ type: 'object', properties: { ok: { type: 'boolean' } } }) },
    },
    components: {
      schemas: { Member: { type: 'object', required: ['no'], properties: { no: { type: 'string', maxLength: 12 } } } },
    },
  };
  it('gives a dataset for each list, with records, paging and writing', () => {
    expect(endpointsOfOpenApi(document)).toEqual([
      expect.objectContaining({
        name: 'members',
        path: '/members',
        description: 'All members',
        records: 'data.items',
        cursor: { parameter: 'cursor', next: 'paging.next' },
        write: { method: 'POST', path: '/members', member: null, many: false },
        fields: [expect.objectContaining({ name: 'no', type: 'varchar(12)', nullable: false })],
      }),
      expect.objectContaining({
        name: 'plans',
        records: '',
        cursor: null,
        page: { parameter: 'page', size: 'per_page' },
        write: null,
      }),
    ]);
  });
  it('refuses what is none', () => {
    expect(() => endpointsOfOpenApi({ swagger: '2.0' })).toThrow('not an OpenAPI document');
    expect(() => endpointsOfOpenApi({ openapi: '3.0.0', paths: {} })).toThrow('No GET');
  });
});

describe('a data dictionary', () => {
  it('matches columns by their headings', () => {
    expect(
      matchColumns(['Table', 'Column Name', 'Data type', 'Len', 'Mandatory?', 'PK', 'Business name', 'Remarks']),
    ).toMatchObject({
      dataset: 0,
      name: 1,
      type: 2,
      length: 3,
      required: 4,
      key: 5,
      label: 6,
      description: 7,
    });
  });
  it('makes structures of its rows, table by table', () => {
    const found = structuresOfDictionary(
      ['Table', 'Field', 'Type', 'Length', 'Nullable', 'Key', 'References', 'Comment'],
      [
        ['account', 'id', 'NUMBER', '9', 'N', 'Y', null, 'the number'],
        [null, 'code', 'VARCHAR2', '8', 'Y', '', null, null],
        ['posting', 'account', 'int', '', 'N', '', 'account.id', null],
        [null, 'at', 'Date/Time', '', '', '', '', ''],
        [null, '', '', '', '', '', '', ''],
      ],
      'x',
    );
    expect(found.map((s) => [s.name, s.fields.map((f) => [f.name, f.type, f.nullable, f.key])])).toEqual([
      [
        'account',
        [
          ['id', 'numeric(9,0)', false, true],
          ['code', 'varchar(8)', true, false],
        ],
      ],
      [
        'posting',
        [
          ['account', 'integer', false, false],
          ['at', 'timestamp', true, false],
        ],
      ],
    ]);
    expect(found[1]!.fields[0]!.references).toBe('account.id');
    expect(() => structuresOfDictionary(['A', 'B'], [], 'x')).toThrow('headed like field names');
  });
});

it('tells what differs between two structures', () => {
  const f = (
    name: string,
    type = 'text',
    nullable = true,
  ): { name: string; type: string; nullable: boolean; key: boolean } => ({ name, type, nullable, key: false });
  expect(compareStructures([f('a'), f('b'), f('c')], [f('a'), f('b', 'integer', false), f('d')])).toEqual([
    { what: 'removed', field: 'c', before: 'text', after: null },
    { what: 'retyped', field: 'b', before: 'text', after: 'integer, not null' },
    { what: 'added', field: 'd', before: null, after: 'text' },
  ]);
});
