import { Fault } from '../faults.ts';
import { field, type Structure, type StructureField } from './structure.ts';

type Schema = Record<string, unknown>;
const isObject = (value: unknown): value is Schema =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const MAX_LEVELS = 12;
const MAX_STRUCTURES = 2000;
const MAX_FIELDS = 5000;

/**
 * The structures that a JSON Schema (2020-12 and the older drafts that agree with it here) describes: the record itself
 * under `name`, and one for each list inside it (`name.lines`). References within the document are followed; one that leads
 * back into itself is cut. Throws a fault.
 */
export function structuresOfJsonSchema(root: unknown, name: string, schema: unknown = root): Structure[] {
  if (!isObject(root) || !isObject(schema))
    throw new Fault('structure', 'It is not a JSON Schema: it must be an object.');
  const found: Structure[] = [];
  const reader = new Reader(root);
  const top = reader.resolve(schema);
  reader.structure(
    typeOf(top) === 'array' && isObject(top['items']) ? reader.resolve(top['items']) : top,
    name,
    found,
    [],
  );
  if (found.every((s) => s.fields.length === 0)) throw new Fault('structure', 'The schema describes no properties.');
  return found;
}

/** The first type that is not null. */
function typeOf(schema: Schema): string | null {
  const { type } = schema;
  if (Array.isArray(type)) return (type.find((t) => t !== 'null') as string | undefined) ?? null;
  return typeof type === 'string'
    ? type
    : isObject(schema['properties'])
      ? 'object'
      : isObject(schema['items'])
        ? 'array'
        : null;
}
const allowsNull = (schema: Schema): boolean =>
  (Array.isArray(schema['type']) && schema['type'].includes('null')) || schema['nullable'] === true;
const requiredBy = (schema: Schema): string[] =>
  Array.isArray(schema['required']) ? (schema['required'] as string[]) : [];
const defined = (schema: Schema): Schema =>
  Object.fromEntries(Object.entries(schema).filter(([, value]) => value !== undefined));
/** The properties of several schemas together; a later one comes before an earlier one. */
function propertiesOf(parts: readonly Schema[]): Schema {
  const all = parts.flatMap((part) => (isObject(part['properties']) ? Object.entries(part['properties']) : []));
  return all.length === 0 ? {} : { properties: Object.fromEntries(all) };
}
function unescaped(part: string, ref: string): string {
  try {
    return decodeURIComponent(part).replace(/~1/g, '/').replace(/~0/g, '~');
  } catch {
    throw new Fault('structure', `The reference ${ref} can't be read: a % in it stands before no two digits.`);
  }
}
const text = (value: unknown): string | null =>
  typeof value === 'string' && value.trim() !== '' ? value.trim() : null;

class Reader {
  /** What was resolved already; null: it is being resolved. */
  private readonly resolved = new Map<Schema, Schema | null>();
  constructor(private readonly root: Schema) {}

  /** A schema with its references followed and its parts put together; the same one for the same. Throws a fault. */
  resolve(schema: Schema): Schema {
    const at = this.target(schema);
    const known = this.resolved.get(at);
    if (known) return known;
    if (known === null)
      throw new Fault(
        'structure',
        'A schema in it is made of itself (allOf, anyOf or $ref that lead round in circles).',
      );
    this.resolved.set(at, null);
    const found = this.whole(at);
    this.resolved.set(at, found);
    return found;
  }
  private target(schema: Schema): Schema {
    let at = schema;
    for (let hops = 0; typeof at['$ref'] === 'string'; hops++) {
      const ref = at['$ref'];
      if (!ref.startsWith('#') || hops > 20)
        throw new Fault(
          'structure',
          `The reference ${ref} leads out of the document or round in circles; put it all into one file.`,
        );
      let target: unknown = this.root;
      for (const part of ref.slice(1).split('/').filter(Boolean)) {
        const name = unescaped(part, ref);
        target = (isObject(target) || Array.isArray(target)) && Object.hasOwn(target, name) ? (target as Schema)[name] : undefined; // prettier-ignore
      }
      if (!isObject(target)) throw new Fault('structure', `The reference ${ref} leads to nothing.`);
      at = target;
    }
    return at;
  }
  private whole(at: Schema): Schema {
    const any = at['anyOf'] ?? at['oneOf'];
    const one = Array.isArray(any) ? this.oneOf(at, any.filter(isObject)) : at;
    if (!Array.isArray(one['allOf'])) return one;
    const parts = one['allOf'].filter(isObject).map((p: Schema) => this.resolve(p));
    return {
      ...Object.assign({}, ...parts.filter((p) => !isObject(p['properties']))),
      ...one,
      ...(parts.some((p) => isObject(p['properties'])) ? { type: 'object' } : {}),
      ...propertiesOf([...parts, one]),
      required: [...parts, one].flatMap(requiredBy),
    } as Schema;
  }
  /** One of several: what they have together, with null where that is one of them. */
  private oneOf(at: Schema, any: readonly Schema[]): Schema {
    const all = any.map((schema) => this.resolve(schema));
    const real = all.filter((schema) => schema['type'] !== 'null' && schema['const'] !== null);
    const rest = { ...at, anyOf: undefined, oneOf: undefined };
    const nullable = real.length < all.length || real.some(allowsNull) ? { nullable: true } : {};
    if (real.length === 1) return { ...real[0], ...defined(rest), ...nullable };
    if (real.length > 1 && real.every((schema) => isObject(schema['properties']))) {
      // What not each of them requires may be missing.
      const [first, ...others] = real.map((schema) => new Set(requiredBy(schema)));
      const everywhere = [...first!].filter((name) => others.every((o) => o.has(name)));
      return { ...defined(rest), ...nullable, type: 'object', ...propertiesOf([...real, at]), required: [...requiredBy(at), ...everywhere] }; // prettier-ignore
    }
    // What each of them is, where it does not say so itself: several may only say what else must hold.
    const [type, ...others] = new Set(real.map(typeOf));
    return { ...(type && others.length === 0 ? { type } : {}), ...defined(rest), ...nullable };
  }

  structure(schema: Schema, name: string, found: Structure[], within: readonly Schema[]): void {
    if (found.length >= MAX_STRUCTURES) throw new Fault('structure', 'The schema has more than 2,000 structures.');
    const fields: StructureField[] = [];
    found.push({ name, description: text(schema['description']), fields });
    this.flatten(schema, '', name, fields, found, [...within, schema], true);
  }

  private flatten(
    schema: Schema,
    prefix: string,
    name: string,
    fields: StructureField[],
    found: Structure[],
    within: readonly Schema[],
    required: boolean,
  ): void {
    const properties = schema['properties'];
    if (fields.length > MAX_FIELDS)
      throw new Fault('structure', 'A structure of the schema has more than 5,000 fields.');
    if (!isObject(properties)) {
      fields.push(this.scalar(schema, prefix || 'value', required));
      return;
    }
    const needed = new Set(requiredBy(schema));
    for (const [key, raw] of Object.entries(properties)) {
      if (!isObject(raw)) continue;
      const inner = this.resolve(raw);
      const path = prefix ? `${prefix}.${key}` : key;
      const must = required && needed.has(key) && !allowsNull(inner);
      if (within.includes(inner) || within.length > MAX_LEVELS) continue;
      const type = typeOf(inner);
      if (type === 'array') {
        const items = isObject(inner['items']) ? this.resolve(inner['items']) : {};
        if (!within.includes(items)) this.structure(items, `${name}.${path}`, found, within);
      } else if (type === 'object' && isObject(inner['properties']))
        this.flatten(inner, path, name, fields, found, [...within, inner], must);
      else fields.push(this.scalar({ ...inner, description: raw['description'] ?? inner['description'] }, path, must));
    }
  }

  private scalar(schema: Schema, name: string, required: boolean): StructureField {
    const length = schema['maxLength'];
    const format = schema['format'];
    const type = typeOf(schema);
    const formats: Record<string, string> = { date: 'date', 'date-time': 'timestamptz', uuid: 'uuid' };
    const kind =
      type === 'integer'
        ? format === 'int64'
          ? 'bigint'
          : 'integer'
        : type === 'number'
          ? 'numeric'
          : type === 'boolean'
            ? 'boolean'
            : type === 'object' || type === 'array'
              ? 'jsonb'
              : ((typeof format === 'string' ? formats[format] : undefined) ??
                (typeof length === 'number' ? `varchar(${length})` : 'text'));
    return field(name, {
      type: kind,
      nullable: !required,
      label: text(schema['title']),
      description: text(schema['description']),
    });
  }
}

/** A dataset that an API's description tells of. */
export interface DescribedEndpoint {
  readonly name: string;
  readonly path: string;
  readonly description: string;
  /** Where the records are in the answer; empty: the answer is the list. */
  readonly records: string;
  readonly fields: readonly StructureField[];
  /** A parameter that looks like one for paging, with the member that names the next page. */
  readonly cursor: { readonly parameter: string; readonly next: string } | null;
  readonly page: { readonly parameter: string; readonly size: string | null } | null;
  readonly write: {
    readonly method: 'POST' | 'PUT' | 'PATCH';
    readonly path: string;
    readonly member: string | null;
    readonly many: boolean;
  } | null;
}

/** The datasets of an OpenAPI document (3.0 and 3.1): what a GET answers with lists of. Throws a fault. */
export function endpointsOfOpenApi(document: unknown): DescribedEndpoint[] {
  if (!isObject(document) || typeof document['openapi'] !== 'string' || !document['openapi'].startsWith('3.'))
    throw new Fault('structure', 'It is not an OpenAPI document of version 3.0 or 3.1.');
  const paths = document['paths'];
  if (!isObject(paths)) throw new Fault('structure', 'The OpenAPI document describes no paths.');
  const reader = new Reader(document);
  const found: DescribedEndpoint[] = [];
  const writes = new Map<string, DescribedEndpoint['write']>();
  for (const [path, item] of Object.entries(paths)) {
    if (!isObject(item)) continue;
    for (const method of ['post', 'put', 'patch'] as const) {
      const target = isObject(item[method]) ? writeTarget(reader, item[method]) : null;
      if (target && !writes.has(target.schema))
        writes.set(target.schema, {
          method: method.toUpperCase() as 'POST',
          path,
          member: target.member,
          many: target.many,
        });
    }
  }
  for (const [path, item] of Object.entries(paths)) {
    const get = isObject(item) ? item['get'] : undefined;
    if (!isObject(get)) continue;
    const answer = answerOf(reader, get);
    if (!answer) continue;
    const list = listIn(reader, answer, '');
    if (!list) continue;
    const name =
      path
        .replace(/\{[^}]*\}/g, '')
        .split('/')
        .filter(Boolean)
        .join('-') || 'root';
    const [structure] = structuresOfJsonSchema(document, name, list.items);
    found.push({
      name,
      path,
      description: text(get['summary']) ?? text(get['description']) ?? '',
      records: list.path,
      fields: structure!.fields,
      ...pagingOf(reader, get, answer),
      write: writes.get(JSON.stringify(list.items)) ?? null,
    });
  }
  if (found.length === 0)
    throw new Fault('structure', 'No GET of the OpenAPI document answers with a list of objects.');
  return found;
}

function answerOf(reader: Reader, operation: Schema): Schema | null {
  const responses = operation['responses'];
  const ok = isObject(responses) ? (responses['200'] ?? responses['2XX'] ?? responses['default']) : undefined;
  const content = isObject(ok) ? reader.resolve(ok)['content'] : undefined;
  if (!isObject(content)) return null;
  const json = Object.entries(content).find(([type]) => /json/.test(type))?.[1];
  return isObject(json) && isObject(json['schema']) ? reader.resolve(json['schema']) : null;
}
function listIn(reader: Reader, schema: Schema, path: string): { path: string; items: Schema } | null {
  if (typeOf(schema) === 'array') {
    const { items } = schema;
    return isObject(items) && isObject(reader.resolve(items)['properties']) ? { path, items } : null;
  }
  if (!isObject(schema['properties']) || path.split('.').length > 3) return null;
  for (const [name, raw] of Object.entries(schema['properties'])) {
    const found = isObject(raw) ? listIn(reader, reader.resolve(raw), path ? `${path}.${name}` : name) : null;
    if (found) return found;
  }
  return null;
}
function pagingOf(reader: Reader, get: Schema, answer: Schema): Pick<DescribedEndpoint, 'cursor' | 'page'> {
  const parameters = (Array.isArray(get['parameters']) ? (get['parameters'] as unknown[]) : [])
    .filter(isObject)
    .map((p) => reader.resolve(p))
    .filter((p) => p['in'] === 'query')
    .map((p) => String(p['name']));
  const cursor = parameters.find((p) => /cursor|page_?token|after/i.test(p));
  const next = nextIn(reader, answer, '');
  if (cursor && next) return { cursor: { parameter: cursor, next }, page: null };
  const page = parameters.find((p) => /^(page|page_?(no|number))$/i.test(p));
  const size = parameters.find((p) => /size|limit|per_?page/i.test(p)) ?? null;
  return { cursor: null, page: page ? { parameter: page, size } : null };
}
function nextIn(reader: Reader, schema: Schema, path: string): string | null {
  if (!isObject(schema['properties']) || path.split('.').length > 3) return null;
  for (const [name, raw] of Object.entries(schema['properties'])) {
    if (!isObject(raw)) continue;
    const at = path ? `${path}.${name}` : name;
    const inner = reader.resolve(raw);
    if (typeOf(inner) === 'string' && /next|cursor/i.test(name)) return at;
    const deeper = nextIn(reader, inner, at);
    if (deeper) return deeper;
  }
  return null;
}
/** What a request to write takes: the schema of its records, as the list of a GET names it. */
function writeTarget(
  reader: Reader,
  operation: Schema,
): { schema: string; member: string | null; many: boolean } | null {
  const raw = operation['requestBody'];
  const content = isObject(raw) ? reader.resolve(raw)['content'] : undefined;
  const json = isObject(content) ? Object.entries(content).find(([type]) => /json/.test(type))?.[1] : undefined;
  const schema = isObject(json) ? json['schema'] : undefined;
  if (!isObject(schema)) return null;
  const list = listIn(reader, reader.resolve(schema), '');
  return list
    ? { schema: JSON.stringify(list.items), member: list.path || null, many: true }
    : { schema: JSON.stringify(schema), member: null, many: false };
}
