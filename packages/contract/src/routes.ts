import * as z from 'zod';
import * as codes from './codes.ts';
import * as common from './common.ts';
import * as failures from './failures.ts';
import * as foreign from './foreign.ts';
import * as keyMaps from './key-maps.ts';
import * as mappings from './mappings.ts';
import * as profiles from './profiles.ts';
import * as structures from './structures.ts';
import * as plans from './plans.ts';
import * as runs from './runs.ts';
import * as trials from './trials.ts';
import * as sourceSets from './source-sets.ts';
import * as systems from './systems.ts';
import { today } from './today.ts';

/** One request: what it takes and gives. Server, page and the OpenAPI document all read this table. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** Below /api, parameters as :name. */
  readonly path: string;
  readonly summary: string;
  readonly params?: z.ZodType;
  readonly query?: z.ZodType;
  readonly body?: z.ZodType;
  readonly response: z.ZodType;
}

const { idParams, numberParams, done } = common;
const revisionParams = idParams.extend({ number: z.coerce.number().int().positive() });

export const routes = {
  health: {
    method: 'get',
    path: '/health',
    summary: 'Whether the server and its store answer',
    response: z.object({ ok: z.literal(true), version: z.string() }),
  },
  session: { method: 'get', path: '/session', summary: 'Who asks, and where', response: common.session },
  waiting: { method: 'get', path: '/waiting', summary: 'How many things wait for a person', response: common.waiting },
  today: { method: 'get', path: '/today', summary: 'The order of the day', response: today },

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

  listMappings: {
    method: 'get',
    path: '/mappings',
    summary: 'All mappings',
    response: z.array(mappings.mappingSummary),
  },
  suggestLines: {
    method: 'get',
    path: '/mappings/:id/suggestions',
    summary: 'What could fill the lines that are still to map',
    params: idParams,
    response: z.array(mappings.suggestion),
  },
  lineHistory: {
    method: 'get',
    path: '/mappings/:id/lines/:line/history',
    summary: 'Who did and said what about a line',
    params: idParams.extend({ line: z.string().min(1).max(100) }),
    response: mappings.lineHistory,
  },
  commentOnLine: {
    method: 'post',
    path: '/mappings/:id/lines/:line/comments',
    summary: 'Say something about a line',
    params: idParams.extend({ line: z.string().min(1).max(100) }),
    body: mappings.newComment,
    response: mappings.lineHistory,
  },
  sayWhy: {
    method: 'put',
    path: '/mappings/:id/lines/:line/history/:event/why',
    summary: 'Why something was done to a line; only whoever did it can say',
    params: idParams.extend({ line: z.string().min(1).max(100), event: z.coerce.number().int().positive() }),
    body: mappings.reason,
    response: mappings.lineHistory,
  },
  lookAtForeign: {
    method: 'post',
    path: '/foreign/look',
    summary: 'How a mapping spreadsheet of somebody’s own making seems to be laid out',
    body: foreign.lookAtForeign,
    response: foreign.foreignLook,
  },
  readForeign: {
    method: 'post',
    path: '/foreign/read',
    summary: 'A mapping spreadsheet as a document, by the columns as they were matched; nothing is made of it yet',
    body: foreign.readForeign,
    response: foreign.foreignRead,
  },
  listStarters: {
    method: 'get',
    path: '/starters',
    summary: 'Documents to begin others with',
    response: z.array(mappings.starter),
  },
  keepStarter: {
    method: 'post',
    path: '/starters',
    summary: 'Keep a mapping’s draft as a starter',
    body: mappings.keepStarter,
    response: mappings.starter,
  },
  removeStarter: {
    method: 'delete',
    path: '/starters/:id',
    summary: 'Remove a starter of one’s own',
    params: idParams,
    response: common.done,
  },
  useStarter: {
    method: 'post',
    path: '/starters/:id/use',
    summary: 'Begin a mapping with a starter: fields are matched, what does not fit is to map',
    params: idParams,
    body: mappings.useStarter,
    response: mappings.mappingDetail,
  },
  getSample: {
    method: 'get',
    path: '/mappings/:id/sample',
    summary: 'Sample records of the draft’s source, composed where it joins or groups',
    params: idParams,
    response: sourceSets.mappingSample,
  },
  countJoins: {
    method: 'post',
    path: '/mappings/:id/source-set/figures',
    summary: 'What each join of the draft finds: partners, doubles, and what stays without',
    params: idParams,
    response: z.array(sourceSets.joinFigures),
  },
  proposeKeys: {
    method: 'get',
    path: '/mappings/:id/source-set/keys',
    summary: 'By which fields a further dataset could be joined',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: z.array(sourceSets.keyProposal),
  },
  getTrial: {
    method: 'get',
    path: '/mappings/:id/trial',
    summary: 'The last trial of the draft: what a run would do, without writing anything',
    params: idParams,
    response: trials.trialState,
  },
  startTrial: {
    method: 'post',
    path: '/mappings/:id/trial',
    summary: 'Try the draft on the first records of its source, or on all of them',
    params: idParams,
    body: trials.startTrial,
    response: trials.trialState,
  },
  cancelTrial: {
    method: 'delete',
    path: '/mappings/:id/trial',
    summary: 'End the trial that is going on',
    params: idParams,
    response: trials.trialState,
  },
  restoreRevision: {
    method: 'post',
    path: '/mappings/:id/revisions/:number/restore',
    summary: 'Take a revision up again as the draft',
    params: revisionParams,
    response: mappings.mappingDetail,
  },
  listLines: {
    method: 'get',
    path: '/lines',
    summary: 'The lines of all mappings: targets, fields, states, open questions, failed records',
    response: z.array(mappings.lineOfAll),
  },
  readWorkbook: {
    method: 'post',
    path: '/mappings/:id/workbook',
    summary: 'Read a workbook that comes back, and say how it differs from the draft',
    params: idParams,
    body: mappings.workbookBack,
    response: mappings.workbookRead,
  },
  getSynonyms: {
    method: 'get',
    path: '/synonyms',
    summary: 'Words that mean the same here, for suggestions',
    response: mappings.synonyms,
  },
  setSynonyms: {
    method: 'put',
    path: '/synonyms',
    summary: 'Set the words that mean the same here',
    body: mappings.synonyms,
    response: mappings.synonyms,
  },
  createMapping: {
    method: 'post',
    path: '/mappings',
    summary: 'Begin a mapping',
    body: mappings.newMapping,
    response: mappings.mappingDetail,
  },
  getMapping: {
    method: 'get',
    path: '/mappings/:id',
    summary: 'A mapping with its draft',
    params: idParams,
    response: mappings.mappingDetail,
  },
  saveDraft: {
    method: 'put',
    path: '/mappings/:id/draft',
    summary: 'Save the draft',
    params: idParams,
    body: mappings.saveDraft,
    response: mappings.savedDraft,
  },
  publish: {
    method: 'post',
    path: '/mappings/:id/publish',
    summary: 'Publish the draft as the next revision',
    params: idParams,
    body: mappings.publish,
    response: mappings.revision,
  },
  listRevisions: {
    method: 'get',
    path: '/mappings/:id/revisions',
    summary: 'The revisions of a mapping, newest first',
    params: idParams,
    response: z.array(mappings.revision),
  },
  getRevision: {
    method: 'get',
    path: '/mappings/:id/revisions/:number',
    summary: 'The document of a revision',
    params: revisionParams,
    response: mappings.mappingDetail.shape.document,
  },
  difference: {
    method: 'get',
    path: '/mappings/:id/difference',
    summary: 'What differs between two revisions, line by line',
    params: idParams,
    query: mappings.differenceQuery,
    response: mappings.difference,
  },

  listPlans: { method: 'get', path: '/plans', summary: 'All plans', response: z.array(plans.plan) },
  createPlan: {
    method: 'post',
    path: '/plans',
    summary: 'Make a plan of one step',
    body: plans.newPlan,
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
  listCodeTables: {
    method: 'get',
    path: '/codes',
    summary: 'All code tables: those that are documents of their own, and those that stand in mappings only',
    response: z.array(codes.codeTableSummary),
  },
  createCodeTable: {
    method: 'post',
    path: '/codes',
    summary: 'Keep a code table as a document of its own',
    body: codes.newCodeTable,
    response: codes.codeTable,
  },
  getCodeTable: {
    method: 'get',
    path: '/codes/:name',
    summary: 'A code table, where it is used, and the codes that it lacks',
    params: codes.tableParams,
    response: codes.codeTable,
  },
  saveCodeTable: {
    method: 'put',
    path: '/codes/:name',
    summary: 'Change a code table; mappings that use it are brought up to date by themselves only when asked',
    params: codes.tableParams,
    body: codes.saveCodeTable,
    response: codes.codeTable,
  },
  deleteCodeTable: {
    method: 'delete',
    path: '/codes/:name',
    summary: 'Remove a code table; mappings keep their own copy',
    params: codes.tableParams,
    response: common.done,
  },
  readCodes: {
    method: 'post',
    path: '/codes/:name/read',
    summary: 'What a file of codes says, beside the table; nothing is changed',
    params: codes.tableParams,
    body: codes.readCodes,
    response: codes.codesRead,
  },
  bringUpToDate: {
    method: 'post',
    path: '/codes/:name/bring-up',
    summary: 'Give the table’s codes to the drafts of mappings that use it',
    params: codes.tableParams,
    body: z.strictObject({ mappings: z.array(z.string()).min(1).max(500) }),
    response: codes.codeTable,
  },
  translateCodes: {
    method: 'post',
    path: '/codes/:name/translate',
    summary: 'Ask the table’s outside service for codes; what it answered before is not asked again',
    params: codes.tableParams,
    body: codes.translate,
    response: codes.translated,
  },
  getKeyMap: {
    method: 'get',
    path: '/mappings/:id/keys',
    summary: 'The keys that a mapping delivered, searched',
    params: idParams,
    query: keyMaps.keyMapQuery,
    response: keyMaps.keyMap,
  },
  keepKeyMap: {
    method: 'put',
    path: '/mappings/:id/keys',
    summary: 'Keep the keys of what a mapping delivers, or only while another mapping asks for them',
    params: idParams,
    body: keyMaps.keepKeyMap,
    response: common.done,
  },
  importKeys: {
    method: 'post',
    path: '/mappings/:id/keys',
    summary: 'Bring in keys from a file',
    params: idParams,
    body: keyMaps.importKeys,
    response: keyMaps.keysImported,
  },
  replay: {
    method: 'post',
    path: '/failures/replay',
    summary: 'Send failed records again through the newest revision',
    body: failures.replay,
    response: plans.startedRun,
  },
} as const satisfies Record<string, Route>;

export type Routes = typeof routes;
export type RouteName = keyof Routes;
type Out<T> = T extends z.ZodType ? z.output<T> : undefined;
type In<T> = T extends z.ZodType ? z.input<T> : undefined;
/** What a handler gets, validated. */
export type Request<N extends RouteName> = {
  params: Out<Routes[N] extends { params: infer P } ? P : undefined>;
  query: Out<Routes[N] extends { query: infer Q } ? Q : undefined>;
  body: Out<Routes[N] extends { body: infer B } ? B : undefined>;
};
/** What a caller gives. */
export type Call<N extends RouteName> = {
  params?: In<Routes[N] extends { params: infer P } ? P : undefined>;
  query?: In<Routes[N] extends { query: infer Q } ? Q : undefined>;
  body?: In<Routes[N] extends { body: infer B } ? B : undefined>;
};
export type Answer<N extends RouteName> = z.output<Routes[N]['response']>;

/** The OpenAPI 3.1 document of the table; its schemas are JSON Schema as 3.1 wants it. */
export function openApi(version: string): unknown {
  const schema = (type: z.ZodType, io: 'input' | 'output'): unknown => {
    const { $schema: _, ...rest } = z.toJSONSchema(type, { io, unrepresentable: 'any' });
    return rest;
  };
  const paths: Record<string, Record<string, unknown>> = {};
  for (const [name, route] of Object.entries(routes) as [string, Route][]) {
    const path = `/api${route.path.replace(/:(\w+)/g, '{$1}')}`;
    const parameters = (['params', 'query'] as const).flatMap((where) => {
      const type = route[where];
      if (!(type instanceof z.ZodObject)) return [];
      return Object.entries(type.shape as Record<string, z.ZodType>).map(([key, value]) => ({
        name: key,
        in: where === 'params' ? 'path' : 'query',
        required: where === 'params' || !value.safeParse(undefined).success,
        schema: schema(value, 'input'),
      }));
    });
    paths[path] = {
      ...paths[path],
      [route.method]: {
        operationId: name,
        summary: route.summary,
        ...(parameters.length > 0 ? { parameters } : {}),
        ...(route.body
          ? {
              requestBody: { required: true, content: { 'application/json': { schema: schema(route.body, 'input') } } },
            }
          : {}),
        responses: {
          200: { description: 'Done', content: { 'application/json': { schema: schema(route.response, 'output') } } },
          default: {
            description: 'A problem',
            content: { 'application/problem+json': { schema: schema(common.problemDetails, 'output') } },
          },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Versicle', version, description: 'The mapping document that runs.' },
    paths,
  };
}
