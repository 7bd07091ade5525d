import {
  mappingsOf,
  parseDocument,
  variablesAsked,
  type MappingDocument,
  type PlanDocument,
  type Problem,
  type Step,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';

/** The mappings of a plan as they were published last, or as drafts where they never were. */
export async function newestDocuments(db: Database, document: PlanDocument): Promise<Map<string, MappingDocument>> {
  const rows = await db.query<{ id: string; document: string }>(
    `SELECT m.id, COALESCE((SELECT v.document FROM revision v WHERE v.mapping = m.id ORDER BY v.number DESC LIMIT 1), m.draft) AS document
       FROM mapping m WHERE m.id = ANY ($1::text[])`,
    [mappingsOf(document)],
  );
  return new Map(rows.map((r) => [r.id, parseDocument(JSON.parse(r.document))]));
}

/** Variables that rules of a plan's mappings ask for and that neither the plan nor an each around them gives, by step. */
export async function variablesMissing(
  db: Database,
  document: PlanDocument,
): Promise<{ readonly step: string; readonly mapping: string; readonly names: readonly string[] }[]> {
  const documents = await newestDocuments(db, document);
  const missing: { step: string; mapping: string; names: string[] }[] = [];
  const look = (steps: readonly Step[], known: readonly string[]): void => {
    for (const step of steps) {
      if (step.kind === 'each') {
        look(step.steps, [...known, ...('dataset' in step.over ? Object.keys(step.over.fields) : [step.over.as])]);
        continue;
      }
      const mappings =
        step.kind === 'mapping' ? [step.mapping] : step.kind === 'share' ? step.by.map((b) => b.mapping) : [];
      for (const mapping of mappings) {
        const of = documents.get(mapping);
        const names = of === undefined ? [] : variablesAsked(of).filter((name) => !known.includes(name));
        if (names.length > 0) missing.push({ step: step.id, mapping: of!.name, names });
      }
    }
  };
  look(document.steps, Object.keys(document.variables));
  return missing;
}

/** What a plan lacks of what rules ask for, as its page says it: it can be kept so, and be started with values. */
export async function missingVariables(db: Database, document: PlanDocument): Promise<Problem[]> {
  return (await variablesMissing(db, document)).map(({ step, mapping, names }) => ({
    severity: 'warning',
    path: `steps (${step})`,
    message: `The rules of ${mapping} ask for ${names.map((n) => `:${n}`).join(', ')}, and the plan gives no such variable. Give it one, or a value at each start.`,
  }));
}
