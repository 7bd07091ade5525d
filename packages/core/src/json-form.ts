import * as z from 'zod';
import { Fault, type FaultDetail } from './faults.ts';
import { issueWords } from './issue-words.ts';
import { unkeptIn } from './unkept.ts';

/** Documents in their JSON form: read against a schema that refuses unknown keys, and written in one canonical way. */

// Whatever is checked by a schema, here and in the contract, is said in these words.
z.config({ localeError: issueWords });

/** That something is no such document, with every place that says so. */
export function noDocument(problems: readonly FaultDetail[]): Fault {
  return new Fault('document', problems.map((p) => `${p.path ? `${p.path}: ` : ''}${p.message}`).join('\n'), problems);
}

/** JSON as it stands in a file. Throws a fault. */
export function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text.replace(/^\ufeff/, ''));
  } catch (error) {
    throw noDocument([{ path: '', message: `This is not JSON: ${(error as Error).message}` }]);
  }
}

/**
 * A document of version 1, checked; `what` it is called: “a mapping document”. `within` says in people's words what a path
 * lies in. Throws a fault that names every path at fault.
 */
export function parseForm<S extends z.ZodType>(
  data: unknown,
  schema: S,
  what: string,
  within: (data: unknown, path: readonly PropertyKey[]) => string = () => '',
): z.output<S> {
  const version = typeof data === 'object' && data !== null ? (data as { versicle?: unknown }).versicle : undefined;
  if (typeof version === 'number' && version > 1)
    throw noDocument([
      {
        path: 'versicle',
        message: `This document is of version ${version}; this program reads version 1. Use a newer program.`,
      },
    ]);
  const unkept = unkeptIn(data);
  if (unkept !== null) throw noDocument([unkept]);
  const result = schema.safeParse(data);
  if (result.success) return result.data;
  throw noDocument(
    result.error.issues.flatMap((issue): FaultDetail[] => {
      const path = pathText(issue.path);
      if (issue.code === 'unrecognized_keys')
        return issue.keys.map((key) => ({
          path: path ? `${path}.${key}` : key,
          message: `This key is not part of ${what}.`,
        }));
      return [{ path, message: `${within(data, issue.path)}${issue.message}` }];
    }),
  );
}
function pathText(path: readonly PropertyKey[]): string {
  return path
    .map((part, i) => (typeof part === 'number' ? `[${part}]` : `${i > 0 ? '.' : ''}${String(part)}`))
    .join('');
}

/** The document with its keys in the schema's order and defaults written out: equal documents give equal text. */
export function canonicalForm(document: unknown, schema: z.ZodType): string {
  return `${JSON.stringify(ordered(schema.parse(document), schema), null, 2)}\n`;
}

function ordered(value: unknown, schema: unknown): unknown {
  const plain = variantOf(value, unwrap(schema));
  if (Array.isArray(value))
    return value.map((item) => ordered(item, plain instanceof z.ZodArray ? plain.element : undefined));
  if (typeof value !== 'object' || value === null) return value;
  const entries = Object.entries(value).filter(
    ([, v]) => (v !== undefined && v !== null) || plain instanceof z.ZodRecord,
  );
  if (plain instanceof z.ZodObject) {
    const shape = plain.shape as Record<string, unknown>;
    const order = Object.keys(shape);
    return Object.fromEntries(
      entries.sort(([a], [b]) => order.indexOf(a) - order.indexOf(b)).map(([k, v]) => [k, ordered(v, shape[k])]),
    );
  }
  const item = plain instanceof z.ZodRecord ? plain.valueType : undefined;
  return Object.fromEntries(entries.sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, v]) => [k, ordered(v, item)]));
}
function unwrap(schema: unknown): unknown {
  let inner = schema;
  while (inner instanceof z.ZodDefault || inner instanceof z.ZodOptional || inner instanceof z.ZodNullable)
    inner = inner.unwrap();
  return inner;
}
/** Of several shapes the one that a value has. */
function variantOf(value: unknown, schema: unknown): unknown {
  if (!(schema instanceof z.ZodUnion)) return schema;
  const fits = (schema.options as readonly z.ZodType[]).find((option) => option.safeParse(value).success);
  return fits === undefined ? schema : variantOf(value, unwrap(fits));
}
