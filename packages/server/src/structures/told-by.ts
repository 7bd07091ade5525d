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
  Unreadable,
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
  const isYaml = /\.ya?ml$/i.test(fileName) || /^(---|%YAML|(openapi|swagger):)/.test(head);
  if (isYaml || (head.startsWith('{') && !/\.(jsonl|ndjson)$/i.test(fileName))) {
    const document = isYaml ? await readYaml(textOf(content, 'json')) : readJson(textOf(content, 'json'));
    if (typeof document === 'object' && document !== null && ('openapi' in document || 'swagger' in document))
      return { kind: 'endpoints', endpoints: endpointsOfOpenApi(document) };
    return { kind: 'structures', what: 'the schema', structures: structuresOfJsonSchema(document, name) };
  }
  return { kind: 'structures', what: 'the dictionary', structures: await dictionary(path, fileName, name) };
}
function readJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new Fault('structure', `it is not sound JSON (${(error as Error).message}).`);
  }
}
/** As YAML 1.2 has it: JSON, written otherwise. What refers to more than anybody meant is refused by the package. */
async function readYaml(text: string): Promise<unknown> {
  const { LineCounter, parseDocument } = await import('yaml');
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const [wrong] = document.errors;
  if (wrong)
    throw new Fault('structure', `it is not sound YAML (line ${lines.linePos(wrong.pos[0]).line}: ${wrong.message}).`);
  try {
    // Through JSON, so that what is named twice is there twice and nothing is of a kind that JSON has not.
    return JSON.parse(JSON.stringify(document.toJS({ maxAliasCount: 1000 }) ?? null)) as unknown;
  } catch (error) {
    throw new Fault('structure', `it can't be read as a description (${(error as Error).message}).`);
  }
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
  for await (const { firstRow, rows: read } of recordsOf(path, fileName, look.format))
    for (const [i, row] of read.entries()) {
      // A field that could not be read would be missing from the structure without a word.
      if (row instanceof Unreadable) throw new Fault('structure', `row ${firstRow + i} can't be read: ${row.message}`);
      rows.push(row);
    }
  return structuresOfDictionary(look.fields, rows, name);
}
