import { readFileSync } from 'node:fs';
import {
  DocumentError,
  FormatError,
  mentionsDoc,
  readDocument,
  type FileFormat,
  type MappingDocument,
  type Problem,
} from '@versicle/core';
import { lookAt } from '@versicle/files';
import { BadInput } from './errors.ts';
import { requireFile } from './files.ts';
import { basename } from 'node:path';

export function loadMapping(path: string): MappingDocument {
  requireFile(path);
  if (/\.xlsx$/i.test(path))
    throw new BadInput(`${path}: workbooks are not read yet; use the JSON form (*.versicle.json).`);
  try {
    return readDocument(readFileSync(path, 'utf8'));
  } catch (error) {
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
}

/** Finds the file given for the primary dataset: `--source` names the alias, the dataset or its last part. */
export async function sourceFile(document: MappingDocument, given: readonly string[]): Promise<SourceFile> {
  const { alias, dataset } = document.source.primary;
  const names = new Set([alias, dataset, dataset.split('/').at(-1)!]);
  const files = given.map((text) => {
    const at = text.indexOf('=');
    if (at < 1) throw new BadInput(`--source is written as NAME=FILE; “${text}” has no name.`);
    return { name: text.slice(0, at), path: text.slice(at + 1) };
  });
  const stranger = files.find((f) => !names.has(f.name));
  if (stranger)
    throw new BadInput(`The mapping has no source “${stranger.name}”; it reads ${dataset} under the alias ${alias}.`);
  if (files.length > 1) throw new BadInput(`Two files are given for ${dataset}; give one.`);
  if (files.length === 0) throw new BadInput(`Name the file for ${dataset}: --source ${alias}=FILE`);
  return openSource(files[0]!.path, partOf(dataset), mentionsDoc(document));
}

/** `part`: the sheet or structure that is read. */
export async function openSource(path: string, part: string | null = null, withDoc = false): Promise<SourceFile> {
  requireFile(path);
  const name = basename(path);
  try {
    const { format, fields } = await lookAt(path, name, part);
    return {
      path,
      name,
      format: format.kind === 'json' || format.kind === 'xml' ? { ...format, withDoc } : format,
      fields,
    };
  } catch (error) {
    if (error instanceof FormatError)
      throw new BadInput(error.message.includes(name) ? error.message : `${name}: ${error.message}`);
    throw error;
  }
}
