import { typeName } from '../fields/types.ts';
import type { Scope } from '../rules/scope.ts';
import { RuleError } from '../rules/errors.ts';
import { parseRule, parseSortKey } from '../rules/parse.ts';
import { printRule } from '../rules/print.ts';
import { makeRule } from '../rules/rule.ts';
import { walk } from '../rules/syntax.ts';
import type { MappingDocument, Problem } from '../document/document.ts';

/** What is wrong with joins, unions, distinct, grouping and sorting. `base`: the fields before grouping; `lines`: after it. */
export function sourceSetProblems({ source }: MappingDocument, base: Scope, lines: Scope): Problem[] {
  const problems: Problem[] = [];
  const report = (path: string, message: string, at?: { at: number; end: number; proposal?: string }): void =>
    void problems.push({ severity: 'error', path, message, ...at });
  const faulty = (path: string, error: unknown): void => {
    if (!(error instanceof RuleError)) throw error;
    const { message, at, end, proposal } = error;
    report(path, message, { at, end, ...(proposal === undefined ? {} : { proposal }) });
  };
  const ruleType = (path: string, text: string, scope: Scope): string | null => {
    try {
      return makeRule(text, scope).type;
    } catch (error) {
      faulty(path, error);
      return null;
    }
  };

  const known = new Set([source.primary.alias]);
  for (const [i, join] of source.joins.entries()) {
    const path = `source.joins[${i}]`;
    if (known.has(join.alias)) {
      report(
        `${path}.alias`,
        `The alias “${join.alias}” is used twice in the source set; give this dataset another one.`,
      );
      continue;
    }
    known.add(join.alias);
    const waits = aliasesOf(join.on).filter((a) => !known.has(a) && source.joins.some((j) => j.alias === a));
    if (waits.length > 0) {
      const [other] = waits;
      const later = source.joins.find((j) => j.alias === other)!;
      const each = aliasesOf(later.on).includes(join.alias);
      report(
        `${path}.on`,
        each
          ? `${join.alias} is joined by ${other}, and ${other} by ${join.alias}: neither can come first. Join one of them by a field of ${source.primary.alias}.`
          : `${join.alias} is joined by ${other}, which comes later; move ${other} in front of it.`,
      );
      continue;
    }
    const scope = { ...base, fields: base.fields.filter((f) => f.alias !== null && known.has(f.alias)) };
    const type = ruleType(`${path}.on`, join.on, scope);
    if (type !== null && type !== 'bool')
      report(`${path}.on`, `A join needs a condition that is true or false; this gives ${typeName(type as never)}.`);
    else if (type !== null && !aliasesOf(join.on, base).includes(join.alias))
      report(
        `${path}.on`,
        `The condition does not name a field of ${join.alias}, so every record would meet every other.`,
      );
  }
  const names = new Set(base.fields.filter((f) => f.alias === source.primary.alias).map((f) => f.name));
  for (const [i, union] of source.unions.entries())
    for (const name of Object.keys(union.columns))
      if (names.size > 0 && !names.has(name))
        report(
          `source.unions[${i}].columns`,
          `${source.primary.dataset} has no field “${name}” that a field of ${union.dataset} could stand below.`,
        );
  source.distinctOn.forEach((text, i) => ruleType(`source.distinctOn[${i}]`, text, base));
  source.groupBy.forEach((text, i) => ruleType(`source.groupBy[${i}]`, text, base));
  source.orderBy.forEach((text, i) => {
    const path = `source.orderBy[${i}]`;
    try {
      ruleType(path, printRule(parseSortKey(text).by), lines);
    } catch (error) {
      faulty(path, error);
    }
  });
  return problems;
}

/** The aliases that a condition names; with a scope, also those of fields that stand without one. */
function aliasesOf(text: string, scope?: Scope): string[] {
  const found = new Set<string>();
  try {
    walk(parseRule(text), (node) => {
      if (node.kind !== 'field') return;
      const alias = node.alias ?? scope?.fields.find((f) => f.name === node.name)?.alias;
      if (alias) found.add(alias);
    });
  } catch {
    // The rule's own problem is reported when it is checked.
  }
  return [...found];
}
