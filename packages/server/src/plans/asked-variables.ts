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
export const newestDocuments = (db: Database, document: PlanDocument): Promise<Map<string, MappingDocument>> =>
  documentsOf(db, mappingsOf(document));

async function documentsOf(db: Database, mappings: readonly string[]): Promise<Map<string, MappingDocument>> {
  const rows = await db.query<{ id: string; document: string }>(
    `SELECT m.id, COALESCE((SELECT v.document FROM revision v WHERE v.mapping = m.id ORDER BY v.number DESC LIMIT 1), m.draft) AS document
       FROM mapping m WHERE m.id = ANY ($1::text[])`,
    [mappings],
  );
  return new Map(rows.map((r) => [r.id, parseDocument(JSON.parse(r.document))]));
}

/** What the rules of a mapping ask of the plan that carries it out. */
interface Asks {
  readonly name: string;
  readonly variables: readonly string[];
}
/** By mapping, of the newest revision (or the draft where there is none): a document is read once, however often it is asked about. */
const known = new WeakMap<Database, Map<string, Asks & { readonly state: string }>>();

async function askedBy(db: Database, documents: readonly PlanDocument[]): Promise<ReadonlyMap<string, Asks>> {
  const kept = known.get(db) ?? new Map<string, Asks & { state: string }>();
  known.set(db, kept);
  const states = await db.query<{ id: string; state: string }>(
    `SELECT m.id, COALESCE('revision ' || max(v.number), 'draft ' || m.version) AS state
       FROM mapping m LEFT JOIN revision v ON v.mapping = m.id WHERE m.id = ANY ($1::text[]) GROUP BY m.id`,
    [[...new Set(documents.flatMap(mappingsOf))]],
  );
  const anew = states.filter(({ id, state }) => kept.get(id)?.state !== state);
  const read =
    anew.length === 0
      ? new Map<string, MappingDocument>()
      : await documentsOf(
          db,
          anew.map((s) => s.id),
        );
  for (const { id, state } of anew) {
    const of = read.get(id);
    if (of !== undefined) kept.set(id, { state, name: of.name, variables: variablesAsked(of) });
  }
  return kept;
}

export interface MissingVariables {
  readonly step: string;
  readonly mapping: string;
  readonly names: readonly string[];
}
/** Variables that rules of the plans' mappings ask for and that neither the plan nor an each around them gives, by step. */
export async function variablesMissing(
  db: Database,
  documents: readonly PlanDocument[],
): Promise<readonly (readonly MissingVariables[])[]> {
  const asked = await askedBy(db, documents);
  return documents.map((document) => missingIn(document, asked));
}
/** The names of those that one plan lacks. */
export async function missingNames(db: Database, document: PlanDocument): Promise<string[]> {
  const [missing] = await variablesMissing(db, [document]);
  return [...new Set(missing!.flatMap((m) => m.names))];
}
function missingIn(document: PlanDocument, asked: ReadonlyMap<string, Asks>): MissingVariables[] {
  const missing: MissingVariables[] = [];
  const look = (steps: readonly Step[], given: readonly string[]): void => {
    for (const step of steps) {
      if (step.kind === 'each') {
        look(step.steps, [...given, ...('dataset' in step.over ? Object.keys(step.over.fields) : [step.over.as])]);
        continue;
      }
      const mappings =
        step.kind === 'mapping' ? [step.mapping] : step.kind === 'share' ? step.by.map((b) => b.mapping) : [];
      for (const mapping of mappings) {
        const of = asked.get(mapping);
        const names = (of?.variables ?? []).filter((name) => !given.includes(name));
        if (names.length > 0) missing.push({ step: step.id, mapping: of!.name, names });
      }
    }
  };
  look(document.steps, Object.keys(document.variables));
  return missing;
}

/** What a plan lacks of what rules ask for, as its page says it: it can be kept so, and be started with values. */
export async function missingVariables(db: Database, document: PlanDocument): Promise<Problem[]> {
  const [missing] = await variablesMissing(db, [document]);
  return missing!.map(({ step, mapping, names }) => ({
    severity: 'warning',
    path: `steps (${step})`,
    message: `The rules of ${mapping} ask for ${names.map((n) => `:${n}`).join(', ')}, and the plan gives no such variable. Give it one, or a value at each start.`,
  }));
}
