import { RuleError } from '../rules/errors.ts';
import { makeRule, type Rule } from '../rules/rule.ts';
import type { Scope } from '../rules/scope.ts';

type Made = Rule | RuleError;

/**
 * Rules of the version of a document that was compiled before: where their scope means the same, they are not made again.
 * What a version no longer has is forgotten with the next but one.
 */
export class KnownRules {
  private before = new Map<string, Map<string, Made>>();
  private now = new Map<string, Map<string, Made>>();
  /** How many rules were made, for tests and measurements. */
  made = 0;

  /** A document is compiled anew. */
  begin(): void {
    this.before = this.now;
    this.now = new Map();
  }

  /** What makes rules in a scope. It throws a RuleError as `makeRule` does, the same one for the same text. */
  in(scope: Scope): (text: string) => Rule {
    // What groups compute is told by functions, which can't be compared.
    if (scope.computed !== undefined || scope.ungrouped !== undefined) return (text) => this.make(text, scope);
    const meaning = JSON.stringify([
      scope.fields.map((f) => [f.alias, f.name, f.type, f.slot]),
      scope.variables ?? null,
      scope.furtherVariables ?? false,
      [...(scope.codeTables ?? [])].map(([name, codes]) => [name, [...codes]]),
    ]);
    const before = this.before.get(meaning);
    const now = this.now.get(meaning) ?? new Map<string, Made>();
    this.now.set(meaning, now);
    return (text) => {
      const known = now.get(text) ?? before?.get(text) ?? this.tried(text, scope);
      now.set(text, known);
      if (known instanceof RuleError) throw known;
      return known;
    };
  }
  private tried(text: string, scope: Scope): Made {
    try {
      return this.make(text, scope);
    } catch (error) {
      if (error instanceof RuleError) return error;
      throw error;
    }
  }
  private make(text: string, scope: Scope): Rule {
    this.made++;
    return makeRule(text, scope);
  }
}
