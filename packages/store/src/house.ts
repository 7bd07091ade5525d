import { randomUUID } from 'node:crypto';
import type { Database } from '@versicle/postgres';

/** What this Versicle is known by to targets that several may deliver into; made once. */
export async function installationId(db: Database): Promise<string> {
  const [row] = await db.query<{ value: string }>(
    "INSERT INTO house (name, value) VALUES ('installation', $1) ON CONFLICT (name) DO UPDATE SET value = house.value RETURNING value",
    [randomUUID()],
  );
  return row!.value;
}
