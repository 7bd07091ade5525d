import { randomUUID } from 'node:crypto';
import { quoteName, refused } from '@versicle/core';
import { DatabaseError, type Database, type Statement } from '@versicle/postgres';
import type { Captures } from '../kind.ts';
import { capturable, MOST_KEYS, type CapturedTable } from './capture.ts';
import type { SqlTables } from './tables.ts';

type Db = Pick<Database, 'query' | 'transaction'>;

/** Where keys of changed rows lie until whoever asked for them has worked them off. */
const GROUND: readonly string[] = [
  'CREATE SCHEMA IF NOT EXISTS versicle',
  `CREATE TABLE IF NOT EXISTS versicle.capture (consumer text PRIMARY KEY, source oid NOT NULL, fields json NOT NULL, since timestamptz NOT NULL DEFAULT now())`,
  `CREATE TABLE IF NOT EXISTS versicle.captured (id bigserial PRIMARY KEY, consumer text NOT NULL REFERENCES versicle.capture ON DELETE CASCADE, key json, taken text)`,
  'CREATE INDEX IF NOT EXISTS captured_consumer ON versicle.captured (consumer)',
  "COMMENT ON TABLE versicle.captured IS 'Keys of rows that changed, until Versicle has read them'",
];

/** Whoever waits for a table keeps all that write after it waiting. */
const PATIENCE: Statement = { sql: "SET LOCAL lock_timeout = '5s'" };

/**
 * Triggers of ours write down which rows of a table change. A row's key is all that is kept of it: whoever reads it gets the
 * row as it is then.
 */
export function capturesByTriggers(db: Db | (() => Promise<Db>), tables: SqlTables): Captures {
  const database = async (): Promise<Db> => (typeof db === 'function' ? db() : db);
  const table = (dataset: string): Promise<CapturedTable> => capturable(tables, dataset);
  return {
    problem: (dataset) =>
      table(dataset).then(
        () => null,
        (error: Error) => error.message,
      ),
    ensure: async (dataset, consumer) => {
      const to = await database();
      const of = await table(dataset);
      if (await stands(to, of, consumer)) return true;
      await to.transaction(made(of, consumer)).catch((error: Error) => {
        if (!(error instanceof DatabaseError)) throw error;
        if (error.code === '55P03')
          throw refused(
            `${dataset} is held by somebody else’s transaction, so the triggers that write down what changes could not be made within five seconds. Try again when that is over.`,
          );
        if (error.code !== '42501') throw error;
        throw refused(
          `The user may not make the triggers that write down what changes in ${dataset}: ${error.message}. Give the right to make triggers on it, and to make a schema called versicle.`,
        );
      });
      // Changes that arrive by replication count, too, where the table is the user's own.
      await to
        .transaction([PATIENCE, { sql: `ALTER TABLE ${of.name} ENABLE ALWAYS TRIGGER versicle_note_change` }])
        .catch(() => undefined);
      return false;
    },
    take: async (dataset, consumer) => {
      const to = await database();
      const { fields, types } = await table(dataset);
      const upTo = randomUUID();
      const [, sums] = await to.transaction([
        { sql: 'UPDATE versicle.captured SET taken = $2 WHERE consumer = $1', params: [consumer, upTo] },
        {
          sql: `SELECT count(*)::int AS n, COALESCE(bool_or(key IS NULL), false) AS any FROM (
                  SELECT DISTINCT key::text AS key FROM versicle.captured WHERE consumer = $1 AND taken = $2 LIMIT ${MOST_KEYS + 1}) AS k`,
          params: [consumer, upTo],
        },
      ]);
      if (Number(sums![0]!['n']) > MOST_KEYS || isTrue(sums![0]!['any'])) return { fields, keys: null, upTo };
      // As the type prints them here, whatever the session that changed the row had set.
      const texts = fields.map((_, i) => `CAST(key ->> ${i} AS ${types[i]!})::text`).join(', ');
      const rows = await to.query<{ key: string[] | string }>(
        `SELECT DISTINCT json_build_array(${texts})::text AS key FROM versicle.captured WHERE consumer = $1 AND taken = $2`,
        [consumer, upTo],
      );
      return {
        fields,
        keys: rows.map((r) => (typeof r.key === 'string' ? JSON.parse(r.key) : r.key) as string[]),
        upTo,
      };
    },
    confirm: async (consumer, upTo) =>
      void (await (
        await database()
      ).query('DELETE FROM versicle.captured WHERE consumer = $1 AND taken = $2', [consumer, upTo])),
    size: async (consumer) => {
      const to = await database();
      if (!(await hasGround(to))) return 0;
      const [row] = await to.query<{ bytes: string }>(
        `SELECT GREATEST(count(*), count(d.id) * pg_total_relation_size('versicle.captured') / GREATEST(1, (SELECT count(*) FROM versicle.captured)))::text AS bytes
           FROM versicle.capture c LEFT JOIN versicle.captured d USING (consumer) WHERE c.consumer = $1`,
        [consumer],
      );
      return Number(row!.bytes);
    },
    forget: async (consumer) => {
      const to = await database();
      if (!(await hasGround(to))) return;
      const [row] = await to.query<{ name: string | null }>(
        `SELECT CASE WHEN EXISTS (SELECT 1 FROM versicle.capture o WHERE o.source = c.source AND o.consumer <> c.consumer) THEN NULL
                     ELSE (SELECT c.source::regclass::text FROM pg_class WHERE oid = c.source) END AS name
           FROM versicle.capture c WHERE c.consumer = $1`,
        [consumer],
      );
      const name = row?.name ?? null;
      await to.transaction([
        PATIENCE,
        // Nobody else asks for them: the table is as it was.
        ...(name === null
          ? []
          : [
              { sql: `DROP TRIGGER IF EXISTS versicle_note_change ON ${name}` },
              { sql: `DROP TRIGGER IF EXISTS versicle_note_truncate ON ${name}` },
            ]),
        { sql: 'DELETE FROM versicle.capture WHERE consumer = $1', params: [consumer] },
      ]);
    },
  };
}
const isTrue = (value: unknown): boolean => value === true || value === 't';
const hasGround = async (db: Db): Promise<boolean> =>
  isTrue((await db.query<{ there: boolean }>("SELECT to_regclass('versicle.capture') IS NOT NULL AS there"))[0]!.there);

/** Whether changes are written down for it as the table is now. */
async function stands(db: Db, { oid, fields }: CapturedTable, consumer: string): Promise<boolean> {
  if (!(await hasGround(db))) return false;
  const [row] = await db.query<{ fields: string[] | string; triggers: number }>(
    `SELECT fields, (SELECT count(*)::int FROM pg_trigger t WHERE t.tgrelid = c.source AND t.tgname LIKE 'versicle_note_%' AND t.tgenabled <> 'D') AS triggers
       FROM versicle.capture c WHERE consumer = $1 AND source = $2`,
    [consumer, oid],
  );
  if (row === undefined) return false;
  const known = (typeof row.fields === 'string' ? JSON.parse(row.fields) : row.fields) as string[];
  return known.join('\n') === fields.join('\n') && Number(row.triggers) === 2;
}

function made({ oid, name, fields, types }: CapturedTable, consumer: string): Statement[] {
  const note = `versicle.note_change_${oid}`;
  const key = (of: 'OLD' | 'NEW'): string =>
    `json_build_array(${fields.map((f) => `${of}.${quoteName(f)}::text`).join(', ')})`;
  // Whatever the session that changes a row has set, a moment has to be read here as it was meant.
  const bends = types.some((t) => /date|time|interval|double|real|bytea/.test(t));
  const settings = bends
    ? " SET datestyle = 'ISO' SET timezone = 'UTC' SET intervalstyle = 'postgres' SET extra_float_digits = 1 SET bytea_output = 'hex'"
    : '';
  return [
    PATIENCE,
    ...GROUND.map((sql) => ({ sql })),
    {
      // A key that can't be told any more (a field got another name) must not be in the way of whoever writes: any row may have changed then.
      sql: `CREATE OR REPLACE FUNCTION ${note}() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog${settings} AS $$
        DECLARE
          before json; after json;
        BEGIN
          BEGIN
            IF TG_OP IN ('UPDATE', 'DELETE') THEN before := ${key('OLD')}; END IF;
            IF TG_OP IN ('UPDATE', 'INSERT') THEN after := ${key('NEW')}; END IF;
          EXCEPTION WHEN OTHERS THEN
            before := NULL; after := NULL;
          END;
          IF before IS NULL AND after IS NULL THEN
            INSERT INTO versicle.captured (consumer, key) SELECT consumer, NULL FROM versicle.capture WHERE source = ${oid};
            RETURN NULL;
          END IF;
          INSERT INTO versicle.captured (consumer, key)
            SELECT c.consumer, k.key FROM versicle.capture c, (SELECT before AS key WHERE before IS NOT NULL
              UNION ALL SELECT after WHERE after IS NOT NULL AND after::text IS DISTINCT FROM before::text) AS k WHERE c.source = ${oid};
          RETURN NULL;
        END $$`,
    },
    {
      sql: `CREATE OR REPLACE TRIGGER versicle_note_change AFTER INSERT OR UPDATE OR DELETE ON ${name} FOR EACH ROW EXECUTE FUNCTION ${note}()`,
    },
    {
      sql: `CREATE OR REPLACE TRIGGER versicle_note_truncate AFTER TRUNCATE ON ${name} FOR EACH STATEMENT EXECUTE FUNCTION ${note}()`,
    },
    { sql: 'DELETE FROM versicle.capture WHERE consumer = $1', params: [consumer] },
    {
      sql: 'INSERT INTO versicle.capture (consumer, source, fields) VALUES ($1, $2, $3)',
      params: [consumer, oid, JSON.stringify(fields)],
    },
  ];
}
