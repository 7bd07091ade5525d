import type { LogLevel, RunDetail } from '@versicle/contract';
import { notFound } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { Router, type Request, type Response } from 'express';
import { isoTime } from '../store/values.ts';

/** Tells something of a run. */
export type Tell = (run: number, message: string, level?: LogLevel) => Promise<void>;

/** Lines that a page shows: the newest ones. */
const SHOWN = 500;
const AT_A_TIME = 2000;

/** The newest lines of a run's log, and how many it has. */
export async function newestLog(db: Database, run: number): Promise<Pick<RunDetail, 'log' | 'logLines'>> {
  const [sum] = await db.query<{ n: string }>('SELECT count(*) AS n FROM run_log WHERE run = $1', [run]);
  const lines = await db.query<{ at: string; level: LogLevel; message: string }>(
    'SELECT at, level, message FROM (SELECT id, at, level, message FROM run_log WHERE run = $1 ORDER BY id DESC LIMIT $2) l ORDER BY id',
    [run, SHOWN],
  );
  return { logLines: Number(sum!.n), log: lines.map((l) => ({ ...l, at: isoTime(l.at) })) };
}

/** The whole log of a run as a text, a line each, as a download. */
export function logFiles(db: Database): Router {
  const router = Router();
  router.get('/runs/:id/log.txt', async (req: Request<{ id: string }>, res: Response) => {
    const id = /^[1-9]\d{0,8}$/.test(req.params.id) ? Number(req.params.id) : 0;
    const [run] = await db.query('SELECT id FROM run WHERE id = $1', [id]);
    if (!run) throw notFound(`There is no run ${req.params.id}; the list of runs has those that there are.`);
    res.set('Cache-Control', 'no-store').attachment(`run-${id}.log.txt`).type('text/plain; charset=utf-8');
    for (let after = 0; !res.destroyed;) {
      const lines = await db.query<{ id: string; at: string; level: LogLevel; message: string }>(
        'SELECT id, at, level, message FROM run_log WHERE run = $1 AND id > $2 ORDER BY id LIMIT $3',
        [id, after, AT_A_TIME],
      );
      if (lines.length === 0) break;
      const text = lines
        .map((l) => `${isoTime(l.at)} ${l.level.padEnd(7)} ${l.message.replace(/\r?\n/g, '\n    ')}\n`)
        .join('');
      // Whoever reads slowly is waited for.
      if (!res.write(text)) await new Promise((go) => res.once('drain', go).once('close', go));
      after = Number(lines.at(-1)!.id);
    }
    res.end();
  });
  return router;
}
