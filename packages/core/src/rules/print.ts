import { RESERVED } from './keywords.ts';
import type { Node, SortKey } from './syntax.ts';

/** A field as SQL text for the push-down; the caller decides how sources are named there. */
export type FieldPrinter = (alias: string | null, name: string) => string;

/** A text as an SQL literal. */
export function textLiteral(value: string): string {
  return `'${value.replace(/'/g, "''")}'`;
}
export function quoteName(name: string): string {
  return `"${name.replace(/"/g, '""')}"`;
}
/** A name as it stands in a rule: quoted only where it has to be. */
export function writtenName(name: string): string {
  return RESERVED.has(name) ? quoteName(name) : nameBehindDot(name);
}
/** Behind a dot no word is reserved. */
const nameBehindDot = (name: string): string => (/^[a-z_][a-z0-9_]*$/.test(name) ? name : quoteName(name));
/** A field as it stands in a rule. */
export const fieldText: FieldPrinter = (alias, name) =>
  alias === null ? writtenName(name) : `${alias}.${nameBehindDot(name)}`;

/** Prints a node in a way of the caller's; null where the ordinary way does. */
export type NodePrinter = (node: Node, print: (node: Node) => string) => string | null;

/** The syntax tree back as SQL, fully bracketed, so that it reads the same under any precedence. */
export function printRule(node: Node, field: FieldPrinter = fieldText, otherwise: NodePrinter = () => null): string {
  const p = (n: Node): string => printRule(n, field, otherwise);
  const own = otherwise(node, p);
  if (own !== null) return own;
  switch (node.kind) {
    case 'text':
      return textLiteral(node.value);
    case 'number':
      return node.value;
    case 'boolean':
      return node.value ? 'TRUE' : 'FALSE';
    case 'null':
      return 'NULL';
    case 'field':
      return field(node.alias, node.name);
    case 'variable':
      return `:${node.name}`;
    case 'unary':
      return node.op === 'not' ? `(NOT ${p(node.arg)})` : `(${node.op} ${p(node.arg)})`;
    case 'binary':
      return `(${p(node.left)} ${node.op.toUpperCase()} ${p(node.right)})`;
    case 'is':
      return `(${p(node.arg)} IS ${node.not ? 'NOT ' : ''}${node.test.toUpperCase()})`;
    case 'distinct':
      return `(${p(node.left)} IS ${node.not ? 'NOT ' : ''}DISTINCT FROM ${p(node.right)})`;
    case 'in':
      if (node.asArray)
        return `(${p(node.arg)} ${node.not ? '<> ALL' : '= ANY'} (ARRAY[${node.list.map(p).join(', ')}]))`;
      return `(${p(node.arg)} ${node.not ? 'NOT ' : ''}IN (${node.list.map(p).join(', ')}))`;
    case 'between':
      return `(${p(node.arg)} ${node.not ? 'NOT ' : ''}BETWEEN ${node.symmetric ? 'SYMMETRIC ' : ''}${p(node.low)} AND ${p(node.high)})`;
    case 'like':
      return `(${p(node.arg)} ${node.not ? 'NOT ' : ''}${node.insensitive ? 'ILIKE' : 'LIKE'} ${p(node.pattern)}${node.escape ? ` ESCAPE ${p(node.escape)}` : ''})`;
    case 'case':
      return `CASE${node.arg ? ` ${p(node.arg)}` : ''}${node.branches.map((b) => ` WHEN ${p(b.when)} THEN ${p(b.then)}`).join('')}${node.otherwise ? ` ELSE ${p(node.otherwise)}` : ''} END`;
    case 'cast':
      return `CAST(${p(node.arg)} AS ${node.type})`;
    case 'array':
      return `ARRAY[${node.items.map(p).join(', ')}]`;
    case 'subscript':
      return `(${p(node.arg)})[${p(node.index)}]`;
    case 'call':
      if (/^(current_date|current_timestamp|localtimestamp)$/.test(node.name)) return node.name.toUpperCase();
      // Two functions of the standard have words between their arguments and no other form.
      if (node.name === 'extract') return `EXTRACT(${p(node.args[0]!)} FROM ${p(node.args[1]!)})`;
      if (node.name === 'position') return `POSITION(${p(node.args[1]!)} IN ${p(node.args[0]!)})`;
      if (node.name === 'similar to' || node.name === '= any') {
        const [left, right, escape] = node.args.map(p);
        return node.name === '= any'
          ? `(${left} = ANY (${right}))`
          : `(${left} SIMILAR TO ${right}${escape === undefined ? '' : ` ESCAPE ${escape}`})`;
      }
      if (node.name === 'substring similar') {
        const [whole, pattern, escape] = node.args.map(p);
        return `SUBSTRING(${whole} SIMILAR ${pattern} ESCAPE ${escape})`;
      }
      if (node.name === 'normalize' && node.args[1]?.kind === 'text')
        return `NORMALIZE(${p(node.args[0]!)}, ${node.args[1].value.toUpperCase()})`;
      return `${node.name}(${insideCall(node, p)})${node.over?.filter ? ` FILTER (WHERE ${p(node.over.filter)})` : ''}`;
  }
}
function insideCall({ args, over }: Extract<Node, { kind: 'call' }>, p: (node: Node) => string): string {
  const list = args.map(p).join(', ');
  if (!over) return list;
  if (over.star) return '*';
  const order = over.orderBy.length === 0 ? '' : ` ORDER BY ${over.orderBy.map((k) => printSortKey(k, p)).join(', ')}`;
  return `${over.distinct ? 'DISTINCT ' : ''}${list}${order}`;
}
export function printSortKey({ by, descending, nulls }: SortKey, p: (node: Node) => string): string {
  return `${p(by)}${descending ? ' DESC' : ''}${nulls === null ? '' : ` NULLS ${nulls.toUpperCase()}`}`;
}
