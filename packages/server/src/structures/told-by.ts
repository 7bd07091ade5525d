import { readFileSync } from 'node:fs';
import {
  decodeText,
  type DescribedEndpoint,
  encodingOf,
  endpointsOfOpenApi,
  Fault,
  SAMPLE,
  type Structure,
  structuresOfDictionary,
  structuresOfJsonSchema,
  structuresOfXsd,
} from '@versicle/core';
import { isWorkbook, lookAt, recordsOf } from '@versicle/files';

/** What a description tells: structures of datasets, or the endpoints of an API. */
export type Told =
  | { readonly kind: 'structures'; readonly what: string; readonly structures: readonly Structure[] }
  | { readonly kind: 'endpoints'; readonly endpoints: readonly DescribedEndpoint[] };

/** Finds out what kind of description a file is, by its content. `path` has the ending of `fileName`. Throws a fault. */
export async function toldBy(path: string, fileName: string, name: string): Promise<Told> {
  const content = readFileSync(path);
  const head = isWorkbook(fileName) ? '' : textOf(content.subarray(0, 4096), 'json').trimStart();
  if (head.startsWith('<'))
    return { kind: 'structures', what: 'the schema', structures: structuresOfXsd(textOf(content, 'xml')) };
  if (head.startsWith('{') && !/\.(jsonl|ndjson)$/i.test(fileName)) {
    let document: unknown;
    try {
      document = JSON.parse(textOf(content, 'json'));
    } catch (error) {
      throw new Fault('structure', `it is not sound JSON (${(error as Error).message}).`);
    }
    if (typeof document === 'object' && document !== null && 'openapi' in document)
      return { kind: 'endpoints', endpoints: endpointsOfOpenApi(document) };
    return { kind: 'structures', what: 'the schema', structures: structuresOfJsonSchema(document, name) };
  }
  return { kind: 'structures', what: 'the dictionary', structures: await dictionary(path, fileName, name) };
}
/** In the encoding that it says it is in. */
function textOf(content: Uint8Array, kind: 'xml' | 'json'): string {
  return decodeText(content, encodingOf(content.subarray(0, SAMPLE), 'the file', kind) ?? 'utf-8').replace(
    /^\uFEFF/,
    '',
  );
}

/** A dictionary comes as delimited text or as a workbook; both are read as any other file. */
async function dictionary(path: string, fileName: string, name: string): Promise<Structure[]> {
  const look = await lookAt(path, fileName);
  const rows: (readonly (string | null)[])[] = [];
  for await (const batch of recordsOf(path, fileName, look.format))
    for (const row of batch.rows) if (Array.isArray(row)) rows.push(row as readonly (string | null)[]);
  return structuresOfDictionary(look.fields, rows, name);
}
