import { readFileSync } from 'node:fs';
import { fileFormat } from '@versicle/contract';
import {
  composedNames,
  type DeclaredMarks,
  Fault,
  type FileFormat,
  isComposed,
  isFault,
  type MappingDocument,
  type Marks,
  marksOf,
  membersOf,
  mentionsDoc,
  type Problem,
  readDocument,
  type SetMember,
} from '@versicle/core';
import { documentInWorkbook, lookAt } from '@versicle/files';
import { requireFile } from './files.ts';
import { basename } from 'node:path';

export async function loadMapping(path: string): Promise<MappingDocument> {
  requireFile(path);
  try {
    if (/\.xlsx$/i.test(path)) return documentInWorkbook(path, basename(path));
    return readDocument(readFileSync(path, 'utf8'));
  } catch (error) {
    if (isFault(error, 'document'))
      throw new Fault(
        'input',
        `${path} is not a mapping document:\n${error.details.map((p) => `  ${p.path || 'document'}: ${p.message}`).join('\n')}`,
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

/** Finds the file given for each dataset of the source set: `--source` names an alias, a dataset or its last part. */
export async function sourceFiles(
  document: MappingDocument,
  given: readonly string[],
  formats: readonly string[] = [],
): Promise<SourceFile[]> {
  const members = membersOf(document);
  const files = given.map((text) => namedFile('--source', text));
  const declared = formats.map((text) => namedFile('--format', text));
  const answersTo = (member: SetMember, name: string): boolean =>
    (member.role !== 'union' && member.alias === name) ||
    [member.dataset, member.dataset.split('/').at(-1)!].includes(name);
  const stranger = [...files, ...declared].find((f) => !members.some((m) => answersTo(m, f.name)));
  if (stranger) {
    const reads = members.map((m) => `${m.dataset}${m.role === 'union' ? '' : ` under the alias ${m.alias}`}`);
    throw new Fault('input', `The mapping has no source “${stranger.name}”; it reads ${reads.join(', ')}.`);
  }
  const found: SourceFile[] = [];
  for (const member of members) {
    // The alias says it more exactly than the dataset, which may be joined twice.
    const own = files.filter((f) => member.role !== 'union' && f.name === member.alias);
    const fitting = own.length > 0 ? own : files.filter((f) => answersTo(member, f.name));
    if (fitting.length > 1) throw new Fault('input', `Two files are given for ${member.dataset}; give one.`);
    const [file] = fitting;
    if (!file)
      throw new Fault(
        'input',
        `Name the file for ${member.dataset}: --source ${member.role === 'union' ? member.dataset : member.alias}=FILE`,
      );
    const format = declared.filter((f) => answersTo(member, f.name)).at(-1);
    const withDoc = member.role !== 'union' && mentionsDoc(document, member.alias);
    found.push(await openSource(file.path, partOf(member.dataset), withDoc, format ? readFormat(format.path) : null));
  }
  return found;
}
/** What the files given for a source set call their fields, and how they write numbers and dates. */
export function sourceNames(
  document: MappingDocument,
  files: readonly SourceFile[],
): { names: readonly string[]; marks: DeclaredMarks; guessed: false } {
  if (!isComposed(document)) return { names: files[0]!.fields, marks: files[0]!.marks, guessed: false };
  const own = membersOf(document).flatMap((m, i) => (m.role === 'union' ? [] : [{ alias: m.alias, file: files[i]! }]));
  const marks = new Map(own.flatMap((o): [string, Marks][] => (o.file.marks ? [[o.alias, o.file.marks]] : [])));
  return { names: composedNames(document, new Map(own.map((o) => [o.alias, o.file.fields]))), marks, guessed: false };
}
function namedFile(option: string, text: string): { name: string; path: string } {
  const at = text.indexOf('=');
  if (at < 1) throw new Fault('input', `${option} is written as NAME=FILE; “${text}” has no name.`);
  return { name: text.slice(0, at), path: text.slice(at + 1) };
}

/** A format as people settled it, in the shape that the API gives it. */
function readFormat(path: string): FileFormat {
  requireFile(path);
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(path, 'utf8'));
  } catch (error) {
    throw new Fault('input', `${path} is not JSON: ${(error as Error).message}`);
  }
  const found = fileFormat.safeParse(value);
  if (found.success) return found.data as FileFormat;
  const [issue] = found.error.issues;
  throw new Fault('input', `${path} is not a format: ${issue!.path.join('.') || 'format'}: ${issue!.message}.`);
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
    if (isFault(error, 'unreadable'))
      throw new Fault('input', error.message.includes(name) ? error.message : `${name}: ${error.message}`);
    throw error;
  }
}
