import type { Database } from '@versicle/postgres';

/** An id made of a name, with a number behind it when it is taken: "Trips to warehouse" → trips-to-warehouse. */
export async function slug(db: Database, table: 'mapping' | 'plan' | 'starter', name: string): Promise<string> {
  const base =
    name
      .normalize('NFKD')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 50) || table;
  const taken = new Set(
    (await db.query<{ id: string }>(`SELECT id FROM ${table} WHERE id = $1 OR id LIKE $1 || '-%'`, [base])).map(
      (r) => r.id,
    ),
  );
  if (!taken.has(base)) return base;
  for (let n = 2; ; n++) if (!taken.has(`${base}-${n}`)) return `${base}-${n}`;
}
