import { refused } from '../faults.ts';
import { noValueFor } from '../rules/context.ts';
import { tokenize } from '../rules/tokens.ts';
import { documentRules } from './rules.ts';
import { RUN_VARIABLES, type MappingDocument } from './document.ts';

/** The variables that a document's rules ask for beside the facts of a run, in their order: plans give them, as texts. */
export function variablesAsked(document: MappingDocument): string[] {
  const names = new Set<string>();
  for (const text of documentRules(document))
    if (text.includes(':'))
      for (const token of tokensOf(text))
        if (token.kind === 'variable' && !Object.hasOwn(RUN_VARIABLES, token.text)) names.add(token.text);
  return [...names];
}
function tokensOf(text: string): ReturnType<typeof tokenize> {
  try {
    return tokenize(text);
  } catch {
    // The rule's own problem is reported where it is checked.
    return [];
  }
}

/** Throws a fault that names the variables that nobody gives. */
export function requireVariables(document: MappingDocument, given: Readonly<Record<string, unknown>>): void {
  const missing = variablesAsked(document).filter((name) => !Object.hasOwn(given, name));
  if (missing.length > 0) throw refused(noValueFor(missing));
}
