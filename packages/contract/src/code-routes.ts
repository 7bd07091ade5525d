import * as z from 'zod';
import * as codes from './codes.ts';
import * as common from './common.ts';
import * as keyMaps from './key-maps.ts';
import type { Route } from './route.ts';

const { idParams } = common;

/** Code tables and key maps. */
export const codeRoutes = {
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
} as const satisfies Record<string, Route>;
