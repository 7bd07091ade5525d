import {
  type Fault,
  isFault,
  mergeUnknown,
  readerFor,
  type Structure,
  structuresOfXsd,
  Unreadable,
  withDescribed,
  type XmlFormat,
} from '@versicle/core';
import { XmlDocument, XsdValidator } from 'libxml2-wasm';
import { randomBelow } from '@versicle/core/testing/random';
import { randomSchema } from './random-schema.ts';

/**
 * `node --import tsx schemas.ts SEED SCHEMAS`: as many random schemas, and documents that libxml2 calls valid by them, are read by
 * the structures that we take from the schema; writes as JSON what got lost, and how many were read.
 */
const [seed = 1, schemas = 100] = process.argv.slice(2).map(Number);
const below = randomBelow(seed);
const found: { readonly problem: string; readonly xsd: string; readonly xml: string }[] = [];
let read = 0;
let passedOver = 0;

for (let i = 0; i < schemas; i++) {
  const { xsd, document } = randomSchema(below);
  const validator = validatorOf(xsd);
  const documents = Array.from({ length: 3 }, document);
  // Not every random schema is one, and not every document valid: where names repeat, it is not clear what stands for what.
  if (validator === null) passedOver += documents.length;
  else
    for (const { xml, values } of documents) {
      if (!isValid(validator, xml)) {
        passedOver++;
        continue;
      }
      read++;
      const problem = lost(xsd, xml, values);
      if (problem !== null) found.push({ problem, xsd, xml });
    }
  validator?.dispose();
}
// The shortest say the most.
found.sort((a, b) => a.xsd.length - b.xsd.length);
console.log(JSON.stringify({ seed, read, passedOver, lost: found.length, found: found.slice(0, 5) }, null, 1));

function validatorOf(xsd: string): XsdValidator | null {
  const schema = XmlDocument.fromString(xsd);
  try {
    return XsdValidator.fromDoc(schema);
  } catch {
    return null;
  } finally {
    schema.dispose();
  }
}
function isValid(validator: XsdValidator, xml: string): boolean {
  const document = XmlDocument.fromString(xml);
  try {
    validator.validate(document);
    return true;
  } catch {
    return false;
  } finally {
    document.dispose();
  }
}

function lost(xsd: string, xml: string, values: number): string | null {
  let structures: readonly Structure[];
  try {
    structures = structuresOfXsd(xsd);
  } catch (error) {
    if (!isFault(error)) throw error;
    return `refused: ${(error as Fault).message}`;
  }
  const bare: XmlFormat = { kind: 'xml', encoding: 'utf-8', records: 'export/rec', structures: [{ path: '', fields: [] }], part: '', withDoc: false }; // prettier-ignore
  const { format } = withDescribed(bare, structures, '');
  let seen = 0;
  for (const { path } of format.structures) {
    const reader = readerFor({ ...format, part: path }, null);
    const batches = [reader.push(new TextEncoder().encode(xml)), reader.end()];
    const names = reader.names ?? [];
    const required = requiredOf(structures, path);
    for (const row of batches.flatMap((batch) => batch.rows)) {
      if (row instanceof Unreadable) return `unreadable, ${path}: ${row.message}`;
      for (const [i, value] of row.entries())
        if (!names[i]!.startsWith('_')) {
          if (value !== null) seen += 1;
          else if (required.has(names[i]!)) return `${path}/${names[i]!} is missing, but the schema requires it`;
        }
    }
    const unknown = [...mergeUnknown(batches.map((batch) => batch.unknown)).keys()];
    if (unknown.length > 0) return `unknown, ${path}: ${unknown.join(', ')}`;
  }
  return seen === values ? null : `${values} values are in it, ${seen} were read`;
}
function requiredOf(structures: readonly Structure[], path: string): ReadonlySet<string> {
  const name = ['export/rec', ...path.split('.').filter(Boolean)].join('/');
  const structure = structures.find((s) => s.name === name);
  return new Set(structure?.fields.filter((f) => !f.nullable).map((f) => f.name));
}
