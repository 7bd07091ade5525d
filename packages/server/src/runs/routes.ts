import type { Api } from '../http/api.ts';
import { conflict, notFound } from '../http/problem.ts';
import type { Services } from '../services.ts';
import { listRuns, readRun, runDetail } from './run-store.ts';

export function runRoutes(api: Api, { db, engine, failures }: Services): void {
  api.on('listRuns', ({ query }) => listRuns(db, query));
  api.on('getRun', ({ params }) => runDetail(db, failures, params.id));
  api.on('cancelRun', async ({ params }) => {
    const run = await readRun(db, params.id);
    if (!run) throw notFound(`There is no run ${params.id}.`);
    if (run.state !== 'queued' && run.state !== 'running')
      throw conflict(`Run ${params.id} has ended already; there is nothing to cancel.`);
    await engine.cancel(params.id);
    return { done: true };
  });
}
