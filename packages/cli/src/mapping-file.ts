import { readFileSync } from 'node:fs';
import { fileFormat } from '@versicle/contract';
import {
  DocumentError,
  FormatError,
  marksOf,
  mentionsDoc,
  readDocument,
  type FileFormat,
  type MappingDocument,
  type Marks,
  type Problem,
} from '@versicle/core';
import { lookAt, readDocumentWorkbook } from '@versicle/files';
import { BadInput } from './errors.ts';
import { requireFile } from './files.ts';
import { basename } from 'node:path';

export async function loadMapping(path: string): Promise<MappingDocument> {
  requireFile(path);
  try {
    if (/\.xlsx$/i.test(path)) return (await readDocumentWorkbook(path, basename(path))).document;
    return readDocument(readFileSync(path, 'utf8'));
  } catch (error) {
    if (error instanceof FormatError) throw new BadInput(error.message);
    if (error instanceof DocumentError)
      throw new BadInput(
        `${path} is not a mapping document:\n${error.problems.map((p) => `  ${p.path || 'document'}: ${p.message}`).join('\n')}`,
      );
    throw error;
  }
}

/** A problem as one line of text. */
export function problemText(p: Problem): string {
  const where = [p.line ? `line ${p.line}` : '', p.path].filter(Boolean).join(', ');
  return `${p.severity}: ${where}${p.at !== undefined ? `, position ${p.at + 1}` : ''}: ${p.message}`;
}

/** `system/file.xml/order.task`: what follows the file is a sheet or structure in it. */
function partOf(dataset: string): string | null {
  return dataset.split('/').slice(2).join('/') || null;
}

export interface SourceFile {
  readonly path: string;
  readonly name: string;
  readonly format: FileFormat;
  readonly fields: readonly string[];
  /** How its numbers and dates are written, where a format that was given declares it. */
  readonly marks: Marks | null;
}

/** Finds the file given for the primary dataset: `--source` names the alias, the dataset or its last part. */
export async function sourceFile(
  document: MappingDocument,
  given: readonly string[],
  formats: readonly string[] = [],
): Promise<SourceFile> {
  const { alias, dataset } = document.source.primary;
  const names = new Set([alias, dataset, dataset.split('/').at(-1)!]);
  const files = given.map((text) => namedFile('--source', text));
  const declared = formats.map((text) => namedFile('--format', text));
  const stranger = [...files, ...declared].find((f) => !names.has(f.name));
  if (stranger)
    throw new BadInput(`The mapping has no source “${stranger.name}”; it reads ${dataset} under the alias ${alias}.`);
  if (files.length > 1) throw new BadInput(`Two files are given for ${dataset}; give one.`);
  if (files.length === 0) throw new BadInput(`Name the file for ${dataset}: --source ${alias}=FILE`);
  const format = declared.length === 0 ? null : readFormat(declared.at(-1)!.path);
  return openSource(files[0]!.path, partOf(dataset), mentionsDoc(document), format);
}
function namedFile(option: string, text: string): { name: string; path: string } {
  const at = text.indexOf('=');
  if (at < 1) throw new BadInput(`${option} is written as NAME=FILE; “${text}” has no name.`);
  return { name: text.slice(0, at), path: text.slice(at + 1) };
}

/** A format as people settled it, in the shape that the API gives it. */
function readFormat(path: string): FileFormat {
  requireFile(path);
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new BadInput(`${path} is not JSON: ${(error as Error).message}`);
  }
  const found = fileFormat.safeParse(value);
  if (found.success) return found.data as FileFormat;
  const [issue] = found.error.issues;
  throw new BadInput(`${path} is not a format: ${issue!.path.join('.') || 'format'}: ${issue!.message}.`);
}

/** `part`: the sheet or structure that is read. */
export async function openSource(
  path: string,
  part: string | null = null,
  withDoc = false,
  given: FileFormat | null = null,
): Promise<SourceFile> {
  requireFile(path);
  const name = basename(path);
  try {
    const { format, fields } = await lookAt(path, name, part, given);
    return {
      path,
      name,
      format: format.kind === 'json' || format.kind === 'xml' ? { ...format, withDoc } : format,
      fields,
      marks: given && marksOf(format),
    };
  } catch (error) {
    if (error instanceof FormatError)
      throw new BadInput(error.message.includes(name) ? error.message : `${name}: ${error.message}`);
    throw error;
  }
}
