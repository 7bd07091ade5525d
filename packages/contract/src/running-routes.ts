import * as z from 'zod';
import * as common from './common.ts';
import * as failures from './failures.ts';
import * as plans from './plans.ts';
import * as runs from './runs.ts';
import type { Route } from './route.ts';

const { idParams, numberParams, done } = common;

/** Plans, runs and failed records. */
export const runningRoutes = {
  listPlans: { method: 'get', path: '/plans', summary: 'All plans', response: z.array(plans.plan) },
  createPlan: {
    method: 'post',
    path: '/plans',
    summary: 'Make a plan of one step',
    body: plans.newPlan,
    response: plans.plan,
  },
  changePlan: {
    method: 'put',
    path: '/plans/:id',
    summary: 'Change what a plan may do without asking',
    params: idParams,
    body: plans.changedPlan,
    response: plans.plan,
  },
  startPlan: {
    method: 'post',
    path: '/plans/:id/start',
    summary: 'Start a run',
    params: idParams,
    body: plans.startPlan,
    response: plans.startedRun,
  },
  listRuns: {
    method: 'get',
    path: '/runs',
    summary: 'The newest runs',
    query: z.object({
      plan: z.string().optional(),
      mapping: z.string().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    response: z.array(runs.runSummary),
  },
  getRun: { method: 'get', path: '/runs/:id', summary: 'One run', params: numberParams, response: runs.runDetail },
  cancelRun: {
    method: 'post',
    path: '/runs/:id/cancel',
    summary: 'Cancel a run',
    params: numberParams,
    response: done,
  },
  takeUpRun: {
    method: 'post',
    path: '/runs/:id/take-up',
    summary: 'Take up a run again that broke off',
    params: numberParams,
    response: done,
  },
  replaceAll: {
    method: 'post',
    path: '/runs/:id/replace',
    summary: 'Say that a table may lose most of its rows to a run that asks',
    params: numberParams,
    response: done,
  },
  waive: {
    method: 'post',
    path: '/failures/waive',
    summary: 'Close failed records without delivering them, with a reason',
    body: failures.waive,
    response: failures.waived,
  },
  listCauses: {
    method: 'get',
    path: '/failures/causes',
    summary: 'Failed records by mapping, line and cause',
    query: failures.failureQuery,
    response: z.array(runs.causeGroup),
  },
  listFailures: {
    method: 'get',
    path: '/failures',
    summary: 'Failed records',
    query: failures.failureQuery,
    response: z.array(failures.failedRecord),
  },
  getFailure: {
    method: 'get',
    path: '/failures/:id',
    summary: 'One failed record',
    params: numberParams,
    response: failures.failedRecordDetail,
  },
  replay: {
    method: 'post',
    path: '/failures/replay',
    summary: 'Send failed records again through the newest revision',
    body: failures.replay,
    response: plans.startedRun,
  },
} as const satisfies Record<string, Route>;
