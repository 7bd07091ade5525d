import type { PGlite } from '@electric-sql/pglite';
import { emptyPglite } from '@versicle/core/testing';
import {
  documentSql,
  knownSource,
  parseDocument,
  quoteName,
  sourceFieldsFor,
  type MappingDocument,
} from '@versicle/core';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { bothWays, NOW, type Table } from './testing.ts';

describe('the one SELECT that a document means, run by PostgreSQL', () => {
  let db: PGlite;
  beforeAll(async () => {
    db = await emptyPglite();
    await db.exec("SET TimeZone = 'UTC'; SET DateStyle = 'ISO'");
  });
  afterAll(() => db.close());

  const both = async (document: MappingDocument, tables: readonly Table[]): Promise<void> => {
    const { theirs, ours } = await bothWays(db, document, tables);
    expect(ours.length).toBeGreaterThan(0);
    expect(theirs).toEqual(ours);
  };
  const members: Table = {
    alias: 'm',
    dataset: 'files/members.csv',
    names: ['no', 'name', 'joined', 'balance', 'tariff', 'type'],
    rows: [
      ['1', 'Aldermoor, Kit', '03.08.2019', '12.50', 'A', 'P'],
      ['1', 'Aldermoor, Kit', '03.08.2019', '12.50', 'A', 'P'],
      ['2', 'Fenn, Oda', '04.08.2019', '7', 'B', 'STAFF'],
      ['3', 'Very Long Name, Somebody With A', '05.08.2019', '1', 'A', 'P'],
      ['4', null, '00.00.0000', null, 'B', null],
      ['5', 'O’Neil, Ann', '31.12.1989', '-3.155', 'A', 'P'],
      ['6', 'Low, Bo', '01.01.2020', '12345678.9', 'A', 'P'],
      [null, 'Nobody, X', '01.01.2020', '1', 'A', 'P'],
      ['8', 'Gone, Y', '01.01.2020', ' 1 ', 'A', 'X'],
      ['9', 'Hale, Zoë', '02.01.2020', ' 2', 'A', 'P'],
    ],
  };
  const document = (source: object, patch: object = {}): MappingDocument =>
    parseDocument({
      versicle: 1,
      name: 'Members',
      source: { primary: { alias: 'm', dataset: members.dataset }, ...source },
      target: {
        dataset: 'store/member',
        key: ['no'],
        fields: [
          { name: 'no', type: 'integer', required: true },
          { name: 'surname', type: 'varchar(12)' },
          { name: 'joined', type: 'date', required: true },
          { name: 'balance', type: 'numeric(7,2)' },
          { name: 'plan', type: 'varchar(8)' },
          { name: 'hash', type: 'text' },
          { name: 'country', type: 'char(2)' },
          { name: 'loaded', type: 'timestamptz' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 'm.no' },
        { id: 'l2', target: 'surname', kind: 'rule', rule: "split_part(m.name, ', ', 1)" },
        {
          id: 'l3',
          target: 'joined',
          kind: 'rule',
          rule: "parse_date(m.joined, 'DD.MM.YYYY')",
          condition: "m.joined <> '00.00.0000'",
          default: "DATE '1990-01-01'",
          check: "joined >= DATE '1990-01-01'",
        },
        { id: 'l4', target: 'balance', kind: 'straight', source: 'm.balance', onFail: 'null' },
        { id: 'l5', target: 'plan', kind: 'lookup', source: 'm.tariff', codeTable: 'tariff' },
        { id: 'l6', target: 'hash', kind: 'generated', generate: 'hash', of: ['m.no', 'm.name'] },
        { id: 'l7', target: 'country', kind: 'constant', value: 'GB' },
        { id: 'l8', target: 'loaded', kind: 'rule', rule: ':run_started_at' },
      ],
      checks: [{ id: 'c1', rule: "surname IS DISTINCT FROM 'Hale' OR balance IS NULL", message: 'odd' }],
      skips: [{ id: 's1', when: "m.type = 'STAFF'", reason: 'by hand' }],
      codeTables: {
        tariff: [
          { from: 'A', to: 'MONTHLY' },
          { from: 'B', to: 'YEARLY' },
        ],
      },
      ...patch,
    });

  it('filter, skips, every kind of line, checks, strictness and the key', () =>
    both(document({ filter: "m.type IS DISTINCT FROM 'X'" }), [members]));
  it('skips of the finished record, by what lines made of it; not by a sequence, which is counted last', async () => {
    const skips = [{ id: 's1', when: "joined < DATE '2019-08-05' AND balance > 5", reason: 'old', at: 'mapped' }];
    await both(document({ filter: "m.type IS DISTINCT FROM 'X'" }, { skips }), [members]);
    const counted = document(
      {},
      {
        target: { dataset: 'store/x', fields: [{ name: 'n', type: 'bigint' }] },
        lines: [{ id: 'n', target: 'n', kind: 'generated', generate: 'sequence' }],
        skips: [{ id: 's1', when: 'n > 2', reason: 'enough', at: 'mapped' }],
        checks: [],
      },
    );
    const fields = sourceFieldsFor(counted, members.names);
    expect(() => documentSql(counted, fields)).toThrow('a rule on n, a sequence, has no short form in SQL');
  });
  it('our own readers, fail() and try_cast', () =>
    both(
      document(
        { filter: "m.no IN ('1', '5', '9')" },
        {
          target: { dataset: 'store/x', fields: ['a', 'b', 'c', 'd'].map((name) => ({ name, type: 'text' })) },
          lines: [
            { id: 'a', target: 'a', kind: 'rule', rule: "parse_number(replace(btrim(m.balance), '.', ','), ',')" },
            {
              id: 'b',
              target: 'b',
              kind: 'rule',
              rule: "CASE WHEN m.no > '0' THEN parse_date(m.joined, 'DD.MM.YYYY') ELSE fail('none') END",
            },
            { id: 'c', target: 'c', kind: 'rule', rule: "try_cast(m.balance, 'integer')" },
            {
              id: 'd',
              target: 'd',
              kind: 'rule',
              rule: "lookup('tariff', m.type, 'other') || :file_name || :row_number",
            },
          ],
          checks: [],
          skips: [],
        },
      ),
      [members],
    ));
  it('records of another dataset below, with fields of other names, and some that it does not have', () =>
    both(
      document(
        { unions: [{ dataset: 'files/more.csv', columns: { tariff: 'plan' } }], orderBy: ['m.no'] },
        { skips: [{ id: 's1', when: "m.no IN ('1', '3')", reason: 'too long' }], checks: [] },
      ),
      [
        { ...members, rows: members.rows.filter((r) => r[0] !== null && r[5] === 'P') },
        {
          alias: 'm',
          dataset: 'files/more.csv',
          names: ['name', 'plan', 'no', 'joined', 'other'],
          rows: [
            ['Quill, Tam', 'B', '71', '05.06.2021', 'x'],
            ['Serle, Brock', 'A', '70', '06.06.2021', 'y'],
          ],
        },
      ],
    ));
  const tariffs: Table = {
    alias: 't',
    dataset: 'files/tariffs.csv',
    names: ['code', 'label'],
    rows: [
      ['A', 'monthly'],
      ['B', 'yearly'],
      ['B', 'yearly again'],
      ['Z', 'unused'],
    ],
  };
  it('joins and an order', () =>
    both(
      document(
        {
          joins: [{ alias: 't', dataset: tariffs.dataset, kind: 'inner', on: 't.code = m.tariff' }],
          orderBy: ['m.no DESC', 't.label'],
          filter: 'm.no IS NOT NULL',
        },
        {
          target: { dataset: 'store/x', fields: ['no', 'label'].map((name) => ({ name, type: 'text' })) },
          lines: [
            { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
            { id: 'b', target: 'label', kind: 'rule', rule: 'initcap(t.label)' },
          ],
          checks: [],
          skips: [],
        },
      ),
      [members, tariffs],
    ));
  it('one record for each value over joined datasets, the first in the order of the set, then skips', () =>
    both(
      document(
        {
          joins: [{ alias: 't', dataset: tariffs.dataset, kind: 'left', on: 't.code = m.tariff' }],
          distinctOn: ['m.tariff'],
          orderBy: ['m.no DESC NULLS LAST', 't.label DESC'],
          filter: "m.type IS DISTINCT FROM 'X'",
        },
        {
          target: { dataset: 'store/x', fields: ['no', 'label'].map((name) => ({ name, type: 'text' })) },
          lines: [
            { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
            { id: 'b', target: 'label', kind: 'straight', source: 't.label' },
          ],
          checks: [],
          skips: [{ id: 's', when: "m.no = '9'", reason: 'the first of A' }],
        },
      ),
      [members, tariffs],
    ));
  it('a key of which the first joined record wins', () =>
    both(
      document(
        { joins: [{ alias: 't', dataset: tariffs.dataset, kind: 'left', on: 't.code = m.tariff' }] },
        {
          target: {
            dataset: 'store/x',
            key: ['no'],
            fields: ['no', 'label'].map((name) => ({ name, type: 'text' })),
          },
          lines: [
            { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
            { id: 'b', target: 'label', kind: 'straight', source: 't.label' },
          ],
          checks: [],
          skips: [],
        },
      ),
      [members, tariffs],
    ));
  it('a sequence over the records that are written', () =>
    both(
      document(
        {},
        {
          target: {
            dataset: 'store/x',
            key: ['no'],
            fields: [
              { name: 'id', type: 'bigint', required: true },
              { name: 'no', type: 'text', required: true },
            ],
          },
          lines: [
            { id: 'a', target: 'id', kind: 'generated', generate: 'sequence' },
            { id: 'b', target: 'no', kind: 'straight', source: 'm.no' },
          ],
          checks: [{ id: 'c', rule: "no <> '3'", message: 'not that one' }],
          skips: [],
        },
      ),
      [members],
    ));
  it('grouping with aggregates, and skips of whole groups', () =>
    both(
      document(
        { groupBy: ['m.tariff', "m.joined LIKE '%2019'"], orderBy: ['count(*) DESC', 'm.tariff'] },
        {
          target: { dataset: 'store/x', fields: ['tariff', 'n', 'who'].map((name) => ({ name, type: 'text' })) },
          lines: [
            { id: 'a', target: 'tariff', kind: 'straight', source: 'm.tariff' },
            { id: 'b', target: 'n', kind: 'rule', rule: 'count(DISTINCT m.no)' },
            { id: 'c', target: 'who', kind: 'rule', rule: "string_agg(m.no, '+' ORDER BY m.no)" },
          ],
          checks: [],
          skips: [{ id: 's', when: 'count(*) < 2', reason: 'few' }],
        },
      ),
      [members],
    ));

  it('every demo document that can be said in SQL is understood by PostgreSQL', async () => {
    const home = join(__dirname, '../../../demo/mappings');
    for (const file of readdirSync(home)) {
      const demo = parseDocument(JSON.parse(readFileSync(join(home, file), 'utf8')));
      const known = knownSource(demo);
      const fields = sourceFieldsFor(demo, known.names, known.marks);
      const aliases = [demo.source.primary, ...demo.source.joins];
      for (const { alias, dataset } of aliases) {
        const own = fields.filter((f) => (f.alias === undefined ? demo.source.primary.alias : f.alias) === alias);
        await db.exec(
          `DROP TABLE IF EXISTS ${quoteName(dataset)}; CREATE TABLE ${quoteName(dataset)} (${own.map((f) => `${quoteName(f.name)} ${f.type}`).join(', ')})`,
        );
      }
      const { sql, parameters } = documentSql(demo, fields);
      await db.query(
        sql,
        parameters.map((p) => (p.type === 'timestamptz' ? new Date(NOW).toISOString() : 'x')),
      );
    }
  });
});
