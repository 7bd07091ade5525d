import type { Value } from '../../fields/values.ts';
import type { RuleContext } from '../context.ts';
import { RuleError } from '../errors.ts';
import { compileRegex, like } from '../matching.ts';
import { regexMatches, requireRegex, similarPattern, substringByPattern } from '../regex-functions.ts';
import type { CheckedConst } from '../checked.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function regex(
  c: Checking,
  op: string,
  left: Checked,
  right: Checked,
  node: { at: number; end: number },
): Checked {
  const text = c.text(left, op);
  const pattern = c.text(right, op);
  if (pattern.kind !== 'const')
    throw new RuleError(
      'A regular expression must be written out in the rule, so that it can be checked.',
      right.at,
      right.end,
    );
  if (pattern.value === null) return { kind: 'const', value: null, type: 'bool', at: node.at, end: node.end };
  const expression = pattern.value as string;
  const flags = op.endsWith('*') ? 'i' : '';
  let matches: (text: string, ctx: RuleContext) => boolean | null;
  try {
    // What means the same in both dialects runs in linear time; the rest as PostgreSQL does it, step by step.
    requireRegex(expression, flags);
    matches = compileRegex(expression, flags === 'i') ?? ((text, ctx) => regexMatches(text, expression, flags, ctx));
  } catch (error) {
    throw new RuleError((error as Error).message, right.at, right.end);
  }
  const negated = op.startsWith('!');
  const run = (t: string, ctx: RuleContext): Value => {
    const found = matches(t, ctx);
    return found === null ? null : found !== negated;
  };
  return c.folded({
    kind: 'call',
    run,
    strict: true,
    changing: false,
    args: [text],
    type: 'bool',
    at: node.at,
    end: node.end,
  });
}

export function likeCheck(c: Checking, node: Extract<Node, { kind: 'like' }>): Checked {
  const word = node.insensitive ? 'ILIKE' : 'LIKE';
  const arg = c.text(c.check(node.arg), word);
  const pattern = c.text(c.check(node.pattern), word);
  const escape = node.escape ? c.check(node.escape) : null;
  if (escape && (escape.kind !== 'const' || typeof escape.value !== 'string' || [...escape.value].length > 1))
    throw new RuleError('ESCAPE takes a single character in quotes.', escape.at, escape.end);
  const mark = escape ? ((escape as CheckedConst).value as string) : '\\';
  const { not, insensitive } = node;
  const run = (text: string, p: string, ctx: RuleContext): Value => {
    const matches = like(text, p, mark, insensitive, ctx);
    return matches === null ? null : matches !== not;
  };
  return c.folded({
    kind: 'call',
    run,
    strict: true,
    changing: false,
    args: [arg, pattern],
    type: 'bool',
    at: node.at,
    end: node.end,
  });
}

/** SIMILAR TO and SUBSTRING (… SIMILAR … ESCAPE …): the pattern is made a regular expression beforehand. */
export function similar(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  const [text, pattern, escape] = node.args.map((a) => c.text(c.check(a), 'SIMILAR'));
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
  return c.folded({ kind: 'call', run, strict: true, changing: false, args: [text!], type, ...place });
}
