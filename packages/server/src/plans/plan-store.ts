import type { NewPlan, Plan, PlanDetail, PlanVersion } from '@versicle/contract';
import {
  type Calendars as Days,
  allSteps,
  canonicalPlan,
  changedMeanwhile,
  changesProblem,
  counted,
  type MappingDocument,
  type MappingStep,
  mappingsOf,
  notFound,
  parsePlan,
  planProblems,
  planText,
  type PlanDocument,
  type Problem,
  quoted,
  refused,
  shareProblem,
} from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import type { Calendars } from '../calendars/calendars.ts';
import { goneProblem } from '../engine/changes/gone.ts';
import { capturedProblem } from '../engine/changes/captured.ts';
import { slug } from '../http/slug.ts';
import { namesOf } from '../runs/run-steps.ts';
import type { Systems } from '../systems/systems.ts';
import { fromJson, isoTime, isoTimeOrNull } from '../store/values.ts';
import { missingVariables, newestDocuments, variablesMissing } from './asked-variables.ts';
import { callsItself } from './plan-circles.ts';
import { lastSteps } from './last-steps.ts';
import { firstDue, triggerOutlook } from './trigger-times.ts';

interface PlanRow {
  [key: string]: unknown;
  id: string;
  name: string;
  document: PlanDocument | string;
  version: number;
  held: boolean;
  next: string | null;
  run: number | null;
  state: Plan['lastState'];
  at: string | null;
}
type UsedMapping = Plan['mappings'][number];

/** A plan as it is kept. */
export interface StoredPlan {
  readonly id: string;
  readonly document: PlanDocument;
  readonly version: number;
  readonly held: boolean;
}

const SELECT = `SELECT p.id, p.name, p.document, p.version, p.held, r.id AS run, r.state,
    COALESCE(r.finished_at, r.started_at, r.created_at) AS at,
    (SELECT min(t.next) FROM plan_trigger t WHERE t.plan = p.id) AS next
  FROM plan p
  LEFT JOIN LATERAL (SELECT * FROM run WHERE run.plan = p.id AND run.parent IS NULL AND run.kind <> 'share' ORDER BY run.id DESC LIMIT 1) r ON true`;

/** Plan documents and their versions. */
export class Plans {
  constructor(
    private readonly db: Database,
    private readonly calendars: Calendars,
    private readonly systems: Systems,
  ) {}

  async list(): Promise<Plan[]> {
    return this.shown(await this.db.query<PlanRow>(`${SELECT} ORDER BY p.created_at, p.id`));
  }
  async get(id: string): Promise<PlanDetail> {
    const [row] = await this.db.query<PlanRow>(`${SELECT} WHERE p.id = $1`, [id]);
    if (!row) throw notFound(`There is no plan ${quoted(id)}.`);
    const [plan] = await this.shown([row]);
    const document = parsePlan(fromJson(row.document));
    return {
      ...plan!,
      document,
      problems: [...(await this.problems(document, id)), ...(await missingVariables(this.db, document))],
      triggers: await triggerOutlook(this.db, document, await this.calendars.days(), id),
      lastSteps: plan!.lastRun === null ? [] : await lastSteps(this.db, plan!.lastRun),
    };
  }
  async stored(id: string): Promise<StoredPlan> {
    const [row] = await this.db.query<Pick<PlanRow, 'id' | 'document' | 'version' | 'held'>>(
      'SELECT id, document, version, held FROM plan WHERE id = $1',
      [id],
    );
    if (!row) throw notFound(`There is no plan ${quoted(id)}.`);
    return { ...row, document: parsePlan(fromJson(row.document)) };
  }
  private async shown(rows: readonly PlanRow[]): Promise<Plan[]> {
    const names = await namesOf(this.db);
    const mappings = await this.mappings();
    const documents = rows.map((row) => parsePlan(fromJson(row.document)));
    const missing = await variablesMissing(this.db, documents);
    return rows.map((row, at): Plan => {
      const document = documents[at]!;
      const lacks = new Set(missing[at]!.flatMap((m) => m.names));
      return {
        id: row.id,
        name: row.name,
        sentence: planText(document, names),
        sort: document.sort,
        version: row.version,
        held: row.held,
        mappings: mappingsOf(document).flatMap((m) => mappings.get(m) ?? []),
        variables: [
          ...Object.entries(document.variables).map(([name, value]) => ({ name, value })),
          ...[...lacks].map((name) => ({ name, value: null })),
        ],
        variants: document.variants.map((v) => v.name),
        onlyChanges: allSteps(document.steps).some((s) => s.kind === 'mapping' && s.changes !== 'all'),
        startsItself: document.triggers.length > 0,
        next: isoTimeOrNull(row.next),
        lastRun: row.run,
        lastState: row.state,
        lastAt: isoTimeOrNull(row.at),
      };
    });
  }
  private async mappings(): Promise<ReadonlyMap<string, UsedMapping>> {
    const rows = await this.db.query<UsedMapping & { [key: string]: unknown }>(
      `SELECT m.id, m.name, (SELECT max(number) FROM revision v WHERE v.mapping = m.id) AS revision,
              (m.draft::jsonb #>> '{write,mode}') || ' into ' || (m.draft::jsonb #>> '{target,dataset}') AS writes
         FROM mapping m WHERE m.id IN (SELECT name FROM plan_use WHERE thing = 'mapping')`,
    );
    return new Map(rows.map((m) => [m.id, m]));
  }

  /** What is wrong with a plan here, where its mappings, systems and calendars are known. */
  async problems(document: PlanDocument, self?: string): Promise<Problem[]> {
    const rows = await this.db.query<{ kind: string; id: string }>(
      "SELECT 'mapping' AS kind, id FROM mapping UNION ALL SELECT 'system', id FROM system UNION ALL SELECT 'plan', id FROM plan",
    );
    const of = (kind: string): string[] => rows.filter((r) => r.kind === kind).map((r) => r.id);
    const ground = {
      mappings: of('mapping'),
      systems: of('system'),
      plans: of('plan'),
      calendars: [...(await this.calendars.days()).keys()],
    };
    const problems = planProblems(document, self === undefined ? ground : { ...ground, self });
    return [
      ...problems,
      ...(await callsItself(this.db, document, self)),
      ...(await unreadArrivals(this.db, document)),
      ...(await untoldChanges(this.db, this.systems, document)),
      ...(await unsharable(this.db, document)),
    ];
  }
  private async requireSound(document: PlanDocument, self?: string): Promise<void> {
    const problems = [...(await this.problems(document, self)), ...(await this.uncaptured(document))];
    if (problems.length === 0) return;
    const [first] = problems;
    throw refused(
      problems.length === 1 ? first!.message : `${counted(problems.length, 'error')}; the first: ${first!.message}`,
      problems.map(({ path, message }) => ({ path: `document.${path}`, message })),
    );
  }

  /** Steps that read what systems write down themselves, where these don't: asked of the systems when a plan is kept. */
  private async uncaptured(document: PlanDocument): Promise<Problem[]> {
    const steps = allSteps(document.steps).flatMap((s) =>
      s.kind === 'mapping' && s.changes === 'captured' ? [s] : [],
    );
    if (steps.length === 0) return [];
    const found = await newestDocuments(this.db, document);
    const problems: Problem[] = [];
    for (const step of steps) {
      const of = found.get(step.mapping);
      const message =
        of === undefined ? null : await capturedProblem(step, of, (dataset) => this.systems.openDataset(dataset));
      if (message !== null) problems.push({ severity: 'error', path: `steps (${step.id}).changes`, message });
    }
    return problems;
  }

  async create(plan: NewPlan, person: string): Promise<PlanDetail> {
    const document = plan.document ?? (await this.shortest(plan.name!, plan.mapping!));
    await this.requireSound(document);
    const id = await slug(this.db, 'plan', document.name);
    await this.db.transaction([
      {
        sql: 'INSERT INTO plan (id, name, document) VALUES ($1, $2, $3)',
        params: [id, document.name, canonicalPlan(document)],
      },
      ...(await this.kept(id, document, 1, person)),
    ]);
    return this.get(id);
  }
  private async shortest(name: string, mapping: string): Promise<PlanDocument> {
    const [known] = await this.db.query('SELECT id FROM mapping WHERE id = $1', [mapping]);
    if (!known)
      throw refused(`There is no mapping ${quoted(mapping)} to make a plan of.`, [
        { path: 'mapping', message: 'not found' },
      ]);
    return parsePlan({ versicle: 1, kind: 'plan', name, steps: [{ id: 'load', kind: 'mapping', mapping }] });
  }

  /** `version`: the one that the change began from. */
  async save(id: string, document: PlanDocument, version: number | undefined, person: string): Promise<PlanDetail> {
    const before = await this.stored(id);
    await this.requireSound(document, id);
    const from = version ?? before.version;
    if (canonicalPlan(before.document) === canonicalPlan(document) && from === before.version) return this.get(id);
    const kept = await this.kept(id, document, from + 1, person);
    await this.db
      .transaction([
        { sql: 'SELECT require_plan($1, $2)', params: [id, from] },
        {
          sql: 'UPDATE plan SET name = $2, document = $3, version = version + 1 WHERE id = $1',
          params: [id, document.name, canonicalPlan(document)],
        },
        ...kept,
      ])
      .catch((error: unknown) => {
        if ((error as { code?: unknown }).code !== 'VRS03') throw error;
        throw changedMeanwhile(`Somebody else has saved this plan meanwhile; load it again.`);
      });
    return this.get(id);
  }
  /** What is kept beside the document: the version itself, what it speaks of, and when it is next due. */
  private async kept(id: string, document: PlanDocument, version: number, person: string): Promise<Statement[]> {
    return [
      {
        sql: 'INSERT INTO plan_version (plan, number, document, person) VALUES ($1, $2, $3, $4)',
        params: [id, version, canonicalPlan(document), person],
      },
      { sql: 'DELETE FROM plan_use WHERE plan = $1', params: [id] },
      {
        sql: 'INSERT INTO plan_use (plan, thing, name) SELECT $1, thing, name FROM json_to_recordset($2::json) AS u(thing text, name text) ON CONFLICT DO NOTHING',
        params: [id, JSON.stringify(usesOfPlan(document))],
      },
      ...triggersKept(id, document, await this.calendars.days()),
    ];
  }

  /** Days have changed: schedules that go by calendars are due anew. What is due already stays so. */
  async dueAnew(): Promise<void> {
    const days = await this.calendars.days();
    const rows = await this.db.query<{ id: string; document: PlanDocument | string }>(
      "SELECT id, document FROM plan WHERE NOT held AND id IN (SELECT plan FROM plan_trigger WHERE kind = 'schedule' AND next > now())",
    );
    for (const row of rows)
      for (const t of parsePlan(fromJson(row.document)).triggers)
        if (t.kind === 'schedule' && t.except.length + t.only.length > 0)
          await this.db.query('UPDATE plan_trigger SET next = $3 WHERE plan = $1 AND trigger = $2 AND next > now()', [
            row.id,
            t.id,
            firstDue(t, new Date(), days)?.toISOString() ?? null,
          ]);
  }

  async hold(id: string, held: boolean): Promise<PlanDetail> {
    const { document } = await this.stored(id);
    await this.db.transaction([
      { sql: 'UPDATE plan SET held = $2 WHERE id = $1', params: [id, held] },
      ...triggersKept(id, document, await this.calendars.days()),
    ]);
    return this.get(id);
  }

  async remove(id: string): Promise<void> {
    await this.stored(id);
    const gone = await this.db.query(
      'DELETE FROM plan WHERE id = $1 AND NOT EXISTS (SELECT 1 FROM run WHERE plan = $1) RETURNING id',
      [id],
    );
    if (gone.length === 0)
      throw refused(
        'This plan has run, and its runs are kept with it. Hold it instead: then nothing starts it by itself.',
      );
  }

  async versions(id: string): Promise<PlanVersion[]> {
    await this.stored(id);
    const rows = await this.db.query<{ number: number; at: string; person: string; document: PlanDocument | string }>(
      'SELECT number, at, person, document FROM plan_version WHERE plan = $1 ORDER BY number DESC',
      [id],
    );
    return rows.map((r) => ({ ...r, at: isoTime(r.at), document: parsePlan(fromJson(r.document)) }));
  }
}

/** Starts by what arrives at a dataset that no step reads: nothing would be done with it. */
async function unreadArrivals(db: Database, document: PlanDocument): Promise<Problem[]> {
  // What other plans read is their own concern.
  if (allSteps(document.steps).some((s) => s.kind === 'plan')) return [];
  const rows = await db.query<{ name: string }>(
    "SELECT DISTINCT name FROM mapping_use WHERE thing = 'dataset' AND role IS DISTINCT FROM 'target' AND mapping = ANY ($1::text[])",
    [mappingsOf(document)],
  );
  return document.triggers.flatMap((t, i): Problem[] =>
    (t.kind === 'file' || t.kind === 'arrival') &&
    !rows.some(({ name }) => name === t.dataset || name.startsWith(`${t.dataset}/`))
      ? [
          {
            severity: 'error',
            path: `triggers[${i}].dataset`,
            message: `No step reads ${t.dataset}, so nothing would be done with what arrives there.${rows.length > 0 ? ` They read ${rows.map((r) => r.name).join(', ')}.` : ''}`,
          },
        ]
      : [],
  );
}

/** Shares among mappings that read something else, or whose records are made of more than one dataset. */
async function unsharable(db: Database, document: PlanDocument): Promise<Problem[]> {
  const shares = allSteps(document.steps).flatMap((s) => (s.kind === 'share' ? [s] : []));
  if (shares.length === 0) return [];
  const found = await newestDocuments(db, document);
  return shares.flatMap((step) =>
    step.by.flatMap(({ mapping }, i): Problem[] => {
      const of = found.get(mapping);
      const message = of && shareProblem(step, of);
      return message ? [{ severity: 'error', path: `steps (${step.id}).by[${i}].mapping`, message }] : [];
    }),
  );
}
/** Steps that are to read only changes, or to do something about what is gone, where these can't be told. */
async function untoldChanges(db: Database, systems: Systems, document: PlanDocument): Promise<Problem[]> {
  const steps = allSteps(document.steps).flatMap((s) =>
    s.kind === 'mapping' && (s.changes !== 'all' || s.vanished !== 'leave') ? [s] : [],
  );
  if (steps.length === 0) return [];
  const found = await newestDocuments(db, document);
  const problems: Problem[] = [];
  for (const step of steps) {
    const of = found.get(step.mapping);
    if (of === undefined) continue;
    const report = (entry: 'changes' | 'vanished', message: string | null): void => {
      if (message !== null) problems.push({ severity: 'error', path: `steps (${step.id}).${entry}`, message });
    };
    report('changes', changesProblem(step, of));
    report('vanished', (await goneProblem(db, systems, step, of)) ?? movedAway(step, of, document));
  }
  return problems;
}
function movedAway({ vanished }: MappingStep, { source }: MappingDocument, { triggers }: PlanDocument): string | null {
  const { dataset } = source.primary;
  const moves = triggers.some(
    (t) => t.kind === 'file' && t.then !== 'keep' && (dataset === t.dataset || dataset.startsWith(`${t.dataset}/`)),
  );
  return vanished === 'leave' || !moves
    ? null
    : `The files of ${dataset} are moved away or marked when they are worked off, and what was in them is not gone. Keep them where they are, or leave what is gone.`;
}

function usesOfPlan(document: PlanDocument): { thing: string; name: string }[] {
  return [
    ...mappingsOf(document).map((name) => ({ thing: 'mapping', name })),
    ...allSteps(document.steps).flatMap((s) =>
      s.kind === 'sql' || s.kind === 'request'
        ? [{ thing: 'system', name: s.system }]
        : s.kind === 'plan'
          ? [{ thing: 'plan', name: s.plan }]
          : [],
    ),
  ];
}
/** The triggers of a plan from now on: what passed before it was saved, or while it was held, is nobody's concern. */
function triggersKept(id: string, document: PlanDocument, calendars: Days): Statement[] {
  const now = new Date();
  const rows = document.triggers.map((t) => ({
    trigger: t.id,
    kind: t.kind,
    next: firstDue(t, now, calendars)?.toISOString() ?? null,
  }));
  return [
    {
      sql: 'DELETE FROM plan_trigger WHERE plan = $1 AND trigger <> ALL ($2::text[])',
      params: [id, rows.map((r) => r.trigger)],
    },
    {
      sql: `INSERT INTO plan_trigger (plan, trigger, kind, next, seen)
            SELECT $1, t.trigger, t.kind, CASE WHEN p.held THEN NULL ELSE t.next END, $3
              FROM json_to_recordset($2::json) AS t(trigger text, kind text, next timestamptz) JOIN plan p ON p.id = $1
            ON CONFLICT (plan, trigger) DO UPDATE SET kind = EXCLUDED.kind, next = EXCLUDED.next, seen = EXCLUDED.seen, problem = NULL,
              taken = CASE WHEN plan_trigger.kind = EXCLUDED.kind THEN plan_trigger.taken END`,
      params: [id, JSON.stringify(rows), now.toISOString()],
    },
  ];
}
