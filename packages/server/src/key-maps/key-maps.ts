import { type KeyMaps as Maps, keyMapsAsked, type MappingDocument, notFound, quoted, refused } from '@versicle/core';
import type { KeyMap } from '@versicle/contract';
import { withUpload } from '../http/upload.ts';
import type { Looks } from '../looks/looks.ts';
import type { Database, Statement } from '@versicle/postgres';
import { isoTime } from '../store/values.ts';

/** Keys that the live results of a sheet are given at the most. */
const SAMPLE_KEYS = 20_000;

/** Which record of the target each delivered record of the source became. */
export class KeyMaps {
  constructor(
    private readonly db: Database,
    private readonly looks: Looks,
  ) {}

  async get(id: string, search: string, limit: number): Promise<KeyMap> {
    await this.requireMapping(id);
    const like = `%${search.replace(/[\\%_]/g, '\\$&')}%`;
    const rows = await this.db.query<{ source: string; target: string; run: number | null; at: string }>(
      'SELECT source, target, run, at FROM key_map WHERE mapping = $1 AND (source LIKE $2 OR target LIKE $2) ORDER BY source LIMIT $3',
      [id, like, limit],
    );
    const [{ keys, kept } = { keys: '0', kept: false }] = await this.db.query<{ keys: string; kept: boolean }>(
      'SELECT (SELECT count(*) FROM key_map WHERE mapping = $1) AS keys, EXISTS (SELECT 1 FROM key_map_kept WHERE mapping = $1) AS kept',
      [id],
    );
    const askedBy = await this.askedBy(id);
    return {
      kept: kept || askedBy.length > 0,
      askedBy,
      keys: Number(keys),
      found: rows.map((r) => ({ ...r, at: isoTime(r.at) })),
    };
  }
  async keep(id: string, kept: boolean): Promise<void> {
    await this.requireMapping(id);
    await this.db.query(
      kept
        ? 'INSERT INTO key_map_kept (mapping) VALUES ($1) ON CONFLICT DO NOTHING'
        : 'DELETE FROM key_map_kept WHERE mapping = $1',
      [id],
    );
  }

  /** Source key and target key from the first two columns of a file; keys that are there already are overwritten. */
  async import(id: string, fileName: string, content: string): Promise<{ added: number; changed: number }> {
    await this.requireMapping(id);
    const codes = await withUpload(fileName, content, (path) =>
      this.looks.ask(fileName, 'codeTable', [path, fileName]),
    );
    const keys = new Map(codes.map((c) => [c.from, c.to]));
    const [{ known } = { known: '0' }] = await this.db.query<{ known: string }>(
      'SELECT count(*) AS known FROM key_map k JOIN unnest($2::text[], $3::text[]) AS n(source, target) ON n.source = k.source WHERE k.mapping = $1 AND n.target <> k.target',
      [id, [...keys.keys()], [...keys.values()]],
    );
    const before = await this.count(id);
    await this.db.transaction([keepKeys(id, null, [...keys.keys()], [...keys.values()])]);
    return { added: (await this.count(id)) - before, changed: Number(known) };
  }

  /** Whether a run keeps the keys that it delivers. */
  async isKept(id: string): Promise<boolean> {
    const [kept] = await this.db.query('SELECT 1 FROM key_map_kept WHERE mapping = $1', [id]);
    return kept !== undefined || (await this.askedBy(id)).length > 0;
  }

  /** What the rules of a document find. Throws a fault for a mapping that there is not. */
  async of(document: MappingDocument, most = Infinity): Promise<Maps> {
    const maps = new Map<string, ReadonlyMap<string, string>>();
    for (const name of keyMapsAsked(document)) {
      const id = await this.named(name);
      if (id === null)
        throw refused(`mapped_key asks for the mapping ${quoted(name)}, but there is none of that name.`);
      const limit = Number.isFinite(most) ? ` LIMIT ${most}` : '';
      const rows = await this.db.query<{ source: string; target: string }>(
        `SELECT source, target FROM key_map WHERE mapping = $1 ORDER BY source${limit}`,
        [id],
      );
      maps.set(name, new Map(rows.map((r) => [r.source, r.target])));
    }
    return maps;
  }
  /** For the live results of the sheet: a mapping that there is not has no keys. */
  async sample(document: MappingDocument): Promise<Record<string, [string, string][]>> {
    const maps = await this.of(document, SAMPLE_KEYS).catch(() => new Map<string, ReadonlyMap<string, string>>());
    return Object.fromEntries([...maps].map(([name, map]) => [name, [...map]]));
  }

  private async count(id: string): Promise<number> {
    const [row] = await this.db.query<{ n: string }>('SELECT count(*) AS n FROM key_map WHERE mapping = $1', [id]);
    return Number(row!.n);
  }
  private async requireMapping(id: string): Promise<void> {
    const [row] = await this.db.query('SELECT 1 FROM mapping WHERE id = $1', [id]);
    if (!row) throw notFound(`There is no mapping ${quoted(id)}.`);
  }
  /** A mapping by its name, or by its id. */
  private async named(name: string): Promise<string | null> {
    const [found] = await this.db.query<{ id: string }>(
      'SELECT id FROM mapping WHERE name = $1 OR id = $1 ORDER BY name = $1 DESC, id LIMIT 1',
      [name],
    );
    return found?.id ?? null;
  }
  private askedBy(id: string): Promise<KeyMap['askedBy']> {
    return this.db.query(
      `SELECT DISTINCT u.mapping, m.name FROM mapping_use u JOIN mapping m ON m.id = u.mapping
        WHERE u.thing = 'key map' AND u.name IN ($1, (SELECT name FROM mapping WHERE id = $1)) ORDER BY 1`,
      [id],
    );
  }
}

/** Keeps delivered keys; a record that is delivered again overwrites its entry. */
export function keepKeys(
  mapping: string,
  run: number | null,
  sources: readonly string[],
  targets: readonly string[],
): Statement {
  return {
    sql: `INSERT INTO key_map (mapping, source, target, run)
      SELECT DISTINCT ON (source) $1, source, target, $2::integer FROM unnest($3::text[], $4::text[]) AS k(source, target)
      ON CONFLICT (mapping, source) DO UPDATE SET target = EXCLUDED.target, run = EXCLUDED.run, at = now()
      WHERE key_map.target IS DISTINCT FROM EXCLUDED.target`,
    params: [mapping, run, [...sources], [...targets]],
  };
}
