import type { PGlite } from '@electric-sql/pglite';
import { emptyPglite } from './empty-pglite.ts';

/** A PostgreSQL (PGlite) that answers a rule for each of a few awkward rows: the reference of the differential tests. */

export const COLUMNS = {
  a: 'text',
  b: 'text',
  t: 'text',
  i: 'integer',
  s: 'smallint',
  j: 'bigint',
  n: 'numeric',
  m: 'numeric',
  f: 'double precision',
  d: 'date',
  e: 'date',
  ts: 'timestamp',
  tz: 'timestamptz',
  q: 'boolean',
  iv: 'interval',
} as const;
export type Column = keyof typeof COLUMNS;

type Row = Record<Column, string | null>;
const row = (values: (string | null)[]): Row =>
  Object.fromEntries(Object.keys(COLUMNS).map((c, i) => [c, values[i] ?? null])) as Row;

export const ROWS: Row[] = [
  row([
    'Aldermoor, Kit',
    'S-019',
    '12',
    '7',
    '3',
    '9007199254740993',
    '12.50',
    '0.003',
    '2.5',
    '2026-08-03',
    '2024-02-29',
    '2026-08-03 14:05:06.789',
    '2026-10-25 01:30:00+00',
    'true',
    '1 day 02:03:04',
  ]),
  row([
    '',
    ' x ',
    '-4.5',
    '0',
    '0',
    '0',
    '0',
    '0.00',
    '0',
    '1970-01-01',
    '2000-12-31',
    '1999-12-31 23:59:59.999999',
    '2026-03-29 00:59:59+00',
    'false',
    '-1 mons +3 days',
  ]),
  row([
    null,
    'é_%ß',
    '00417',
    '-2147483648',
    '-32768',
    '-9223372036854775808',
    '-99999999999999999999.123456789',
    '1e-20',
    '-1e300',
    '1600-02-29',
    '0001-01-01',
    '1600-02-29 00:00:00',
    '1970-01-01 00:00:00+00',
    null,
    '2 years 5 mons',
  ]),
  row([
    'naïve 😀 text',
    '\t\n',
    '1E5',
    '2147483647',
    '32767',
    '9223372036854775807',
    '123456789012345678901234567890.5',
    '-0.5',
    '0.1',
    '9999-12-31',
    '2023-01-31',
    '0004-02-29 12:00:00',
    '2026-07-01 12:00:00.000001+00',
    'true',
    '-00:00:01.5',
  ]),
  row([
    'A',
    'abc',
    'yes',
    '-7',
    '-2',
    '100',
    '-2.5',
    '3',
    '-0.5',
    '2026-12-31',
    '2027-01-01',
    '2026-02-28 23:00:00',
    '2025-12-29 08:00:00+00',
    'false',
    '00:00:00',
  ]),
];

export interface Answer {
  readonly value: string | null;
  readonly error: string | null;
}

export class Reference {
  private constructor(private readonly db: PGlite) {}

  static async open(): Promise<Reference> {
    const db = await emptyPglite();
    await db.exec(
      "SET TimeZone='UTC'; SET DateStyle='ISO'; SET IntervalStyle='postgres'; SET plpgsql.check_asserts = off;",
    );
    await db.exec(
      `CREATE TABLE r (id int, ${Object.entries(COLUMNS)
        .map(([c, type]) => `${c} ${type}`)
        .join(', ')})`,
    );
    for (const [id, values] of ROWS.entries())
      await db.query(
        `INSERT INTO r VALUES ($1, ${Object.values(COLUMNS)
          .map((type, i) => `$${i + 2}::text::${type}`)
          .join(', ')})`,
        [id, ...Object.values(values)],
      );
    await db.exec(`
      CREATE FUNCTION probe(rule text) RETURNS TABLE (id int, value text, error text) LANGUAGE plpgsql AS $$
      DECLARE k int; v text;
      BEGIN
        FOR k IN 0..${ROWS.length - 1} LOOP
          BEGIN
            EXECUTE 'SELECT (' || rule || ')::text FROM r WHERE r.id = $1' INTO v USING k;
            id := k; value := v; error := NULL;
          EXCEPTION WHEN OTHERS THEN
            id := k; value := NULL; error := SQLERRM;
          END;
          RETURN NEXT;
        END LOOP;
      END $$`);
    await db.exec(`
      CREATE FUNCTION read(input text, type text) RETURNS text LANGUAGE plpgsql AS $$
      DECLARE v text;
      BEGIN
        EXECUTE 'SELECT $1::' || type || '::text' INTO v USING input;
        RETURN v;
      EXCEPTION WHEN OTHERS THEN RETURN NULL;
      END $$`);
    return new Reference(db);
  }

  async ask(rule: string): Promise<Answer[]> {
    const { rows } = await this.db.query<Answer & { id: number }>('SELECT * FROM probe($1) ORDER BY id', [rule]);
    return rows.map(({ value, error }) => ({ value, error }));
  }

  /** What PostgreSQL makes of texts as values of a type, as text again; null where it refuses them. */
  async read(texts: readonly string[], type: string): Promise<(string | null)[]> {
    const { rows } = await this.db.query<{ v: string | null }>(
      'SELECT read(t, $2) AS v FROM unnest($1::text[]) WITH ORDINALITY AS u(t, n) ORDER BY n',
      [texts, type],
    );
    return rows.map((r) => r.v);
  }

  async upper(text: string): Promise<string> {
    return (await this.db.query<{ u: string }>('SELECT upper($1) AS u', [text])).rows[0]!.u;
  }

  close(): Promise<void> {
    return this.db.close();
  }
}
