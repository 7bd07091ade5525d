import type { Logger } from 'pino';
import type { Profiles } from '../profiles/profiles.ts';
import type { Database } from '@versicle/postgres';
import { nextLook } from './next-look.ts';
import type { Structures } from './structures.ts';

/** Looks at every dataset of a system, and has them profiled where wanted. */
export async function lookAtAll(
  structures: Structures,
  profiles: Profiles,
  system: string,
  profile: boolean,
): Promise<{ datasets: number; fields: number; problems: { dataset: string; message: string }[] }> {
  const { datasets, fields, problems } = await structures.catalogue(system);
  if (profile) for (const dataset of datasets) await profiles.ask(system, dataset, null);
  return { datasets: datasets.length, fields, problems };
}

/** Looks at systems whose time has come. A time that passed while nothing ran is caught up once. Gives the way to stop it. */
export function keepLookSchedules(
  db: Database,
  look: (system: string) => Promise<unknown>,
  log: Logger,
  everyMs: number,
  isMine: (system: string) => Promise<boolean> = () => Promise.resolve(true),
): () => void {
  let stopped = false;
  let timer: NodeJS.Timeout;
  const round = async (): Promise<void> => {
    try {
      const rows = await db.query<{ id: string; cron: string; zone: string; at: string }>(
        'SELECT id, look_cron AS cron, look_zone AS zone, looked_at AS at FROM system WHERE look_cron IS NOT NULL',
      );
      for (const { id, cron, zone, at } of rows) {
        if (stopped) return;
        // What is wrong with one system must not keep the others from being looked at.
        try {
          const next = nextLook({ cron, zone }, new Date(at));
          if (next === null || next > new Date() || !(await isMine(id))) continue;
          await db.query('UPDATE system SET looked_at = now() WHERE id = $1', [id]);
          await look(id);
        } catch (error) {
          log.warn({ system: id, error: (error as Error).message }, 'could not be looked at');
        }
      }
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'schedules could not be kept');
    } finally {
      if (!stopped) timer = setTimeout(() => void round(), everyMs);
    }
  };
  timer = setTimeout(() => void round(), everyMs);
  return () => {
    stopped = true;
    clearTimeout(timer);
  };
}
