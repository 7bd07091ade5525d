import type { ApiKey, MadeApiKey, NewApiKey } from '@versicle/contract';
import { Fault, notFound, quoted, refused } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { createHash, randomBytes } from 'node:crypto';
import { isoTime, isoTimeOrNull } from '../store/values.ts';

interface KeyRow {
  [key: string]: unknown;
  id: string;
  name: string;
  may: ApiKey['may'];
  plans: string[] | null;
  made_by: string;
  made_at: string;
  used_at: string | null;
}
/** What is known of a key is its hash; the key itself is long and random, so that one round of SHA-256 keeps it. */
const hashOf = (key: string): string => createHash('sha256').update(key).digest('hex');
/** Every key begins so: whoever finds one lying about knows what it is for. */
const PREFIX = 'vsk_';

export class ApiKeys {
  constructor(private readonly db: Database) {}

  async list(): Promise<ApiKey[]> {
    const rows = await this.db.query<KeyRow>(
      'SELECT id, name, may, plans, made_by, made_at, used_at FROM api_key ORDER BY made_at, id',
    );
    return rows.map(shown);
  }
  async create({ name, may, plans }: NewApiKey, person: string): Promise<MadeApiKey> {
    const unknown = plans
      ? await this.db.query<{ id: string }>(
          'SELECT p AS id FROM unnest($1::text[]) AS p WHERE NOT EXISTS (SELECT 1 FROM plan WHERE id = p)',
          [plans],
        )
      : [];
    if (unknown.length > 0)
      throw refused(`There is no plan ${quoted(unknown[0]!.id)}.`, [{ path: 'plans', message: 'not found' }]);
    const key = `${PREFIX}${randomBytes(24).toString('base64url')}`;
    const [row] = await this.db.query<KeyRow>(
      `INSERT INTO api_key (id, name, hash, may, plans, made_by) VALUES ($1, $2, $3, $4, $5, $6)
       RETURNING id, name, may, plans, made_by, made_at, used_at`,
      [randomBytes(6).toString('hex'), name, hashOf(key), [...new Set(may)], plans ?? null, person],
    );
    return { ...shown(row!), key };
  }
  async remove(id: string): Promise<void> {
    const gone = await this.db.query('DELETE FROM api_key WHERE id = $1 RETURNING id', [id]);
    if (gone.length === 0) throw notFound('There is no such key; it may have been taken back already.');
  }

  /** The key that a request brings. Throws a fault where it is none that is known. */
  async known(key: string): Promise<ApiKey> {
    const [row] = await this.db.query<KeyRow>(
      `SELECT id, name, may, plans, made_by, made_at, used_at FROM api_key WHERE hash = $1`,
      [hashOf(key)],
    );
    if (!row) throw new Fault('not signed', 'This API key is not known here; it may have been taken back.');
    // To the minute is enough, and spares a write with each request.
    await this.db.query(
      "UPDATE api_key SET used_at = now() WHERE id = $1 AND (used_at IS NULL OR used_at < now() - interval '1 minute')",
      [row.id],
    );
    return shown(row);
  }
}
const shown = (row: KeyRow): ApiKey => ({
  id: row.id,
  name: row.name,
  may: row.may,
  plans: row.plans,
  madeBy: row.made_by,
  madeAt: isoTime(row.made_at),
  usedAt: isoTimeOrNull(row.used_at),
});
