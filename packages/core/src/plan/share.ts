import type { SourceField } from '../document/source-field.ts';
import type { Value } from '../fields/values.ts';
import { Unreadable, type Marks } from '../formats/format.ts';
import { memberFields, rowTyper } from '../compile/source.ts';
import { RuleContext, timestampOfMillis } from '../rules/context.ts';
import { RuleError } from '../rules/errors.ts';
import { parseRule } from '../rules/parse.ts';
import { makeRule, type Rule } from '../rules/rule.ts';
import { walk } from '../rules/syntax.ts';
import { isComposed } from '../source-set/source-set.ts';
import { RUN_VARIABLES, type MappingDocument } from '../document/document.ts';
import { allSteps, type MappingStep, type PlanDocument, type Step } from './plan.ts';

export type ShareStep = Extract<Step, { kind: 'share' }>;

/** Where a record goes: the places of those that take it, none, or why that can't be told. */
export type Taker = { readonly by: readonly number[] } | { readonly problem: string };

/** What each of those that share in a dataset is called as a step: its mapping, numbered where it stands there again. */
export function partIds(by: readonly { readonly mapping: string }[]): string[] {
  return by.map(({ mapping }, i) => {
    const before = by.slice(0, i).filter((b) => b.mapping === mapping).length;
    return before === 0 ? mapping : `${mapping}_${before + 1}`;
  });
}
/** Those that share in a dataset, as steps side by side: each loads what it was given. */
export function partSteps(
  { by }: { readonly by: readonly { readonly mapping: string }[] },
  revisionOf: (part: number) => MappingStep['revision'] = () => 'newest',
): MappingStep[] {
  return partIds(by).map((id, part) => ({
    id,
    kind: 'mapping',
    mapping: by[part]!.mapping,
    revision: revisionOf(part),
    after: [],
    afterAny: [],
    onFail: 'stop',
    changes: 'all',
    vanished: 'leave',
    removesAtMost: 0.5,
  }));
}

/** Why a mapping can't be given a share of the records of a dataset, in a sentence; null where it can. */
export function shareProblem({ dataset }: Pick<ShareStep, 'dataset'>, document: MappingDocument): string | null {
  const { primary } = document.source;
  if (isComposed(document))
    return `${document.name} joins or groups its records; only mappings that take them as they come can share in a dataset.`;
  return primary.dataset === dataset
    ? null
    : `${document.name} reads ${primary.dataset}, and what is shared out are the records of ${dataset}.`;
}

/** The mappings that a plan carries out, each once, in order. */
export function mappingsOf(document: Pick<PlanDocument, 'steps'>): string[] {
  const all = allSteps(document.steps).flatMap((s) =>
    s.kind === 'mapping' ? [s.mapping] : s.kind === 'share' ? s.by.map((b) => b.mapping) : [],
  );
  return [...new Set(all)];
}

/** What the conditions of a share are asked with. */
export interface ShareFacts {
  /** Every one whose condition is true gets the record, not only the first. */
  readonly all: boolean;
  readonly names: readonly string[];
  /** How the dataset declares that numbers and dates are written. */
  readonly marks: Marks | null;
  /** Milliseconds since the epoch: what now() means. */
  readonly now: number;
  /** The plan's variables. */
  readonly variables: Readonly<Record<string, string>>;
}
interface Part {
  readonly rule: Rule;
  readonly typed: ReturnType<typeof rowTyper>;
}
/**
 * Says of each record who takes it. Fields have the types that they have for the mapping which is to get them, and may be named
 * with one alias, whichever it is. Throws RuleError for a condition that can't be meant.
 */
export class Sharer {
  private readonly parts: readonly Part[];
  private readonly ctx = new RuleContext();
  private readonly own: Record<string, Value>;
  private readonly all: boolean;

  constructor(
    by: readonly { readonly when: string; readonly document: MappingDocument }[],
    { all, names, marks, now, variables }: ShareFacts,
  ) {
    this.all = all;
    this.parts = by.map(({ when, document }) => {
      const fields = memberFields(document, document.source.primary, names, marks);
      return { rule: shareRule(when, fields, Object.keys(variables)), typed: rowTyper(fields) };
    });
    this.ctx.now = timestampOfMillis(now);
    this.own = { ...variables, run_started_at: this.ctx.now, row_number: 0, file_name: null };
    this.ctx.variables = this.own;
  }

  take(row: readonly (string | null)[], rowNumber: number, fileName: string | null): Taker {
    const { ctx, own } = this;
    own['row_number'] = rowNumber;
    own['file_name'] = fileName;
    const by: number[] = [];
    for (const [place, { rule, typed }] of this.parts.entries()) {
      const values = typed === null ? row : typed(row);
      if (values instanceof Unreadable) return { problem: `It can’t be read: ${values.message}` };
      ctx.row = values;
      ctx.fault = null;
      const met = rule.run(ctx) === true;
      const fault = ctx.fault as RuleContext['fault'];
      if (fault !== null) return { problem: `Whether ${rule.text} can’t be told: ${fault.message}` };
      if (!met) continue;
      by.push(place);
      if (!this.all) break;
    }
    return { by };
  }
}

/** Whoever shares out is no run that loads. */
const { run_number: _, ...SHARE_VARIABLES } = RUN_VARIABLES;

/** A condition on the records of a dataset. Throws RuleError. */
function shareRule(when: string, fields: readonly SourceField[], variables: readonly string[]): Rule {
  const aliases = aliasesIn(when);
  if (aliases.length > 1)
    throw new RuleError(
      `The records of one dataset are shared out: name its fields with one alias, not with ${aliases.join(' and ')}.`,
      0,
      when.length,
    );
  const alias = aliases[0] ?? null;
  const rule = makeRule(when, {
    fields: fields.map(({ name, type }, slot) => ({ alias, name, type, slot })),
    variables: { ...Object.fromEntries(variables.map((name) => [name, 'text' as const])), ...SHARE_VARIABLES },
  });
  if (rule.type !== 'bool' && rule.type !== 'unknown')
    throw new RuleError('A condition must be true or false; this gives a value.', 0, when.length);
  return rule;
}
function aliasesIn(when: string): string[] {
  const aliases = new Set<string>();
  walk(parseRule(when), (node) => {
    if (node.kind === 'field' && node.alias !== null) aliases.add(node.alias);
    return true;
  });
  return [...aliases];
}

/** What is wrong with the condition of a share, as far as it can be told without its records; null: nothing. */
export function shareFault(when: string): string | null {
  try {
    const aliases = aliasesIn(when);
    return aliases.length > 1 ? `Name the fields with one alias, not with ${aliases.join(' and ')}.` : null;
  } catch (error) {
    if (error instanceof RuleError) return error.message;
    throw error;
  }
}
