import { isJsonArray, isJsonObject, JsonNumber, jsonText, readJson, type Json } from '../fields/json.ts';
import type { ValueType } from '../fields/types.ts';
import { valueText, type Value } from '../fields/values.ts';
import { quoted } from '../words.ts';
import type { RuleContext } from './context.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

/** jsonb: operators and functions (src/backend/utils/adt/jsonfuncs.c). A value is its canonical text; it is parsed as needed. */

let lastText = '';
let last: Json = null;
/** The same document is often asked several things in a row. */
export function parsed(text: string): Json {
  if (text !== lastText) {
    last = readJson(text)!.json;
    lastText = text;
  }
  return last;
}
export function canonicalJson(text: string): string | null {
  const read = readJson(text);
  return read && jsonText(read.json);
}

function member(json: Json, name: string): Json | undefined {
  return isJsonObject(json) ? json.get(name) : undefined;
}
function element(json: Json, index: number): Json | undefined {
  return isJsonArray(json) ? json[index < 0 ? json.length + index : index] : undefined;
}
/** A single value is stored as an array of itself, which shows where a place is asked for. */
const listOf = (json: Json): Json => (isJsonArray(json) || isJsonObject(json) ? json : [json]);
/** One step of a path: a name, or for arrays a place. */
function step(json: Json, name: string): Json | undefined {
  if (isJsonObject(json)) return json.get(name);
  return isJsonArray(json) && /^[ \t\n\v\f\r]*[+-]?\d+$/.test(name) && Math.abs(Number(name)) <= 2147483647
    ? element(json, Number(name))
    : undefined;
}
function along(json: Json, path: readonly (string | null)[]): Json | undefined {
  let at: Json | undefined = json;
  for (const name of path) {
    if (name === null || at === undefined) return undefined;
    at = step(at, name);
  }
  return at;
}
const asJson = (json: Json | undefined): Value => (json === undefined ? null : jsonText(json));
const asText = (json: Json | undefined): Value =>
  json === undefined || json === null ? null : typeof json === 'string' ? json : jsonText(json);

function contains(whole: Json, part: Json, top = true): boolean {
  if (isJsonObject(part))
    return (
      isJsonObject(whole) &&
      [...part].every(([name, value]) => whole.has(name) && contains(whole.get(name)!, value, false))
    );
  if (isJsonArray(part)) return isJsonArray(whole) && part.every((p) => whole.some((w) => contains(w, p, false)));
  if (top && isJsonArray(whole)) return whole.some((w) => contains(w, part, false));
  return jsonEqual(whole, part);
}
function jsonEqual(a: Json, b: Json): boolean {
  if (a instanceof JsonNumber && b instanceof JsonNumber)
    return (
      a.text.replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, '') === b.text.replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, '')
    );
  return jsonText(a) === jsonText(b);
}
const has = (json: Json, name: string): boolean =>
  isJsonObject(json) ? json.has(name) : isJsonArray(json) ? json.includes(name) : json === name;

function concatenated(a: Json, b: Json): Json {
  if (isJsonObject(a) && isJsonObject(b)) return new Map([...a, ...b]);
  const list = (json: Json): readonly Json[] => (isJsonArray(json) ? json : [json]);
  return [...list(a), ...list(b)];
}

const J = 'jsonb' as const;
const T = 'text' as const;
const A = 'text[]' as const;
type Path = readonly (string | null)[];

export const jsonOperators: Readonly<Record<string, readonly Overload[]>> = {
  '->': [
    over([J, T], J, (j: string, name: string) => asJson(member(parsed(j), name))),
    over([J, 'int4'], J, (j: string, i: number) => asJson(element(listOf(parsed(j)), i))),
  ],
  '->>': [
    over([J, T], T, (j: string, name: string) => asText(member(parsed(j), name))),
    over([J, 'int4'], T, (j: string, i: number) => asText(element(listOf(parsed(j)), i))),
  ],
  '#>': [over([J, A], J, (j: string, path: Path) => asJson(along(parsed(j), path)))],
  '#>>': [over([J, A], T, (j: string, path: Path) => asText(along(parsed(j), path)))],
  '@>': [over([J, J], 'bool', (a: string, b: string) => contains(readJson(a)!.json, parsed(b)))],
  '<@': [over([J, J], 'bool', (a: string, b: string) => contains(readJson(b)!.json, parsed(a)))],
  '?': [over([J, T], 'bool', (j: string, name: string) => has(parsed(j), name))],
  '?|': [over([J, A], 'bool', (j: string, names: Path) => names.some((n) => n !== null && has(parsed(j), n)))],
  '?&': [over([J, A], 'bool', (j: string, names: Path) => names.every((n) => n === null || has(parsed(j), n)))],
};
export const jsonConcatenation = over([J, J], J, (a: string, b: string) =>
  jsonText(concatenated(readJson(a)!.json, parsed(b))),
);
export const jsonDeletions: readonly Overload[] = [
  over([J, T], J, (j: string, name: string, ctx: RuleContext) => {
    const json = parsed(j);
    if (isJsonObject(json)) return jsonText(new Map([...json].filter(([n]) => n !== name)));
    if (isJsonArray(json)) return jsonText(json.filter((item) => item !== name));
    return ctx.fail('Nothing can be deleted from a single value.');
  }),
  over([J, 'int4'], J, (j: string, index: number, ctx: RuleContext) => {
    const json = parsed(j);
    if (isJsonObject(json)) return ctx.fail('A member is deleted by its name, not by a number.');
    if (!isJsonArray(json)) return ctx.fail('Nothing can be deleted from a single value.');
    const at = index < 0 ? json.length + index : index;
    return jsonText(json.filter((_, i) => i !== at));
  }),
];

/** A value of any type as JSON (datum_to_jsonb); dates and times as ISO 8601. */
export function jsonOfValue(value: Value, type: ValueType): string {
  if (value === null) return 'null';
  switch (type) {
    case 'jsonb':
      return value as string;
    case 'bool':
      return value ? 'true' : 'false';
    case 'int2':
    case 'int4':
    case 'int8':
      return String(value);
    case 'numeric':
    case 'float8': {
      const text = valueText(value, type)!;
      return canonicalJson(text) ?? jsonText(text);
    }
    case 'timestamp':
    case 'timestamptz': {
      const text = valueText(value, type)!;
      return jsonText(text.replace(' ', 'T').replace(/\+00$/, '+00:00'));
    }
    case 'text[]':
      return jsonText(value as readonly (string | null)[]);
    default:
      return jsonText(valueText(value, type)!);
  }
}
export function buildArray(items: readonly string[]): string {
  return jsonText(items.map((item) => readJson(item)!.json));
}
export function buildObject(items: readonly (string | null)[], ctx: RuleContext): string | null {
  const members = new Map<string, Json>();
  for (let i = 0; i < items.length; i += 2) {
    const name = items[i] ?? null;
    if (name === null) return ctx.fail('The name of a member must not be null.');
    members.set(name, readJson(items[i + 1]!)!.json);
  }
  return jsonText(members);
}

/* ---- casts ---- */

const KINDS: Partial<Record<ValueType, string>> = { bool: 'boolean', numeric: 'number' };
/** A JSON scalar as a value: its text for casting on, null for JSON's null. Fails where it is of another kind. */
export function scalarText(j: string, to: 'bool' | 'numeric', ctx: RuleContext): string | boolean | null {
  const json = parsed(j);
  if (json === null) return null;
  if (to === 'bool' && typeof json === 'boolean') return json;
  if (to === 'numeric' && json instanceof JsonNumber) return json.text;
  return ctx.fail(`${quoted(j)} is no ${KINDS[to]} in JSON.`);
}

/* ---- paths ---- */

type PathStep = { readonly member: string } | { readonly index: number | 'last' } | 'every member' | 'every element';

/** The part of the SQL/JSON path language that reads single values. Throws Error for the rest. */
function readPath(path: string): PathStep[] {
  let text = path.trim();
  if (/^strict\b/.test(text)) throw new Error('Strict JSON paths are not supported.');
  text = text.replace(/^lax\s+/, '');
  if (!text.startsWith('$')) throw new Error("A JSON path begins with $, as in '$.address.city'.");
  text = text.slice(1);
  const steps: PathStep[] = [];
  const STEP = /^\s*(?:\.\s*(?:([A-Za-z_][A-Za-z0-9_]*)|("(?:[^"\\]|\\.)*")|(\*))|\[\s*(?:(\d{1,9})|(last)|(\*))\s*\])/;
  while (text.trim() !== '') {
    const found = STEP.exec(text);
    if (!found || (found[1] !== undefined && /^\s*\(/.test(text.slice(found[0].length))))
      throw new Error(
        `The JSON path can’t be used from “${text.trim().slice(0, 40)}” on; use .name, ."name", [0], [last], [*] and .*`,
      );
    const [whole, name, inQuotes, members, index, atEnd] = found;
    if (name !== undefined) steps.push({ member: name });
    else if (inQuotes !== undefined) steps.push({ member: JSON.parse(inQuotes) as string });
    else if (members !== undefined) steps.push('every member');
    else if (index !== undefined) steps.push({ index: Number(index) });
    else steps.push(atEnd === undefined ? 'every element' : { index: 'last' });
    text = text.slice(whole.length);
  }
  return steps;
}
/** In lax mode an array is unwrapped where a member is wanted, and a single value counts as an array of one. */
function follow(json: Json, [next, ...rest]: readonly PathStep[]): Json[] {
  if (next === undefined) return [json];
  const onward = (found: readonly (Json | undefined)[]): Json[] =>
    found.flatMap((f) => (f === undefined ? [] : follow(f, rest)));
  if (next === 'every element') return onward(isJsonArray(json) ? json : [json]);
  if (typeof next === 'object' && 'index' in next) {
    const list = isJsonArray(json) ? json : [json];
    return onward([next.index === 'last' ? list[list.length - 1] : list[next.index]]);
  }
  const objects = isJsonArray(json) ? json : [json];
  return objects.flatMap((o) =>
    onward(
      !isJsonObject(o) ? [] : next === 'every member' ? [...o.values()] : [o.get((next as { member: string }).member)],
    ),
  );
}
const paths = new Map<string, PathStep[]>();
function pathFor(path: string): PathStep[] {
  let steps = paths.get(path);
  if (!steps) {
    steps = readPath(path);
    if (paths.size > 200) paths.clear();
    paths.set(path, steps);
  }
  return steps;
}
function jsonValue(j: string, path: string): Value {
  const found = follow(parsed(j), pathFor(path));
  const [one] = found;
  // Null on error, and nothing and several are errors of a value.
  if (found.length !== 1 || one === null || one === undefined || isJsonArray(one) || isJsonObject(one)) return null;
  return typeof one === 'boolean' ? (one ? 't' : 'f') : asText(one);
}

const constantPath = ([, path]: readonly (Value | undefined)[]): null => {
  if (typeof path !== 'string') throw new Error('The path of json_value is written out in quotes.');
  readPath(path);
  return null;
};
const kindOf = (json: Json): string =>
  json === null
    ? 'null'
    : isJsonArray(json)
      ? 'array'
      : isJsonObject(json)
        ? 'object'
        : json instanceof JsonNumber
          ? 'number'
          : typeof json;
function withoutNulls(json: Json): Json {
  if (isJsonArray(json)) return json.map(withoutNulls);
  if (!isJsonObject(json)) return json;
  return new Map([...json].filter(([, v]) => v !== null).map(([n, v]) => [n, withoutNulls(v)]));
}

export const jsonFunctions: RuleFunction[] = [
  {
    name: 'json_value',
    group: 'json',
    signature: "json_value(document, '$.path') → text",
    summary: 'The single value at a path of a JSON document; null where there is none, or more than one.',
    example: { rule: `json_value('{"bike": {"no": "00417"}}'::jsonb, '$.bike.no')`, value: '00417' },
    overloads: [
      over([J, T], T, jsonValue, { prepare: constantPath, changing: true }),
      over(
        [T, T],
        T,
        (text: string, path: string, ctx: RuleContext) => {
          const json = canonicalJson(text);
          return json === null ? ctx.fail(`${quoted(text)} is no JSON.`) : jsonValue(json, path);
        },
        { prepare: constantPath, changing: true },
      ),
    ],
  },
  {
    name: 'jsonb_typeof',
    group: 'json',
    signature: 'jsonb_typeof(jsonb) → text',
    summary: 'object, array, string, number, boolean or null.',
    example: { rule: "jsonb_typeof('[1]'::jsonb)", value: 'array' },
    overloads: [over([J], T, (j: string) => kindOf(parsed(j)))],
  },
  {
    name: 'jsonb_array_length',
    group: 'json',
    signature: 'jsonb_array_length(jsonb) → integer',
    summary: 'How many elements an array has.',
    example: { rule: "jsonb_array_length('[1, 2]'::jsonb)", value: '2' },
    overloads: [
      over([J], 'int4', (j: string, ctx: RuleContext) => {
        const json = parsed(j);
        return isJsonArray(json) ? json.length : ctx.fail(`${quoted(j)} is no array.`);
      }),
    ],
  },
  {
    name: 'jsonb_extract_path',
    group: 'json',
    signature: 'jsonb_extract_path(jsonb, name, …) → jsonb',
    summary: 'What lies at a path of names, as the operator #> gives it.',
    example: { rule: `jsonb_extract_path('{"a": {"b": 1}}'::jsonb, 'a', 'b')`, value: '1' },
    overloads: [
      over([J, T], J, (j: string, ...rest: unknown[]) => asJson(along(parsed(j), rest.slice(0, -1) as string[])), {
        variadic: true,
      }),
    ],
  },
  {
    name: 'jsonb_extract_path_text',
    group: 'json',
    signature: 'jsonb_extract_path_text(jsonb, name, …) → text',
    summary: 'What lies at a path of names, as the operator #>> gives it.',
    example: { rule: `jsonb_extract_path_text('{"a": {"b": "x"}}'::jsonb, 'a', 'b')`, value: 'x' },
    overloads: [
      over([J, T], T, (j: string, ...rest: unknown[]) => asText(along(parsed(j), rest.slice(0, -1) as string[])), {
        variadic: true,
      }),
    ],
  },
  {
    name: 'jsonb_strip_nulls',
    group: 'json',
    signature: 'jsonb_strip_nulls(jsonb) → jsonb',
    summary: 'Without the members that are null, at all depths.',
    example: { rule: `jsonb_strip_nulls('{"a": null, "b": 1}'::jsonb)`, value: '{"b": 1}' },
    overloads: [over([J], J, (j: string) => jsonText(withoutNulls(parsed(j))))],
  },
  {
    name: 'to_jsonb',
    group: 'json',
    signature: 'to_jsonb(value) → jsonb',
    summary: 'A value of any type as JSON.',
    example: { rule: "to_jsonb(DATE '2026-08-03')", value: '"2026-08-03"' },
    overloads: [],
  },
  {
    name: 'jsonb_build_object',
    group: 'json',
    signature: 'jsonb_build_object(name, value, …) → jsonb',
    summary: 'A JSON object of names and values in turn.',
    example: { rule: "jsonb_build_object('no', '00417', 'wheel', 660)", value: '{"no": "00417", "wheel": 660}' },
    overloads: [],
  },
  {
    name: 'jsonb_build_array',
    group: 'json',
    signature: 'jsonb_build_array(value, …) → jsonb',
    summary: 'A JSON array of values of any types.',
    example: { rule: "jsonb_build_array(1, 'a', NULL)", value: '[1, "a", null]' },
    overloads: [],
  },
];
