import * as z from 'zod';
import * as keys from './api-keys.ts';
import * as notifications from './notifications.ts';
import * as calendars from './calendars.ts';
import * as common from './common.ts';
import * as failures from './failures.ts';
import * as plans from './plans.ts';
import * as runs from './runs.ts';
import * as retention from './retention.ts';
import { workerInfo } from './workers.ts';
import * as volume from './volume.ts';
import * as waiting from './waiting.ts';
import type { Described } from './route.ts';

const { idParams, numberParams, done } = common;

/** Plans, runs and failed records. */
export const runningRoutes = {
  listPlans: { summary: 'All plans', response: z.array(plans.plan) },
  createPlan: { summary: 'Make a plan', body: plans.newPlan, response: plans.planDetail },
  getPlan: { summary: 'One plan', params: idParams, response: plans.planDetail },
  changePlan: {
    summary: 'Save a new version of a plan',
    params: idParams,
    body: plans.changedPlan,
    response: plans.planDetail,
  },
  checkPlan: {
    summary: 'What is wrong with a plan, and when it would be due',
    body: plans.checkPlan,
    response: plans.checkedPlan,
  },
  holdPlan: {
    summary: 'Hold a plan, or let it go',
    params: idParams,
    body: plans.heldPlan,
    response: plans.planDetail,
  },
  deletePlan: { summary: 'Remove a plan that never ran', params: idParams, response: done },
  listPlanVersions: {
    summary: 'The versions of a plan, the newest first',
    params: idParams,
    response: z.array(plans.planVersion),
  },
  startPlan: {
    summary: 'Start a run',
    params: idParams,
    body: plans.startPlan,
    response: plans.startedRun,
  },
  listCalendars: { summary: 'Calendars by which schedules are due, or are not', response: z.array(calendars.calendar) },
  saveCalendar: {
    summary: 'Make or change a calendar, by its days or from an iCalendar file',
    params: calendars.calendarParams,
    body: calendars.savedCalendar,
    response: calendars.calendar,
  },
  deleteCalendar: { summary: 'Remove a calendar that no plan uses', params: calendars.calendarParams, response: done },
  listNotifications: {
    summary: 'What people were told of plans, the newest first',
    response: z.array(notifications.notification),
  },
  notificationSeen: {
    summary: 'Say that a message has been seen',
    params: numberParams,
    response: done,
  },
  sendAgain: {
    summary: 'Send at once what could not be sent',
    params: numberParams,
    response: done,
  },
  newFieldsSeen: {
    summary: 'Say that the new fields of a mapping’s source have been seen',
    params: idParams,
    response: done,
  },
  notificationSetting: { summary: 'How people are told', response: notifications.notificationSetting },
  saveNotificationSetting: {
    summary: 'Change how people are told',
    body: notifications.savedNotificationSetting,
    response: notifications.notificationSetting,
  },
  makeNotificationSecret: {
    summary: 'Make what webhooks are signed with; it is shown this once',
    response: notifications.notificationSecret,
  },
  tryNotification: {
    summary: 'Send a message to see whether it arrives',
    body: notifications.triedNotification,
    response: done,
  },
  listApiKeys: { summary: 'Keys by which programs ask', response: z.array(keys.apiKey) },
  createApiKey: { summary: 'Make a key; it is shown this once', body: keys.newApiKey, response: keys.madeApiKey },
  deleteApiKey: { summary: 'Take a key back', params: idParams, response: done },
  listRuns: {
    summary: 'Runs, page by page; the newest first unless sorted',
    query: runs.runsQuery,
    response: z.array(runs.runSummary),
  },
  getRun: { summary: 'One run', params: numberParams, response: runs.runDetail },
  cancelRun: {
    summary: 'Cancel a run',
    params: numberParams,
    response: done,
  },
  pauseRun: { summary: 'Stop a run where it is', params: numberParams, response: done },
  resumeRun: { summary: 'Let a paused run go on', params: numberParams, response: done },
  takeUpRun: {
    summary: 'Take up a run again that broke off',
    params: numberParams,
    response: done,
  },
  listUnmatched: {
    summary: 'Records that none of those took among which a run shared them out',
    params: numberParams,
    response: runs.unmatchedRecords,
  },
  shareAgain: {
    summary: 'Share out once more what none took, by the conditions that the plan has now',
    params: numberParams,
    response: plans.startedRun,
  },
  replaceAll: {
    summary: 'Say that a table may lose most of its rows to a run that asks',
    params: numberParams,
    response: done,
  },
  getVolume: {
    summary: 'Records, bytes and requests by time, plan and systems',
    query: volume.volumeQuery,
    response: volume.volume,
  },
  listWorkers: { summary: 'The processes that work on the store, and what each is at', response: z.array(workerInfo) },
  getRetention: { summary: 'What is kept, for how long, and what that takes', response: retention.retention },
  saveRetention: {
    summary: 'Say how long, and how much, is kept',
    body: retention.savedRetention,
    response: retention.retention,
  },
  removeOld: { summary: 'Remove at once what need not be kept any more', response: retention.retention },
  getWaiting: { summary: 'What waits for a system', params: idParams, response: waiting.waitingForSystem },
  listWaiting: {
    summary: 'Records that wait for a system, in the order in which they go',
    params: idParams,
    query: waiting.waitingQuery,
    response: waiting.waitingRecords,
  },
  changeWaiting: {
    summary: 'Hold records that wait, let them go, send them first, or skip them with a reason',
    params: idParams,
    body: waiting.changeWaiting,
    response: waiting.changedWaiting,
  },
  waive: {
    summary: 'Close failed records without delivering them, with a reason',
    body: failures.waive,
    response: failures.waived,
  },
  listCauses: {
    summary: 'Failed records by mapping, line and cause',
    query: failures.failureQuery,
    response: z.array(runs.causeGroup),
  },
  listFailures: {
    summary: 'Failed records',
    query: failures.failureQuery,
    response: z.array(failures.failedRecord),
  },
  getFailure: {
    summary: 'One failed record',
    params: numberParams,
    response: failures.failedRecordDetail,
  },
  replay: {
    summary: 'Send failed records again through the newest revision',
    body: failures.replay,
    response: plans.startedRun,
  },
} as const satisfies Record<string, Described>;
