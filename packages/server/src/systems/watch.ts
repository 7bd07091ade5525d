import type { Logger } from 'pino';
import type { Events } from '../http/events.ts';
import type { Systems } from './systems.ts';

/** Tests every connection again now and then, so that its state is known before somebody needs it. Gives the way to stop it. */
export function watchConnections(
  systems: Systems,
  events: Events,
  log: Logger,
  everyMs: number,
  isMine: (system: string) => Promise<boolean>,
): () => void {
  let stopped = false;
  let timer: NodeJS.Timeout;
  const round = async (): Promise<void> => {
    try {
      for (const { id, diagnosis } of await systems.list()) {
        if (stopped) return;
        if (!(await isMine(id))) continue;
        const now = await systems.test(id).catch(() => null);
        if (now && now.code !== diagnosis?.code) await events.waitingChanged();
      }
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'connections could not be checked');
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
