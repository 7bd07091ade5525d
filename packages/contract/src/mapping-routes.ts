import * as z from 'zod';
import * as common from './common.ts';
import * as foreign from './foreign.ts';
import * as mappings from './mappings.ts';
import * as trials from './trials.ts';
import * as sourceSets from './source-sets.ts';
import type { Described } from './route.ts';

const { idParams } = common;
const revisionParams = idParams.extend({ number: z.coerce.number().int().positive() });

/** Mapping documents: drafts, revisions, trials, source sets, workbooks, starters and spreadsheets of others. */
export const mappingRoutes = {
  listMappings: {
    summary: 'All mappings',
    response: z.array(mappings.mappingSummary),
  },
  suggestLines: {
    summary: 'What could fill the lines that are still to map',
    params: idParams,
    response: z.array(mappings.suggestion),
  },
  lineHistory: {
    summary: 'Who did and said what about a line',
    params: idParams.extend({ line: z.string().min(1).max(100) }),
    response: mappings.lineHistory,
  },
  commentOnLine: {
    summary: 'Say something about a line',
    params: idParams.extend({ line: z.string().min(1).max(100) }),
    body: mappings.newComment,
    response: mappings.lineHistory,
  },
  sayWhy: {
    summary: 'Why something was done to a line; only whoever did it can say',
    params: idParams.extend({ line: z.string().min(1).max(100), event: z.coerce.number().int().positive() }),
    body: mappings.reason,
    response: mappings.lineHistory,
  },
  lookAtForeign: {
    summary: 'How a mapping spreadsheet of somebody’s own making seems to be laid out',
    body: foreign.lookAtForeign,
    response: foreign.foreignLook,
  },
  readForeign: {
    summary: 'A mapping spreadsheet as a document, by the columns as they were matched; nothing is made of it yet',
    body: foreign.readForeign,
    response: foreign.foreignRead,
  },
  listStarters: {
    summary: 'Documents to begin others with',
    response: z.array(mappings.starter),
  },
  keepStarter: {
    summary: 'Keep a mapping’s draft as a starter',
    body: mappings.keepStarter,
    response: mappings.starter,
  },
  removeStarter: {
    summary: 'Remove a starter of one’s own',
    params: idParams,
    response: common.done,
  },
  useStarter: {
    summary: 'Begin a mapping with a starter: fields are matched, what does not fit is to map',
    params: idParams,
    body: mappings.useStarter,
    response: mappings.mappingDetail,
  },
  getSample: {
    summary: 'Sample records of the draft’s source, composed where it joins or groups',
    params: idParams,
    response: sourceSets.mappingSample,
  },
  countJoins: {
    summary: 'What each join of the draft finds: partners, doubles, and what stays without',
    params: idParams,
    response: z.array(sourceSets.joinFigures),
  },
  proposeKeys: {
    summary: 'By which fields a further dataset could be joined',
    params: idParams,
    query: z.object({ dataset: z.string().min(1) }),
    response: z.array(sourceSets.keyProposal),
  },
  getTrial: {
    summary: 'The last trial of the draft: what a run would do, without writing anything',
    params: idParams,
    response: trials.trialState,
  },
  startTrial: {
    summary: 'Try the draft on the first records of its source, or on all of them',
    params: idParams,
    body: trials.startTrial,
    response: trials.trialState,
  },
  cancelTrial: {
    summary: 'End the trial that is going on',
    params: idParams,
    response: trials.trialState,
  },
  restoreRevision: {
    summary: 'Take a revision up again as the draft',
    params: revisionParams,
    response: mappings.mappingDetail,
  },
  listLines: {
    summary: 'The lines of all mappings: targets, fields, states, open questions, failed records',
    response: z.array(mappings.lineOfAll),
  },
  readWorkbook: {
    summary: 'Read a workbook that comes back, and say how it differs from the draft',
    params: idParams,
    body: mappings.workbookBack,
    response: mappings.workbookRead,
  },
  getSynonyms: {
    summary: 'Words that mean the same here, for suggestions',
    response: mappings.synonyms,
  },
  setSynonyms: {
    summary: 'Set the words that mean the same here',
    body: mappings.synonyms,
    response: mappings.synonyms,
  },
  createMapping: {
    summary: 'Begin a mapping',
    body: mappings.newMapping,
    response: mappings.mappingDetail,
  },
  getMapping: {
    summary: 'A mapping with its draft',
    params: idParams,
    response: mappings.mappingDetail,
  },
  amHere: {
    summary: 'Say that a sheet is open, and on which line',
    params: idParams,
    body: mappings.amHere,
    response: z.array(mappings.presentPerson),
  },
  saveDraft: {
    summary: 'Save the draft',
    params: idParams,
    body: mappings.saveDraft,
    response: mappings.savedDraft,
  },
  arrivedSave: {
    summary: 'Whether a save of the draft has arrived',
    params: idParams.extend({ save: z.uuid() }),
    response: mappings.arrivedSave,
  },
  targetOutlook: {
    summary: 'What the target has, against what the draft, or the newest revision, would write into it',
    params: idParams,
    query: mappings.outlookQuery,
    response: mappings.targetFit,
  },
  addTargetFields: {
    summary: 'Give the target’s table the fields that the draft loads and it lacks',
    params: idParams,
    response: mappings.addedFields,
  },
  publish: {
    summary: 'Publish the draft as the next revision',
    params: idParams,
    body: mappings.publish,
    response: mappings.revision,
  },
  listRevisions: {
    summary: 'The revisions of a mapping, newest first',
    params: idParams,
    response: z.array(mappings.revision),
  },
  getRevision: {
    summary: 'The document of a revision',
    params: revisionParams,
    response: mappings.mappingDetail.shape.document,
  },
  difference: {
    summary: 'What differs between two revisions, line by line',
    params: idParams,
    query: mappings.differenceQuery,
    response: mappings.difference,
  },
} as const satisfies Record<string, Described>;
