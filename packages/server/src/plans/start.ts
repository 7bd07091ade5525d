import {
  fillPlaces,
  mappingsOf,
  nearest,
  noValueFor,
  planProblems,
  quoted,
  refused,
  type MappingStep,
  type PlanDocument,
  type Step,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Taken } from '../runs/runs.ts';
import { missingNames } from './asked-variables.ts';
import type { Plans, StoredPlan } from './plan-store.ts';

export interface HowToStart {
  readonly rowLimit?: number | null | undefined;
  readonly variables?: Readonly<Record<string, string>> | undefined;
  readonly variant?: string | undefined;
  /** All records are read and sent, also what was delivered before. */
  readonly all?: boolean | undefined;
}
/** What started a plan where no person did; the same occasion never starts it twice. */
export interface Occasion {
  readonly trigger: string;
  readonly occasion: string;
  /** What has arrived, and what the trigger has taken before it and with it: nothing is taken twice. */
  readonly arrival?: { readonly taken: Taken; readonly before: string | null; readonly now: string };
}
/** A plan as one of its runs carries it out: revisions are pinned, filters of the variant stand with it. */
export interface CarriedPlan {
  readonly steps: readonly Step[];
  readonly stop?: PlanDocument['stop'];
  readonly filters?: Readonly<Record<string, string>>;
  /** What tells runs apart that read other records: the plan's variables, as they are written. */
  readonly scope?: string;
  readonly all?: boolean;
}

/**
 * Makes the run of a plan; it is carried out by whoever takes it on. A plan of nothing but one mapping is that mapping's run;
 * any other has a run of its own, which holds those of its steps. Null where the occasion has started it already.
 */
export async function startPlan(
  db: Database,
  plans: Plans,
  id: string,
  how: HowToStart,
  person: string,
  occasion: Occasion | null = null,
): Promise<number | null> {
  const plan = await plans.stored(id);
  const { carried, variables } = await carriedPlan(db, plan, how);
  const single = singleLoad(carried.steps);
  const arrival = occasion?.arrival ?? null;
  const [run] = await db.query<{ id: number }>(
    `WITH took AS (
       UPDATE plan_trigger SET taken = $13 WHERE plan = $2 AND trigger = $10 AND taken::text IS NOT DISTINCT FROM $14 AND $12::json IS NOT NULL RETURNING 1
     )
     INSERT INTO run (kind, plan, mapping, revision, row_limit, started_by, carries, variables, plan_version, trigger, occasion, taken)
     SELECT $1, $2, $3, $4::integer, $5::bigint, $6, $7::json, $8::json, $9::integer, $10, $11, $12::json WHERE $12::json IS NULL OR EXISTS (SELECT 1 FROM took)
     ON CONFLICT (plan, trigger, occasion) WHERE occasion IS NOT NULL DO NOTHING RETURNING id`,
    [
      single ? 'full' : 'plan',
      id,
      single?.mapping ?? null,
      single?.revision ?? null,
      how.rowLimit ?? null,
      person,
      JSON.stringify(single ? carriedStep(single, carried) : carried),
      JSON.stringify(variables),
      plan.version,
      occasion?.trigger ?? null,
      occasion?.occasion ?? null,
      arrival === null ? null : JSON.stringify(arrival.taken),
      arrival?.now ?? null,
      arrival?.before ?? null,
    ],
  );
  return run?.id ?? null;
}

/** The only step of a plan, where it loads one mapping and nothing else is to be decided. */
function singleLoad(steps: readonly Step[]): MappingStep | null {
  const [step, ...more] = steps;
  return step!.kind === 'mapping' && more.length === 0 && step!.when === undefined ? step! : null;
}
/** What a step's own run carries of the plan. */
export function carriedStep(step: Step, { stop, filters, scope, all }: CarriedPlan, item: object = {}): object {
  const filter = filters?.[step.id];
  return {
    ...step,
    ...(stop ? { stop } : {}),
    ...(filter === undefined ? {} : { filter }),
    ...(scope === undefined ? {} : { scope: scopeOf(step, scope, filter, item) }),
    // For the steps within it.
    ...(step.kind === 'each' && filters ? { filters } : {}),
    ...(step.kind === 'each' && all ? { all } : {}),
  };
}

/** An each has its plan's scope, which those of its steps are made of. */
const scopeOf = (step: Step, plan: string, filter: string | undefined, item: object): string =>
  step.kind === 'each' ? plan : JSON.stringify([plan, filter ?? '', item]);

/** A plan ready to be carried out. Throws a fault where it can't be. */
export async function carriedPlan(
  db: Database,
  { document }: StoredPlan,
  { variables = {}, variant, all = false }: HowToStart,
): Promise<{ carried: CarriedPlan; variables: Record<string, string> }> {
  const [problem] = planProblems(document);
  if (problem) throw refused(`${document.name} can’t run: ${problem.message} (${problem.path})`);
  const chosen = variantOf(document, variant);
  const missing = await missingNames(db, document);
  const known = [...Object.keys(document.variables), ...missing];
  for (const name of Object.keys(variables))
    if (!known.includes(name)) {
      const near = nearest(name, known);
      throw refused(
        `${document.name} has no variable ${quoted(name)}.${near ? ` Did you mean ${quoted(near)}?` : known.length > 0 ? ` It has ${known.join(', ')}.` : ''}`,
        [{ path: `variables.${name}`, message: 'not known' }],
      );
    }
  const lacking = missing.filter((name) => !Object.hasOwn(variables, name));
  if (lacking.length > 0) throw refused(`${document.name} can’t run: ${noValueFor(lacking)}`);
  const now = new Date();
  const written = { ...document.variables, ...chosen?.variables, ...variables };
  const filled = Object.entries(written).map(
    // Only what the plan itself says speaks of periods: what comes from outside is taken as it is.
    ([name, text]) =>
      [name, Object.hasOwn(variables, name) ? text : fillPlaces(text, now, new Map(), 'that others may use')] as const,
  );
  return {
    carried: {
      steps: (await pinned(db, document)).map((step) => (all ? withAll(step) : step)),
      scope: JSON.stringify(Object.entries(written).sort(([a], [b]) => (a < b ? -1 : 1))),
      ...(all ? { all } : {}),
      ...(document.stop ? { stop: document.stop } : {}),
      ...(chosen && Object.keys(chosen.filters).length > 0 ? { filters: chosen.filters } : {}),
    },
    variables: Object.fromEntries(filled),
  };
}
/** A step that reads all records. */
function withAll(step: Step): Step {
  if (step.kind === 'each') return { ...step, steps: step.steps.map(withAll) };
  if (step.kind !== 'mapping') return step;
  const { watermark: _, ...rest } = step;
  return { ...rest, changes: 'all' };
}
function variantOf(document: PlanDocument, name: string | undefined): PlanDocument['variants'][number] | null {
  if (name === undefined) return null;
  const found = document.variants.find((v) => v.name === name);
  if (found) return found;
  const near = nearest(
    name,
    document.variants.map((v) => v.name),
  );
  throw refused(`${document.name} has no variant ${quoted(name)}.${near ? ` Did you mean ${quoted(near)}?` : ''}`, [
    { path: 'variant', message: 'not known' },
  ]);
}

/** The steps with the revisions that they carry out, whatever is published while they do. */
async function pinned(db: Database, document: PlanDocument): Promise<readonly Step[]> {
  const mappings = mappingsOf(document);
  const rows = await db.query<{ mapping: string; name: string; numbers: number[] | null }>(
    `SELECT m.id AS mapping, m.name, (SELECT array_agg(v.number ORDER BY v.number) FROM revision v WHERE v.mapping = m.id) AS numbers
       FROM mapping m WHERE m.id = ANY ($1::text[])`,
    [mappings],
  );
  const pin = (step: Step): Step => {
    if (step.kind === 'each') return { ...step, steps: step.steps.map(pin) };
    if (step.kind === 'share')
      return { ...step, by: step.by.map((b) => ({ ...b, revision: pinnedOf(b.mapping, 'newest') })) };
    return step.kind === 'mapping' ? { ...step, revision: pinnedOf(step.mapping, step.revision) } : step;
  };
  const pinnedOf = (mapping: string, revision: MappingStep['revision']): number => {
    const of = rows.find((r) => r.mapping === mapping);
    if (!of) throw refused(`${document.name} can’t run: there is no mapping ${quoted(mapping)} any more.`);
    const newest = of.numbers?.at(-1);
    if (newest === undefined)
      throw refused(
        `${document.name} can't run yet: ${mappings.length === 1 ? 'its mapping' : of.name} has no published revision. Publish it first; a run always carries out a published revision.`,
      );
    if (revision !== 'newest' && !of.numbers!.includes(revision))
      throw refused(`${document.name} can’t run: ${of.name} has no revision ${revision}; the newest is ${newest}.`);
    return revision === 'newest' ? newest : revision;
  };
  return document.steps.map(pin);
}
