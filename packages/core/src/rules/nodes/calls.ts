import { nearest } from '../../words.ts';
import { aggregateType, isAggregate } from '../aggregates.ts';
import { anyOverloads } from '../array-functions.ts';
import { RuleError } from '../errors.ts';
import { functions, notYet } from '../functions.ts';
import { tryCast } from './casts.ts';
import { nullif, several } from './choices.ts';
import { toJson } from './json.ts';
import { similar } from './patterns.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

type Call = Extract<Node, { kind: 'call' }>;

/** What is written like a call and is none, by its name: its arguments follow rules of their own. */
const forms: ReadonlyMap<string, (c: Checking, node: Call) => Checked> = new Map([
  ['coalesce', several],
  ['greatest', several],
  ['least', several],
  ['nullif', nullif],
  ['try_cast', tryCast],
  ['to_jsonb', toJson],
  ['jsonb_build_object', toJson],
  ['jsonb_build_array', toJson],
  ['similar to', similar],
  ['substring similar', similar],
  [
    '= any',
    (c, node) =>
      c.resolve(
        '= ANY',
        anyOverloads,
        node.args.map((a) => c.check(a)),
        node,
      ),
  ],
]);

export function callCheck(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  const call: Node = node;
  if (isAggregate(call)) {
    aggregateType(call, (n) => c.check(n));
    throw new RuleError(
      `${node.name} is an aggregate; it is possible only in lines of a source set that groups.`,
      node.at,
      node.nameEnd,
    );
  }
  if (node.over)
    throw new RuleError(
      `${node.name} is no aggregate; DISTINCT, ORDER BY, FILTER and * belong to those.`,
      node.at,
      node.end,
    );
  const form = forms.get(node.name);
  if (form) return form(c, node);
  if (node.name === 'lookup') knownTable(c, node);
  const found = functions.get(node.name);
  if (found?.lenient) remarkLenient(c, node, found.name, found.lenient);
  if (!found) {
    if (notYet.has(node.name))
      throw new RuleError(`The function ${node.name} is not supported.${instead(node.name)}`, node.at, node.nameEnd);
    const near = nearest(node.name, functions.keys());
    throw new RuleError(
      `There is no function ${node.name}.${near ? ` Did you mean ${near}?` : ''}`,
      node.at,
      node.nameEnd,
      near ?? undefined,
    );
  }
  return c.resolve(
    `the function ${node.name}`,
    found.overloads,
    node.args.map((a) => c.check(a)),
    node,
    found.signature,
  );
}

/** What runs, but reads damage without a word. */
function remarkLenient(c: Checking, node: Extract<Node, { kind: 'call' }>, name: string, strict: string): void {
  if (c.remarks.some((r) => r.at === node.at)) return;
  c.remarks.push({
    message: `${name} reads over what does not fit, such as a day 00 or text behind the end; ${strict} is strict.`,
    at: node.at,
    end: node.nameEnd,
    proposal: strict,
  });
}

function knownTable(c: Checking, node: Extract<Node, { kind: 'call' }>): void {
  const [table] = node.args;
  if (!table) return;
  if (table.kind !== 'text')
    throw new RuleError("The code table is named in quotes: lookup('tariff', …).", table.at, table.end);
  const known = c.scope.codeTables;
  if (!known || known.has(table.value)) return;
  const near = nearest(table.value, known.keys());
  throw new RuleError(
    `There is no code table “${table.value}”.${near ? ` Did you mean “${near}”?` : ' Add it to the document first.'}`,
    table.at,
    table.end,
    near ? `'${near}'` : undefined,
  );
}

function instead(name: string): string {
  if (name === 'to_date') return ' Use the strict reader parse_date(text, pattern).';
  if (name === 'to_timestamp') return ' Use the strict reader parse_timestamp(text, pattern).';
  if (name === 'to_number') return ' Use the strict reader parse_number(text, decimal mark, group mark).';
  return '';
}
