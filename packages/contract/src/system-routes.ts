import * as z from 'zod';
import * as common from './common.ts';
import * as filters from './filters.ts';
import * as kinds from './kinds.ts';
import * as profiles from './profiles.ts';
import * as structures from './structures.ts';
import * as systems from './systems.ts';
import type { Described } from './route.ts';

const { idParams, numberParams, done } = common;

/** Systems, their datasets, and what is known of them. */
export const systemRoutes = {
  listKinds: {
    summary: 'All kinds of system, with the forms that they are connected by',
    response: z.array(kinds.kind),
  },
  listSystems: { summary: 'All systems', response: z.array(systems.system) },
  createSystem: {
    summary: 'Register a system',
    body: systems.newSystem,
    // A webhook without a secret of one's own gets one, shown this once.
    response: systems.system.extend({ madeSecret: z.string().optional() }),
  },
  changeSystem: {
    summary: 'Change a connection; secrets that are left out stay',
    params: idParams,
    body: systems.changedSystem,
    response: systems.system,
  },
  beginSignIn: {
    summary: 'Where a person agrees that we sign in at an API (OAuth 2, authorization code)',
    params: idParams,
    body: z.strictObject({ origin: z.url({ protocol: /^https?$/ }) }),
    response: z.object({ url: z.string() }),
  },
  settleDataset: {
    summary: 'Settle how a dataset is read',
    params: idParams,
    body: systems.saveSetting,
    response: systems.datasetDetail,
  },
  learnDataset: {
    summary: 'Learn what the records of a dataset are like from all of them, not from the first ones, and settle it',
    params: idParams,
    body: z.strictObject({ dataset: z.string().min(1) }),
    response: systems.learnedStructure,
  },
  tryWrite: {
    summary: 'Send records of which one must be refused, to see how the answer says so',
    params: idParams,
    body: systems.tryWrite,
    response: systems.triedWrite,
  },
  unsettleDataset: {
    summary: 'Go back to what was guessed, or forget the dataset',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: done,
  },
  getSystem: { summary: 'One system', params: idParams, response: systems.system },
  deleteSystem: {
    summary: 'Remove a system that nothing uses',
    params: idParams,
    response: done,
  },
  testSystem: {
    summary: 'Test the connection',
    params: idParams,
    response: systems.diagnosis,
  },
  listDatasets: {
    summary: 'What the system holds',
    params: idParams,
    response: z.array(systems.dataset),
  },
  getDataset: {
    summary: 'Structure and format of a dataset',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: systems.datasetDetail,
  },
  getRows: {
    summary: 'Rows of a dataset, filtered and limited',
    params: idParams,
    query: systems.rowsQuery,
    response: systems.rows,
  },
  countRows: {
    summary: 'How many of all records of a dataset meet a condition',
    params: idParams,
    query: filters.countQuery,
    response: filters.counted,
  },
  listFilters: {
    summary: 'The kept filters of a dataset',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: z.array(filters.keptFilter),
  },
  keepFilter: {
    summary: 'Keep a condition under a name; the same name is given its new condition',
    params: idParams,
    body: filters.keepFilter,
    response: z.array(filters.keptFilter),
  },
  forgetFilter: {
    summary: 'Forget a kept filter',
    params: numberParams,
    response: done,
  },
  getKnowledge: {
    summary: 'Profile and quality of a dataset, its checks, and who looked it over',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: profiles.knowledge,
  },
  askProfile: {
    summary: 'Profile a dataset anew',
    params: idParams,
    body: profiles.askProfile,
    response: done,
  },
  addCheck: {
    summary: 'Add a check to a dataset',
    params: idParams,
    body: profiles.newCheck,
    response: profiles.dataCheck,
  },
  removeCheck: {
    summary: 'Take a check away',
    params: numberParams,
    response: done,
  },
  markLookedOver: {
    summary: 'Mark a dataset as looked over, until it changes',
    params: idParams,
    body: profiles.markLookedOver,
    response: profiles.lookedOver,
  },
  listStructures: {
    summary: 'The states of a dataset’s structure, newest first',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: z.array(structures.structureVersion),
  },
  importStructure: {
    summary: 'Bring in structures from a schema, an API description or a data dictionary',
    params: idParams,
    body: structures.importStructure,
    response: structures.imported,
  },
  catalogue: {
    summary: 'Look at all datasets of a system',
    params: idParams,
    body: z.strictObject({ profile: z.boolean().default(false) }),
    response: structures.catalogued,
  },
  setLookSchedule: {
    summary: 'Look at all datasets of a system on a schedule, or only on request (null)',
    params: idParams,
    body: z.strictObject({ schedule: systems.lookSchedule.nullable() }),
    response: systems.system,
  },
  findFields: {
    summary: 'Fields of all datasets, by name, label or description',
    query: z.object({ text: z.string().min(1).max(200), limit: z.coerce.number().int().min(1).max(500).default(100) }),
    response: z.array(structures.foundField),
  },
} as const satisfies Record<string, Described>;
