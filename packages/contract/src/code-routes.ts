import * as z from 'zod';
import * as codes from './codes.ts';
import * as common from './common.ts';
import * as keyMaps from './key-maps.ts';
import type { Described } from './route.ts';

const { idParams } = common;

/** Code tables and key maps. */
export const codeRoutes = {
  listCodeTables: {
    summary: 'All code tables: those that are documents of their own, and those that stand in mappings only',
    response: z.array(codes.codeTableSummary),
  },
  createCodeTable: {
    summary: 'Keep a code table as a document of its own',
    body: codes.newCodeTable,
    response: codes.codeTable,
  },
  getCodeTable: {
    summary: 'A code table, where it is used, and the codes that it lacks',
    params: codes.tableParams,
    response: codes.codeTable,
  },
  saveCodeTable: {
    summary: 'Change a code table; mappings that use it are brought up to date by themselves only when asked',
    params: codes.tableParams,
    body: codes.saveCodeTable,
    response: codes.codeTable,
  },
  deleteCodeTable: {
    summary: 'Remove a code table; mappings keep their own copy',
    params: codes.tableParams,
    response: common.done,
  },
  readCodes: {
    summary: 'What a file of codes says, and beside a table; nothing is changed',
    body: codes.readCodes,
    response: codes.codesRead,
  },
  bringUpToDate: {
    summary: 'Give the table’s codes to the drafts of mappings that use it',
    params: codes.tableParams,
    body: z.strictObject({ mappings: z.array(z.string()).min(1).max(500) }),
    response: codes.codeTable,
  },
  translateCodes: {
    summary: 'Ask the table’s outside service for codes; what it answered before is not asked again',
    params: codes.tableParams,
    body: codes.translate,
    response: codes.translated,
  },
  getKeyMap: {
    summary: 'The keys that a mapping delivered, searched',
    params: idParams,
    query: keyMaps.keyMapQuery,
    response: keyMaps.keyMap,
  },
  keepKeyMap: {
    summary: 'Keep the keys of what a mapping delivers, or only while another mapping asks for them',
    params: idParams,
    body: keyMaps.keepKeyMap,
    response: common.done,
  },
  importKeys: {
    summary: 'Bring in keys from a file',
    params: idParams,
    body: keyMaps.importKeys,
    response: keyMaps.keysImported,
  },
} as const satisfies Record<string, Described>;
