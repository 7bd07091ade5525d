import { parseFieldType, type ValueType } from '../fields/types.ts';
import { RuleError } from './errors.ts';
import { textLiteral, type NodePrinter } from './print.ts';
import type { Node } from './syntax.ts';

/** What the printed SQL stands in. */
export interface PushDown {
  /** Names the table of a code table, with columns "from" and "to". */
  readonly codeTable: (name: string) => string;
  /** What a code becomes that does not stand in the table; null where that fails. */
  readonly codeDefault: (name: string) => string | null;
  /** Names the table of a key map, with columns "source" and "target". */
  readonly keyMap: (mapping: string) => string;
  readonly variable: (name: string) => string;
  /** What now() means; null leaves it to the database. */
  readonly now: string | null;
  readonly typeOf: (node: Node) => ValueType;
  /** Says whether a text can be read as a type; PostgreSQL has such a function from 16 on. */
  readonly isInput: string;
}
/** PostgreSQL's own, from 16 on: (text, type) → boolean. */
export const IS_INPUT = 'pg_input_is_valid';

/** Our own functions in plain PostgreSQL SQL (docs/rules.md, Push-down). Throws RuleError for what has no such form. */
export function pushedDown(to: PushDown): NodePrinter {
  /** fail() has the type of what it stands in. */
  const failsAs = new Map<Node, ValueType>();
  return (node, p) => {
    if (node.kind === 'variable') return to.variable(node.name);
    const branches =
      node.kind === 'case'
        ? [...node.branches.map((b) => b.then), node.otherwise]
        : node.kind === 'call' && node.name === 'coalesce'
          ? node.args
          : [];
    for (const branch of branches)
      if (branch?.kind === 'call' && branch.name === 'fail') failsAs.set(branch, to.typeOf(node));
    if (node.kind !== 'call') return null;
    const arg = (i: number): string => p(node.args[i]!);
    switch (node.name) {
      case 'lookup':
        return lookup(node, to, p);
      case 'mapped_key': {
        const map = to.keyMap(textOf(node.args[0]));
        const found = `(SELECT "K"."target" FROM ${map} AS "K" WHERE "K"."source" = ${arg(1)} LIMIT 1)`;
        return `CASE WHEN ${arg(1)} IS NOT NULL THEN COALESCE(${found}, ${failing(`concat(${arg(1)}, ' is not in the key map')`)}) END`;
      }
      case 'try_cast':
        return tryCast(node, to, p);
      case 'fail':
        return `CAST(${failing(arg(0))} AS ${failsAs.get(node) ?? 'text'})`;
      case 'parse_date':
        return strictRead(arg(0), textOf(node.args[1]), 'date');
      case 'parse_timestamp': {
        const read = strictRead(arg(0), textOf(node.args[1]), 'timestamp');
        return node.args.length === 3 ? `(${read} AT TIME ZONE ${arg(2)})` : read;
      }
      case 'parse_number':
        return strictNumber(arg(0), markOf(node.args[1], '.'), markOf(node.args[2], ''));
      case 'now':
      case 'current_timestamp':
        return to.now;
      case 'current_date':
        return to.now === null ? null : `CAST(${to.now} AS date)`;
      case 'localtimestamp':
        return to.now === null ? null : `CAST(${to.now} AS timestamp)`;
      default:
        return null;
    }
  };
}

type Call = Extract<Node, { kind: 'call' }>;
/** What is selected from has a capital for its name: aliases of source sets are small letters, and must not be hidden by it. */
function lookup(node: Call, to: PushDown, p: (node: Node) => string): string {
  const value = p(node.args[1]!);
  const found = `(SELECT "C"."to" FROM ${to.codeTable(textOf(node.args[0]))} AS "C" WHERE "C"."from" = ${value} LIMIT 1)`;
  if (node.args.length === 3) return `COALESCE(${found}, ${p(node.args[2]!)})`;
  const otherwise = to.codeDefault(textOf(node.args[0]));
  const last = otherwise === null ? failing(`concat(${value}, ' is not in the code table')`) : textLiteral(otherwise);
  return `CASE WHEN ${value} IS NOT NULL THEN COALESCE(${found}, ${last}) END`;
}
function tryCast(node: Call, to: PushDown, p: (node: Node) => string): string {
  const [value, type] = node.args as [Node, Node];
  const wanted = parseFieldType(textOf(type));
  const given = to.typeOf(value);
  if (given !== 'text' && given !== 'unknown')
    throw new RuleError('try_cast of anything but text has no form in plain SQL.', node.at, node.end);
  const text = `CAST(${p(value)} AS text)`;
  return `CASE WHEN ${to.isInput}(${text}, ${textLiteral(wanted.value)}) THEN CAST(${text} AS ${wanted.sql}) END`;
}

/** An error with this text: it must not be worked out before a record comes to it, hence the volatile part. */
function failing(message: string): string {
  return `CAST(CAST(concat('failed: ', ${message}, CASE WHEN random() < 0 THEN '' END) AS integer) AS text)`;
}

const PARTS: readonly (readonly [letters: string, regex: string])[] = [
  ['YYYY', '[0-9]{4}'],
  ['HH24', '[0-9]{2}'],
  ['HH12', '[0-9]{2}'],
  ['DDD', '[0-9]{3}'],
  ['YY', '[0-9]{2}'],
  ['MM', '[0-9]{2}'],
  ['DD', '[0-9]{2}'],
  ['HH', '[0-9]{2}'],
  ['MI', '[0-9]{2}'],
  ['SS', '[0-9]{2}'],
  ['MS', '[0-9]{3}'],
  ['US', '[0-9]{6}'],
];
/** A strict reader: the whole text in the pattern's shape, and the same text when it is written again. */
export function strictRead(text: string, pattern: string, type: 'date' | 'timestamp'): string {
  let regex = '';
  for (let at = 0; at < pattern.length;) {
    const part = PARTS.find(([letters]) => pattern.slice(at, at + letters.length).toUpperCase() === letters);
    const mark = pattern[at]!;
    if (!part && /[A-Za-z"]/.test(mark))
      throw new RuleError(`The pattern ${pattern} has no form in plain SQL (its ${mark}).`, 0, 0);
    regex += part ? part[1] : /[ ,:_/-]/.test(mark) ? mark : `\\${mark}`;
    at += part ? part[0].length : 1;
  }
  const p = textLiteral(pattern);
  const read = `to_timestamp(${text}, ${p})`;
  const again = `to_char(${read} AT TIME ZONE 'UTC', ${p})`;
  const value = type === 'date' ? `to_date(${text}, ${p})` : `(${read} AT TIME ZONE 'UTC')`;
  const sound = `CASE WHEN ${text} ~ ${textLiteral(`^${regex}$`)} THEN ${again} = ${text} ELSE FALSE END`;
  return `CASE WHEN ${text} IS NULL THEN NULL WHEN ${sound} THEN ${value} ELSE CAST(${failing(`concat(${text}, ' does not fit ', ${p})`)} AS ${type}) END`;
}
/** Digits with a decimal mark and groups, sign in front or behind; an error for anything else. */
export function strictNumber(text: string, decimal: string, group: string): string {
  const escaped = (mark: string): string => (mark === '' ? '' : `\\${mark}`);
  const whole = group === '' ? '[0-9]+' : `([0-9]+|[0-9]{1,3}(${escaped(group)}[0-9]{3})+)`;
  const body = `${whole}(${escaped(decimal)}[0-9]+)?`;
  const regex = textLiteral(`^([+-]?${body}|${body}[+-])$`);
  const digits = `translate(${text}, ${textLiteral(`${decimal}+-${group}`)}, '.')`;
  const value = `CAST(concat(CASE WHEN position('-' IN ${text}) > 0 THEN '-' END, ${digits}) AS numeric)`;
  return `CASE WHEN ${text} IS NULL THEN NULL WHEN ${text} ~ ${regex} THEN ${value} ELSE CAST(${failing(`concat(${text}, ' is not a number')`)} AS numeric) END`;
}

function textOf(node: Node | undefined): string {
  if (node?.kind === 'text') return node.value;
  throw new RuleError('This must be written out in quotes to be done in the database.', node?.at ?? 0, node?.end ?? 0);
}
function markOf(node: Node | undefined, otherwise: string): string {
  return node === undefined ? otherwise : textOf(node);
}
