import { changedMeanwhile, notFound, refused } from '@versicle/core';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { shareAgain, unmatchedOf } from '../plans/unmatched.ts';
import { listRuns } from './list-runs.ts';
import { runDetail } from './run-detail.ts';
import { isHolder, readRun } from './run-store.ts';

export function runRoutes(api: Api, { db, engine, plans, conductor, starter, failures }: Services): void {
  api.forAll('listRuns', ({ query }) => listRuns(db, query));
  api.forAll('getRun', ({ params }) => runDetail(db, failures, params.id));
  api.on('cancelRun', async ({ params }) => {
    const run = await readRun(db, params.id);
    if (!run) throw notFound(`There is no run ${params.id}.`);
    if (!['queued', 'running', 'broken', 'asks', 'paused'].includes(run.state))
      throw changedMeanwhile(`Run ${params.id} has ended already; there is nothing to cancel.`);
    await starter.cancel(params.id);
    return { done: true };
  });
  api.on('pauseRun', async ({ params }) => {
    const run = await readRun(db, params.id);
    if (!run) throw notFound(`There is no run ${params.id}.`);
    if (!['queued', 'running'].includes(run.state))
      throw changedMeanwhile(`Run ${params.id} is ${run.state}; there is nothing to pause.`);
    if (run.kind === 'sql' || run.kind === 'request')
      throw refused('A statement or a request is done at once or not at all; pause the run that it is a step of.');
    await starter.pause(params.id);
    return { done: true };
  });
  api.on('resumeRun', async ({ params }) => {
    const run = await readRun(db, params.id);
    if (!run) throw notFound(`There is no run ${params.id}.`);
    if (run.state !== 'paused') throw changedMeanwhile(`Run ${params.id} is ${run.state}, not paused.`);
    await starter.resume(params.id);
    return { done: true };
  });
  api.on('takeUpRun', async ({ params }) => {
    const run = await readRun(db, params.id);
    if (!run) throw notFound(`There is no run ${params.id}.`);
    if (run.state !== 'broken')
      throw changedMeanwhile(`Run ${params.id} did not break off; there is nothing to take up.`);
    if (isHolder(run.kind)) {
      if ((await conductor.takeUp(params.id)) === 0)
        throw changedMeanwhile(`Nothing within run ${params.id} can be taken up again; run the plan anew.`);
      return { done: true };
    }
    if (run.kind === 'replay') await failures.retake(params.id);
    await engine.takeUp(params.id);
    return { done: true };
  });
  api.forAll('listUnmatched', ({ params }) => unmatchedOf(db, params.id));
  api.on('shareAgain', async ({ params }, who) => {
    const run = await shareAgain(db, plans, params.id, who.person);
    conductor.look(run);
    return { run };
  });
  api.on('replaceAll', async ({ params }, who) => {
    const [asked] = await db.query("UPDATE run SET confirmed_by = $2 WHERE id = $1 AND state = 'asks' RETURNING id", [
      params.id,
      who.person,
    ]);
    if (!asked) throw changedMeanwhile(`Run ${params.id} does not ask anything any more.`);
    await engine.takeUp(params.id);
    return { done: true };
  });
}
