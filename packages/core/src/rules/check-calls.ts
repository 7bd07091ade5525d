import { typeName, type ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { nearest } from '../words.ts';
import { aggregateType, isAggregate } from './aggregates.ts';
import type { Checked, CheckedConst } from './checked.ts';
import { comparisonFor } from './compare.ts';
import type { RuleContext } from './context.ts';
import { RuleError } from './errors.ts';
import { functions, notYet } from './functions.ts';
import { anyOverloads } from './array-functions.ts';
import { buildArray, buildObject, jsonOfValue } from './json-functions.ts';
import { regexMatches, requireRegex, similarPattern, substringByPattern } from './regex-functions.ts';
import { binaryOperators } from './operators.ts';
import { tryCastTo } from './own-functions.ts';
import type { Node } from './syntax.ts';
import { OperatorChecker } from './check-operators.ts';

/** Calls of functions, arrays, and what is written like a call but is none. */
export abstract class CallChecker extends OperatorChecker {
  protected callOf(node: Extract<Node, { kind: 'call' }>): Checked {
    const call: Node = node;
    if (isAggregate(call)) {
      aggregateType(call, (n) => this.check(n));
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
    switch (node.name) {
      case 'coalesce':
      case 'greatest':
      case 'least':
        return this.several(node);
      case 'nullif':
        return this.nullif(node);
      case 'try_cast':
        return this.tryCast(node);
      case 'to_jsonb':
      case 'jsonb_build_object':
      case 'jsonb_build_array':
        return this.toJson(node);
      case 'lookup':
        this.knownTable(node);
        break;
      case '= any':
        return this.resolve(
          '= ANY',
          anyOverloads,
          node.args.map((a) => this.check(a)),
          node,
        );
      case 'similar to':
      case 'substring similar':
        return this.similar(node);
      default:
    }
    const found = functions.get(node.name);
    if (found?.lenient) this.remark(node, found.name, found.lenient);
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
    return this.resolve(
      `the function ${node.name}`,
      found.overloads,
      node.args.map((a) => this.check(a)),
      node,
      found.signature,
    );
  }

  /** ARRAY[…] of texts; other items are cast by whoever wants them as texts. */
  protected array(node: Extract<Node, { kind: 'array' }>): Checked {
    const items = node.items.map((item) => {
      const checked = this.check(item);
      if (checked.type !== 'text' && checked.type !== 'unknown')
        throw new RuleError(
          `Arrays are of texts here; cast this ${typeName(checked.type)} with ::text.`,
          item.at,
          item.end,
        );
      return this.coerce(checked, 'text');
    });
    if (items.length === 0)
      throw new RuleError("An empty array is written '{}'::text[].", node.at, node.end, "'{}'::text[]");
    const run = (...values: Value[]): Value => values.slice(0, -1) as (string | null)[];
    const place = { type: 'text[]' as const, at: node.at, end: node.end };
    return this.folded({ kind: 'call', run, strict: false, changing: false, args: items, ...place });
  }
  protected subscript(node: Extract<Node, { kind: 'subscript' }>): Checked {
    const arg = this.check(node.arg);
    if (arg.type === 'jsonb') {
      const index = this.check(node.index);
      const key = index.type === 'unknown' ? this.coerce(index, 'text') : index;
      return this.resolve('the subscript of JSON', binaryOperators['->']!, [arg, key], node);
    }
    if (arg.type !== 'text[]')
      throw new RuleError(
        `${typeName(arg.type)} is no array; nothing can be taken out of it by […].`,
        node.at,
        node.end,
      );
    const index = this.coerceInteger(this.check(node.index));
    const run = (items: readonly (string | null)[], i: number): Value => items[i - 1] ?? null;
    const place = { type: 'text' as const, at: node.at, end: node.end };
    return this.folded({ kind: 'call', run, strict: true, changing: false, args: [arg, index], ...place });
  }
  /** SIMILAR TO and SUBSTRING (… SIMILAR … ESCAPE …): the pattern is made a regular expression beforehand. */
  protected similar(node: Extract<Node, { kind: 'call' }>): Checked {
    const [text, pattern, escape] = node.args.map((a) => this.text(this.check(a), 'SIMILAR'));
    if (pattern!.kind !== 'const' || (escape && escape.kind !== 'const'))
      throw new RuleError('The pattern of SIMILAR must be written out in the rule.', node.at, node.end);
    const mark = escape ? (escape as CheckedConst).value : '\\';
    const place = { at: node.at, end: node.end };
    const substring = node.name === 'substring similar';
    const type = substring ? ('text' as const) : ('bool' as const);
    if (pattern!.value === null || mark === null) return { kind: 'const', value: null, type, ...place };
    if ([...(mark as string)].length > 1)
      throw new RuleError('ESCAPE takes a single character in quotes.', escape!.at, escape!.end);
    let regex: string;
    try {
      regex = similarPattern(pattern!.value as string, mark as string);
      requireRegex(regex, '');
    } catch (error) {
      throw new RuleError((error as Error).message, pattern!.at, pattern!.end);
    }
    const run = substring
      ? (t: string, ctx: RuleContext) => substringByPattern(t, regex, ctx)
      : (t: string, ctx: RuleContext) => regexMatches(t, regex, '', ctx);
    return this.folded({ kind: 'call', run, strict: true, changing: false, args: [text!], type, ...place });
  }
  /** What runs, but reads damage without a word. */
  protected remark(node: Extract<Node, { kind: 'call' }>, name: string, strict: string): void {
    if (this.remarks.some((r) => r.at === node.at)) return;
    this.remarks.push({
      message: `${name} reads over what does not fit, such as a day 00 or text behind the end; ${strict} is strict.`,
      at: node.at,
      end: node.nameEnd,
      proposal: strict,
    });
  }

  /** Functions that make JSON of values of any type. */
  protected toJson(node: Extract<Node, { kind: 'call' }>): Checked {
    const { name } = node;
    const args = node.args.map((arg, i) => {
      const checked = this.check(arg);
      const isKey = name === 'jsonb_build_object' && i % 2 === 0;
      if (isKey) return this.argument(checked, 'any');
      const typed = checked.type === 'unknown' ? this.coerce(checked, 'text') : checked;
      const { type } = typed;
      return this.folded({
        kind: 'call',
        run: (v: Value) => jsonOfValue(v, type),
        strict: name === 'to_jsonb',
        changing: true,
        args: [typed],
        type: 'jsonb',
        at: arg.at,
        end: arg.end,
      });
    });
    if (name === 'to_jsonb' && args.length !== 1) throw new RuleError('to_jsonb takes one value.', node.at, node.end);
    if (name === 'jsonb_build_object' && args.length % 2 === 1)
      throw new RuleError('jsonb_build_object takes names and values in turn.', node.at, node.end);
    if (name === 'to_jsonb') return args[0]!;
    const run = (...values: Value[]): Value => {
      const ctx = values.pop() as unknown as RuleContext;
      return name === 'jsonb_build_array' ? buildArray(values as string[]) : buildObject(values as string[], ctx);
    };
    const place = { type: 'jsonb' as const, at: node.at, end: node.end };
    return { kind: 'call', run, strict: false, changing: true, args, ...place };
  }

  protected several(node: Extract<Node, { kind: 'call' }>): Checked {
    if (node.args.length === 0)
      throw new RuleError(`${node.name.toUpperCase()} needs at least one value.`, node.at, node.end);
    const args = node.args.map((a) => this.check(a));
    const type = this.commonType(args);
    if (type === null)
      throw new RuleError(
        `The values of ${node.name.toUpperCase()} must be of one kind; cast where needed.`,
        node.at,
        node.end,
      );
    const values = args.map((a) => this.coerce(a, type));
    const place = { type, at: node.at, end: node.end };
    if (node.name === 'coalesce') return this.coalesced(values, place);
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    const sign = node.name === 'greatest' ? 1 : -1;
    const run = (...list: Value[]): Value => {
      let best: Value = null;
      for (let i = 0; i < list.length - 1; i++)
        if (list[i] !== null && (best === null || compare(list[i]!, best) * sign > 0)) best = list[i]!;
      return best;
    };
    return this.folded({ kind: 'call', run, strict: false, changing: false, args: values, ...place });
  }

  protected coalesced(values: readonly Checked[], place: { type: ValueType; at: number; end: number }): Checked {
    const useful = values.filter((v) => v.kind !== 'const' || v.value !== null);
    const decided = useful.findIndex((v) => v.kind === 'const');
    const args = decided < 0 ? useful : useful.slice(0, decided + 1);
    if (args.length === 0) return { kind: 'const', value: null, ...place };
    return args.length === 1 ? { ...args[0]!, ...place } : { kind: 'coalesce', args, ...place };
  }

  protected nullif(node: Extract<Node, { kind: 'call' }>): Checked {
    if (node.args.length !== 2) throw new RuleError('NULLIF takes two values.', node.at, node.end);
    const first = this.check(node.args[0]!);
    const [a, b, type] = this.alike(first, this.check(node.args[1]!), 'compared by NULLIF', node);
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    // The result keeps the first value's own type, though it may be compared in a wider one.
    const own = first.type === 'unknown' ? type : first.type;
    const result = own === type ? a : first;
    if ([a, b].some((side) => side.kind === 'const' && side.value === null))
      return { ...result, type: own, at: node.at, end: node.end };
    const run = (x: Value, y: Value, keep: Value): Value =>
      x !== null && y !== null && compare(x, y) === 0 ? null : keep;
    return this.folded({
      kind: 'call',
      run,
      strict: false,
      changing: false,
      args: [a, b, result],
      type: own,
      at: node.at,
      end: node.end,
    });
  }

  protected tryCast(node: Extract<Node, { kind: 'call' }>): Checked {
    const [value, type] = node.args;
    if (node.args.length !== 2 || type?.kind !== 'text')
      throw new RuleError(
        "try_cast takes a value and a type in quotes: try_cast(value, 'integer').",
        node.at,
        node.end,
      );
    const arg = this.check(value!);
    const from = arg.type === 'unknown' ? this.coerce(arg, 'text') : arg;
    let target: ReturnType<typeof tryCastTo>;
    try {
      target = tryCastTo(from.type, type.value);
    } catch (error) {
      throw new RuleError((error as Error).message, type.at, type.end);
    }
    return {
      kind: 'call',
      run: target.run,
      strict: true,
      changing: false,
      args: [from],
      type: target.returns.value,
      at: node.at,
      end: node.end,
    };
  }

  protected knownTable(node: Extract<Node, { kind: 'call' }>): void {
    const [table] = node.args;
    if (!table) return;
    if (table.kind !== 'text')
      throw new RuleError("The code table is named in quotes: lookup('tariff', …).", table.at, table.end);
    const known = this.scope.codeTables;
    if (!known || known.has(table.value)) return;
    const near = nearest(table.value, known.keys());
    throw new RuleError(
      `There is no code table “${table.value}”.${near ? ` Did you mean “${near}”?` : ' Add it to the document first.'}`,
      table.at,
      table.end,
      near ? `'${near}'` : undefined,
    );
  }
}

function instead(name: string): string {
  if (name === 'to_date') return ' Use the strict reader parse_date(text, pattern).';
  if (name === 'to_timestamp') return ' Use the strict reader parse_timestamp(text, pattern).';
  if (name === 'to_number') return ' Use the strict reader parse_number(text, decimal mark, group mark).';
  return '';
}
