import type { Row } from '@versicle/postgres';
import { eachHome, postgresPrograms } from '@versicle/postgres/testing';
import { quoted, storedTables, type Ask } from './content.ts';
import { migrate, NEWEST } from './migrate.ts';
import { storeStates } from './testing/states.ts';

/** Everything that the tables are made of, without the order of their columns. */
const CATALOGUE = `
  SELECT 'column ' || c.relname || '.' || a.attname || ' ' || format_type(a.atttypid, a.atttypmod) || CASE WHEN a.attnotnull THEN ' not null' ELSE '' END
         || COALESCE(' default ' || pg_get_expr(d.adbin, d.adrelid), '') AS what
    FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
   WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace
  UNION ALL SELECT 'constraint ' || conrelid::regclass || ' ' || conname || ' ' || pg_get_constraintdef(oid) FROM pg_constraint WHERE connamespace = 'public'::regnamespace AND contype <> 'n'
  UNION ALL SELECT 'index ' || indexdef FROM pg_indexes WHERE schemaname = 'public'
  UNION ALL SELECT 'trigger ' || pg_get_triggerdef(oid) FROM pg_trigger WHERE NOT tgisinternal
  UNION ALL SELECT 'function ' || pg_get_functiondef(p.oid) FROM pg_proc p WHERE pronamespace = 'public'::regnamespace AND prolang = (SELECT oid FROM pg_language WHERE lanname = 'plpgsql')
  ORDER BY 1`;

/** Tables that are called otherwise by now. */
const RENAMED: Readonly<Record<string, string>> = { run_chunk: 'run_sample' };
/** Those that others took the place of; what became of their rows is tested by itself. */
const REPLACED: readonly string[] = ['delivered_before'];

const tests: Parameters<typeof eachHome>[1] = (home, where) => {
  let fresh: string[];
  const states = storeStates();
  // A server brings up all of them; a PGlite, which takes five times as long, the oldest, the newest and one of the others.
  const others = 1 + (Date.now() % (states.length - 2));
  const chosen = where === 'server' || postgresPrograms() === null ? states : states.filter((_s, i) => [0, others, states.length - 1].includes(i)); // prettier-ignore
  const { ask, catalogue, empty } = {
    ask: (<T extends Row>(sql: string, params?: readonly unknown[]) => home().query<T>(sql, params)) as Ask,
    catalogue: async (): Promise<string[]> => (await home().query<{ what: string }>(CATALOGUE)).map((r) => r.what),
    empty: (): Promise<unknown> =>
      home().exec('DROP SCHEMA public CASCADE; CREATE SCHEMA public; SET search_path TO public'),
  };
  const counts = async (): Promise<Map<string, number>> => {
    const found = new Map<string, number>();
    for (const { name } of await storedTables(ask))
      found.set(name, (await home().query<{ n: number }>(`SELECT count(*)::int AS n FROM ${quoted(name)}`))[0]!.n);
    return found;
  };
  beforeAll(async () => {
    await empty();
    await home().exec('CREATE EXTENSION IF NOT EXISTS pg_trgm');
    await migrate(home());
    fresh = await catalogue();
  });

  it('have a dump of the state before each of them', () =>
    expect(states.map((s) => s.change)).toEqual(expect.arrayContaining(Array.from({ length: NEWEST - 1 }, (_, i) => i + 1)))); // prettier-ignore

  it.each(chosen.map((s) => [s.change, s.sql] as const))(
    'bring a store of change %d up to what a new one is, with all that it holds',
    async (_change, sql) => {
      await empty();
      await home().exec(sql);
      await home().exec('SET search_path TO public');
      const before = await counts();
      expect([...before.values()].reduce((n, m) => n + m, 0)).toBeGreaterThan(10);
      await migrate(home());
      expect(await catalogue()).toEqual(fresh);
      const after = await counts();
      for (const [table, rows] of before)
        if (!REPLACED.includes(table)) expect([table, after.get(RENAMED[table] ?? table)]).toEqual([table, rows]);
      // What was brought up once stays as it is.
      await migrate(home());
      expect(await counts()).toEqual(after);
    },
  );

  it('keep what was delivered before, in the order of its keys, when it goes into parts', async () => {
    await empty();
    await home().exec(states.find((s) => s.change === 31)!.sql);
    await home().exec('SET search_path TO public');
    const [memory] = await home().query<{ id: number }>('SELECT id FROM delivery_memory ORDER BY id LIMIT 1');
    const row = (key: string, content: string, cells: string): string =>
      `(${memory!.id}, decode(repeat('${key}', 16), 'hex'), decode('${content}', 'hex'), '${cells}', NULL)`;
    await home().exec(
      `INSERT INTO delivered_before (memory, key, content, cells, source) VALUES ${row('cc', 'ab'.repeat(16), '["3"]')}, ${row('aa', '', '["1"]')}, ${row('bb', 'cd'.repeat(16), '["2"]')}`,
    );
    await migrate(home());
    const parts = await home().query<{ digests: string; cells: unknown; sources: unknown }>(
      "SELECT encode(digests, 'hex') AS digests, cells::text AS cells, sources FROM delivered_part",
    );
    const digests = ['aa', '11', 'bb', 'cd', 'cc', 'ab'].map((byte) => byte.repeat(16)).join('');
    expect(parts.map((p) => ({ ...p, cells: JSON.parse(String(p.cells)) as unknown }))).toEqual([
      { digests, cells: [['1'], ['2'], ['3']], sources: null },
    ]);
  });
};
eachHome('changes of the tables', tests, { trigrams: true });
