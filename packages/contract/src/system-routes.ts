import * as z from 'zod';
import * as common from './common.ts';
import * as kinds from './kinds.ts';
import * as profiles from './profiles.ts';
import * as structures from './structures.ts';
import * as systems from './systems.ts';
import type { Route } from './route.ts';

const { idParams, numberParams, done } = common;

/** Systems, their datasets, and what is known of them. */
export const systemRoutes = {
  listKinds: {
    method: 'get',
    path: '/kinds',
    summary: 'All kinds of system, with the forms that they are connected by',
    response: z.array(kinds.kind),
  },
  listSystems: { method: 'get', path: '/systems', summary: 'All systems', response: z.array(systems.system) },
  createSystem: {
    method: 'post',
    path: '/systems',
    summary: 'Register a system',
    body: systems.newSystem,
    // A webhook without a secret of one's own gets one, shown this once.
    response: systems.system.extend({ madeSecret: z.string().optional() }),
  },
  changeSystem: {
    method: 'put',
    path: '/systems/:id',
    summary: 'Change a connection; secrets that are left out stay',
    params: idParams,
    body: systems.changedSystem,
    response: systems.system,
  },
  beginSignIn: {
    method: 'post',
    path: '/systems/:id/sign-in',
    summary: 'Where a person agrees that we sign in at an API (OAuth 2, authorization code)',
    params: idParams,
    body: z.strictObject({ origin: z.url({ protocol: /^https?$/ }) }),
    response: z.object({ url: z.string() }),
  },
  settleDataset: {
    method: 'put',
    path: '/systems/:id/setting',
    summary: 'Settle how a dataset is read',
    params: idParams,
    body: systems.saveSetting,
    response: systems.datasetDetail,
  },
  tryWrite: {
    method: 'post',
    path: '/systems/:id/try-write',
    summary: 'Send records of which one must be refused, to see how the answer says so',
    params: idParams,
    body: systems.tryWrite,
    response: systems.triedWrite,
  },
  unsettleDataset: {
    method: 'delete',
    path: '/systems/:id/setting',
    summary: 'Go back to what was guessed, or forget the dataset',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: done,
  },
  getSystem: { method: 'get', path: '/systems/:id', summary: 'One system', params: idParams, response: systems.system },
  deleteSystem: {
    method: 'delete',
    path: '/systems/:id',
    summary: 'Remove a system that nothing uses',
    params: idParams,
    response: done,
  },
  testSystem: {
    method: 'post',
    path: '/systems/:id/test',
    summary: 'Test the connection',
    params: idParams,
    response: systems.diagnosis,
  },
  listDatasets: {
    method: 'get',
    path: '/systems/:id/datasets',
    summary: 'What the system holds',
    params: idParams,
    response: z.array(systems.dataset),
  },
  getDataset: {
    method: 'get',
    path: '/systems/:id/dataset',
    summary: 'Structure and format of a dataset',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: systems.datasetDetail,
  },
  getRows: {
    method: 'get',
    path: '/systems/:id/rows',
    summary: 'Rows of a dataset, filtered and limited',
    params: idParams,
    query: systems.rowsQuery,
    response: systems.rows,
  },
  getKnowledge: {
    method: 'get',
    path: '/systems/:id/knowledge',
    summary: 'Profile and quality of a dataset, its checks, and who looked it over',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: profiles.knowledge,
  },
  askProfile: {
    method: 'post',
    path: '/systems/:id/profile',
    summary: 'Profile a dataset anew',
    params: idParams,
    body: profiles.askProfile,
    response: done,
  },
  addCheck: {
    method: 'post',
    path: '/systems/:id/checks',
    summary: 'Add a check to a dataset',
    params: idParams,
    body: profiles.newCheck,
    response: profiles.dataCheck,
  },
  removeCheck: {
    method: 'delete',
    path: '/checks/:id',
    summary: 'Take a check away',
    params: numberParams,
    response: done,
  },
  markLookedOver: {
    method: 'put',
    path: '/systems/:id/looked-over',
    summary: 'Mark a dataset as looked over, until it changes',
    params: idParams,
    body: profiles.markLookedOver,
    response: profiles.lookedOver,
  },
  listStructures: {
    method: 'get',
    path: '/systems/:id/structures',
    summary: 'The states of a dataset’s structure, newest first',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: z.array(structures.structureVersion),
  },
  importStructure: {
    method: 'post',
    path: '/systems/:id/structures',
    summary: 'Bring in structures from a schema, an API description or a data dictionary',
    params: idParams,
    body: structures.importStructure,
    response: structures.imported,
  },
  catalogue: {
    method: 'post',
    path: '/systems/:id/catalogue',
    summary: 'Look at all datasets of a system',
    params: idParams,
    body: z.strictObject({ profile: z.boolean().default(false) }),
    response: structures.catalogued,
  },
  setLookSchedule: {
    method: 'put',
    path: '/systems/:id/look',
    summary: 'Look at all datasets of a system on a schedule, or only on request (null)',
    params: idParams,
    body: z.strictObject({ schedule: systems.lookSchedule.nullable() }),
    response: systems.system,
  },
  findFields: {
    method: 'get',
    path: '/fields',
    summary: 'Fields of all datasets, by name, label or description',
    query: z.object({ text: z.string().min(1).max(200), limit: z.coerce.number().int().min(1).max(500).default(100) }),
    response: z.array(structures.foundField),
  },
} as const satisfies Record<string, Route>;
