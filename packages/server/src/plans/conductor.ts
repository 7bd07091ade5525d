import type { RunCounts, RunSummary } from '@versicle/contract';
import { isMet, partSteps, refused, stepsBefore, type EachStep, type Step, type StepFigures } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import type { Engine } from '../engine/engine.ts';
import { requireClaim, type Runs, type Taken } from '../runs/runs.ts';
import { COUNTED_RUNS, GOING, HOLDERS, isHolder, OF_WHOLE_PLANS, OVER } from '../runs/run-store.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';
import { Peers } from '../workers/peers.ts';
import { fromJson } from '../store/values.ts';
import { HolderReading } from './holder-reading.ts';
import { itemsOf, type Item } from './each-items.ts';
import type { Plans } from './plan-store.ts';
import type { CarriedShare, Part, ShareOut } from './share-out.ts';
import { movesOf, type Moves, type StepRow } from './moves.ts';
import { missingNames } from './asked-variables.ts';
import { carriedPlan, carriedStep, type CarriedPlan } from './start.ts';

interface HolderRow {
  [key: string]: unknown;
  id: number;
  kind: 'plan' | 'each' | 'share';
  plan: string;
  state: RunSummary['state'];
  parent: number | null;
  carries: CarriedPlan | EachStep | CarriedShare | string;
  variables: Item | string;
  /** The variables of an each's items; what those that share were given. */
  items: Item[] | Part[] | string | null;
  row_limit: string | null;
  taken: Taken | string | null;
  started_by: string;
  plan_version: number | null;
  records_at: string | null;
}

/** States in which nothing begins within a run. */
const RESTS: readonly string[] = ['cancelled', 'finished', 'left out', 'paused'];

/** Plans within plans, at the most. */
const DEEPEST = 20;

/**
 * Leads runs that hold the runs of steps: a plan's, and those of an each. Where they are follows from the runs within them,
 * which are made at most once each (an index sees to it): to look again, after a kill or beside another process, changes
 * nothing that was done.
 */
export class Conductor {
  private looking: Promise<void> = Promise.resolve();
  private readonly asked = new Set<number>();
  private readonly reading: HolderReading;
  private closed = false;

  constructor(
    private readonly db: Database,
    private readonly runs: Runs,
    private readonly engine: Engine,
    private readonly plans: Plans,
    private readonly systems: Systems,
    private readonly shareOut: ShareOut,
    /** Told of runs that are nobody's step and are over. */
    private readonly over: (run: number) => void,
    peers: Peers = Peers.none(),
    /** Whether this process reads what runs are begun with, or leaves that to others. */
    works = true,
  ) {
    this.reading = new HolderReading({ db, runs, systems, peers, works }, (run) => this.look(run));
  }

  /** A run has ended, waits for somebody, or goes on again: whatever holds it is looked at. */
  moved(run: number): void {
    this.inTurn(async () => {
      const [row] = await this.db.query<{ parent: number | null; ended: boolean }>(
        `SELECT parent, state IN ${OVER} AS ended FROM run WHERE id = $1`,
        [run],
      );
      if (!row) return;
      if (row.parent !== null) this.look(row.parent);
      else if (row.ended) this.over(run);
    });
  }
  /** Looks at what comes next in a run that holds others. */
  look(run: number): void {
    if (this.asked.has(run)) return;
    this.asked.add(run);
    this.inTurn(async () => {
      this.asked.delete(run);
      await this.advance(run);
    });
  }
  /** Looks at all that are under way: what was moved by another process, or just before this one ended. */
  async lookAtAll(): Promise<void> {
    const rows = await this.db.query<{ id: number }>(
      `SELECT id FROM run WHERE kind IN ${HOLDERS} AND state IN ('queued', 'running') ORDER BY id`,
    );
    for (const { id } of rows) this.look(id);
  }
  private inTurn(work: () => Promise<void>): void {
    this.looking = this.looking.then(async () => {
      if (this.closed) return;
      await work().catch((error: Error) => void process.stderr.write(`A plan could not go on: ${error.stack}\n`));
    });
  }
  /** Resolves when all that was asked for, and what it led to, has been looked at. */
  async settled(): Promise<void> {
    for (let last: unknown = null; last !== this.looking;) {
      last = this.looking;
      await this.looking;
    }
  }
  async close(): Promise<void> {
    this.closed = true;
    this.reading.close();
    await this.looking;
  }

  private async holder(id: number): Promise<HolderRow | null> {
    const [row] = await this.db.query<HolderRow>(
      `SELECT id, kind, plan, state, parent, carries, variables, items, row_limit, taken, started_by, plan_version, records_at FROM run WHERE id = $1 AND kind IN ${HOLDERS}`,
      [id],
    );
    return row ?? null;
  }
  private async stepRuns(holder: number): Promise<StepRow[]> {
    return this.db.query<StepRow & { [key: string]: unknown }>(
      "SELECT id, item, step, state, error FROM run WHERE parent = $1 AND kind <> 'replay' ORDER BY id",
      [holder],
    );
  }
  /** What became of the records of the steps of an item. */
  private async figures(holder: number, item: number): Promise<Map<string, StepFigures>> {
    const rows = await this.db.query<Record<'step' | keyof RunCounts, string>>(
      `SELECT r.step, c.* FROM ${COUNTED_RUNS} WHERE r.parent = $1 AND r.item = $2 AND r.kind <> 'replay' AND r.state <> 'left out'`,
      [holder, item],
    );
    const n = (text: string): number => Number(text);
    return new Map(
      rows.map((r) => [
        r.step,
        {
          read: n(r.read),
          filtered: n(r.filtered),
          skipped: n(r.skipped),
          unchanged: n(r.unchanged),
          unmatched: n(r.unmatched),
          failed: n(r.failed),
          waiting: n(r.waiting),
          delivered: n(r.delivered),
        },
      ]),
    );
  }

  private async advance(id: number): Promise<void> {
    const row = await this.holder(id);
    if (!row || RESTS.includes(row.state)) return;
    if (row.state === 'queued' && !(await this.begin(row))) return;
    const steps = stepsOf(row);
    const items = await this.items(row);
    if (items === null) return;
    const parallel = row.kind === 'each' ? fromJson<EachStep>(row.carries as EachStep | string).parallel : 1;
    for (;;) {
      const found = await this.stepRuns(id);
      const move = movesOf(steps, items, found, parallel);
      if (move.begin.length === 0) return this.settle(row, move, found);
      for (const { step, item } of move.begin) await this.beginStep(row, steps, step, item, items[item]!);
      // Somebody may have ended or paused it at another process meanwhile: then none of them was made.
      if (RESTS.includes((await this.holder(id))?.state ?? 'cancelled')) return;
    }
  }
  /** Gives whether it may begin: not while an earlier run of the plan goes on. */
  private async begin(row: HolderRow): Promise<boolean> {
    const begun = await this.db.query(
      `UPDATE run SET state = 'running', started_at = COALESCE(started_at, clock_timestamp()) WHERE id = $1 AND state = 'queued'
          AND (parent IS NOT NULL OR NOT EXISTS (SELECT 1 FROM run o WHERE o.plan = run.plan AND o.parent IS NULL AND o.kind IN ${OF_WHOLE_PLANS}
                AND o.id < run.id AND o.state IN ${GOING})) RETURNING id`,
      [row.id],
    );
    if (begun.length === 0) return false;
    await this.runs.announce(row.id);
    return true;
  }

  /** The variables of each item; null while they are being read. */
  private async items(row: HolderRow): Promise<readonly Item[] | null> {
    const variables = fromJson<Item>(row.variables);
    if (row.kind === 'plan') return [variables];
    if (row.kind === 'share') {
      if (row.items !== null) return [variables];
      const { dataset } = fromJson<CarriedShare>(row.carries as CarriedShare | string);
      this.reading.begin(row, dataset, this.breaks(row), (claim, signal) =>
        this.sharedOut(row, requireClaim(claim), signal),
      );
      return null;
    }
    const kept = row.items === null ? null : fromJson<Item[]>(row.items as Item[] | string);
    if (kept !== null) return kept.map((item) => ({ ...variables, ...item }));
    const { over } = fromJson<EachStep>(row.carries as EachStep | string);
    this.reading.begin(row, 'dataset' in over ? over.dataset : null, this.breaks(row), async (_, signal) => {
      const items = await itemsOf(over, this.systems, signal);
      return [keepItems(row.id, items)];
    });
    return null;
  }
  private breaks(row: HolderRow): (why: string) => Promise<void> {
    return (why) => this.end(row, 'broken', why);
  }
  private async sharedOut(row: HolderRow, fence: Statement, signal: AbortSignal): Promise<Statement[]> {
    const { parts, statements } = await this.shareOut.of(
      {
        run: row.id,
        carries: fromJson(row.carries as CarriedShare | string),
        variables: fromJson(row.variables),
        rowLimit: row.row_limit === null ? null : Number(row.row_limit),
        taken: row.taken === null ? null : fromJson(row.taken),
      },
      fence,
      signal,
    );
    return [
      keepItems(row.id, parts),
      { sql: 'UPDATE run SET records_at = $2 WHERE id = $1', params: [row.id, this.runs.me.place] },
      ...statements,
    ];
  }

  private async beginStep(
    holder: HolderRow,
    steps: readonly Step[],
    step: Step,
    item: number,
    variables: Item,
  ): Promise<void> {
    if (step.when !== undefined) {
      const known = await this.figures(holder.id, item);
      // A step that was left out has no figures: a condition that asks for them is not true.
      const figures = new Map([...stepsBefore(steps, step.id)].map((id) => [id, known.get(id) ?? {}]));
      const answer = isMet(step.when, figures, variables, new Date());
      if ('problem' in answer)
        return this.put(holder, step, item, variables, {
          state: 'stopped',
          error: `Its condition ${step.when} can’t be told: ${answer.problem}`,
        });
      if (!answer.met)
        return this.put(holder, step, item, variables, {
          state: 'left out',
          error: null,
          log: `left out: ${step.when} is not true`,
        });
    }
    if (holder.kind === 'share') return this.beginPart(holder, steps.indexOf(step), step, variables);
    if (step.kind !== 'plan') return this.put(holder, step, item, variables, { state: 'queued', error: null });
    try {
      await this.requireNotWithin(holder, step.plan);
      const plan = await this.plans.stored(step.plan);
      const known = [...Object.keys(plan.document.variables), ...(await missingNames(this.db, plan.document))];
      const { carried, variables: own } = await carriedPlan(this.db, plan, {
        all: fromJson<CarriedPlan>(holder.carries as CarriedPlan | string).all,
        variables: Object.fromEntries(
          Object.entries({ ...variables, ...step.variables }).filter(([name]) => known.includes(name)),
        ),
      });
      await this.put(holder, step, item, own, {
        state: 'queued',
        error: null,
        carries: carried,
        plan: step.plan,
        version: plan.version,
      });
    } catch (error) {
      await this.put(holder, step, item, variables, { state: 'stopped', error: (error as Error).message });
    }
  }
  private async beginPart(holder: HolderRow, part: number, step: Step, variables: Item): Promise<void> {
    const given = fromJson<Part[]>(holder.items as Part[] | string)[part]!;
    const carries = { ...carriedStep(step, fromJson<CarriedPlan>(holder.carries as CarriedPlan | string)), part };
    await this.put(
      holder,
      step,
      0,
      variables,
      given.idle
        ? { state: 'left out', error: null, carries, log: 'left out: no record was for it' }
        : { state: 'queued', error: null, carries, source: given.plan },
    );
  }
  private async requireNotWithin(holder: HolderRow, plan: string): Promise<void> {
    const rows = await this.db.query<{ plan: string }>(
      'WITH RECURSIVE up AS (SELECT id, parent, plan FROM run WHERE id = $1 UNION ALL SELECT r.id, r.parent, r.plan FROM run r JOIN up ON r.id = up.parent) SELECT plan FROM up',
      [holder.id],
    );
    if (rows.some((r) => r.plan === plan))
      throw refused(`The plan ${plan} is a step within itself; it would never end.`);
    if (rows.length > DEEPEST) throw refused(`Plans lie within plans ${DEEPEST} deep; that is too deep.`);
  }

  /** Makes the run of a step, at most once. */
  private async put(
    holder: HolderRow,
    step: Step,
    item: number,
    variables: Item,
    how: {
      state: RunSummary['state'];
      error: string | null;
      log?: string;
      carries?: object;
      plan?: string;
      version?: number;
      source?: SourcePlan;
    },
  ): Promise<void> {
    const isOver = how.state !== 'queued';
    const load = step.kind === 'mapping' ? step : null;
    const kind = load ? 'full' : step.kind;
    const own = holder.kind === 'each' ? fromJson<Item[]>(holder.items as Item[] | string)[item] : {};
    const carries =
      how.carries ?? carriedStep(step, fromJson<CarriedPlan>(holder.carries as CarriedPlan | string), own);
    const [made] = await this.db.query<{ id: number }>(
      // Another process may cancel or pause what holds it at this very moment: then it is not made, or found there.
      `WITH holder AS (
         SELECT id FROM run WHERE id = $8::integer AND state <> ALL ($19::text[]) FOR SHARE
       )
       INSERT INTO run (kind, plan, mapping, revision, state, row_limit, started_by, parent, step, item, carries, variables, plan_version, error, started_at, finished_at, taken, source, records_at)
       SELECT $1, $2, $3, $4::integer, $5, $6::bigint, $7, holder.id, $9, $10::integer, $11::json, $12::json, $13::integer, $14,
              CASE WHEN $15 THEN clock_timestamp() END, CASE WHEN $15 THEN clock_timestamp() END, $16::json, $17::json, $18 FROM holder
       ON CONFLICT (parent, item, step) WHERE parent IS NOT NULL DO NOTHING RETURNING id`,
      [
        kind,
        how.plan ?? holder.plan,
        load?.mapping ?? null,
        load?.revision ?? null,
        how.state,
        holder.row_limit,
        holder.started_by,
        holder.id,
        step.id,
        item,
        JSON.stringify(carries),
        JSON.stringify(variables),
        how.version ?? holder.plan_version,
        how.error,
        isOver,
        holder.taken === null ? null : JSON.stringify(fromJson(holder.taken)),
        how.source === undefined ? null : JSON.stringify(how.source),
        // What a share gave it lies where the share was read.
        how.source === undefined ? null : holder.records_at,
        RESTS,
      ],
    );
    if (!made) return;
    if (how.log !== undefined) await this.runs.log(made.id, how.log);
    const which = holder.kind === 'each' ? `${step.id} of item ${item + 1}` : step.id;
    await this.runs.log(holder.id, how.log === undefined ? `${which} is run ${made.id}` : `${which} is ${how.log}`);
    await this.runs.announce(made.id);
    if (isOver) return;
    if (isHolder(kind)) this.look(made.id);
    else await this.engine.enqueue(made.id);
  }

  private async settle(row: HolderRow, move: Moves, found: readonly StepRow[]): Promise<void> {
    if (!move.ended) {
      if (row.state === 'running' || row.state === 'queued') return this.runs.announceNow(row.id);
      // Something within it was taken up again.
      await this.db.query(
        "UPDATE run SET state = 'running', finished_at = NULL, error = NULL, followed = false WHERE id = $1 AND state IN ('broken', 'stopped')",
        [row.id],
      );
      await this.runs.announce(row.id);
      if (row.parent !== null) this.look(row.parent);
      return;
    }
    if (move.failed === null) return this.end(row, 'finished', null);
    const { step, state, error } = found.find((r) => r.id === move.failed)!;
    const how = state === 'broken' ? 'broken' : state === 'cancelled' ? 'cancelled' : 'stopped';
    const why = error ?? (state === 'cancelled' ? 'it was cancelled' : 'it was stopped');
    await this.end(row, how, `The step ${step} did not end well, and what comes after it was not begun: ${why}`);
  }
  private async end(row: HolderRow, state: RunSummary['state'], error: string | null): Promise<void> {
    const ended = await this.db.query(
      `UPDATE run SET state = $2, error = $3, finished_at = clock_timestamp() WHERE id = $1 AND state NOT IN ('cancelled', 'finished') AND (state <> $2 OR finished_at IS NULL) RETURNING id`,
      [row.id, state, error],
    );
    if (ended.length === 0) return;
    await this.runs.log(row.id, error ?? 'finished', error === null ? 'info' : 'error');
    if (state === 'finished') this.forgetParts(row);
    await this.runs.ended(row.id);
  }

  private forgetParts({ id, kind, carries }: HolderRow): void {
    if (kind === 'share') this.shareOut.forget(id, fromJson<CarriedShare>(carries as CarriedShare | string).by.length);
  }

  /** Cancels a run with all that lies within it. */
  async cancel(id: number): Promise<void> {
    const ended = await this.db.query(
      // Whoever reads what it begins with has not got it any more.
      `UPDATE run SET state = 'cancelled', error = NULL, finished_at = clock_timestamp(), claim = claim + 1, claimed_until = NULL WHERE id = $1 AND kind IN ${HOLDERS} AND state IN ('queued', 'running', 'broken', 'asks', 'paused') RETURNING id`,
      [id],
    );
    this.reading.abort(id);
    // What was just being begun hears of it, too.
    await this.looking;
    for (const { id: run, kind } of await this.within(id, "('queued', 'running', 'broken', 'asks', 'paused')"))
      await (isHolder(kind) ? this.cancel(run) : this.engine.cancel(run));
    if (ended.length > 0) {
      const row = await this.holder(id);
      if (row !== null) this.forgetParts(row);
      if (row?.kind === 'share') await this.shareOut.giveBack(id);
      await this.runs.log(id, 'cancelled; what was delivered stays');
      await this.runs.ended(id);
    }
  }

  /** Nothing within a run begins or goes on until it is resumed; a request that is under way is waited for. */
  async pause(id: number): Promise<void> {
    await this.db.query(
      `UPDATE run SET state = 'paused' WHERE id = $1 AND kind IN ${HOLDERS} AND state IN ('queued', 'running')`,
      [id],
    );
    await this.looking;
    await this.runs.log(id, 'paused');
    for (const { id: run, kind } of await this.within(id, "('queued', 'running')"))
      await (isHolder(kind) ? this.pause(run) : kind === 'request' ? null : this.engine.pause(run));
    await this.runs.announce(id);
  }
  async resume(id: number): Promise<void> {
    await this.db.query(
      "UPDATE run SET state = CASE WHEN started_at IS NULL THEN 'queued' ELSE 'running' END WHERE id = $1 AND state = 'paused'",
      [id],
    );
    await this.runs.log(id, 'goes on');
    for (const { id: run, kind } of await this.within(id, "('paused')"))
      await (isHolder(kind) ? this.resume(run) : this.engine.takeUp(run));
    await this.runs.announce(id);
    this.look(id);
  }
  private within(id: number, states: string): Promise<{ id: number; kind: string }[]> {
    return this.db.query(`SELECT id, kind FROM run WHERE parent = $1 AND state IN ${states}`, [id]);
  }

  /** Takes up again whatever broke within a run. Gives how many. */
  async takeUp(id: number): Promise<number> {
    const row = await this.holder(id);
    if (row !== null && row.kind !== 'plan' && row.items === null && row.state === 'broken') {
      await this.db.query("UPDATE run SET state = 'running', finished_at = NULL, error = NULL WHERE id = $1", [id]);
      this.look(id);
      return 1;
    }
    let taken = 0;
    for (const { id: run, kind } of await this.within(id, "('broken')")) {
      if (isHolder(kind)) taken += await this.takeUp(run);
      else {
        await this.engine.takeUp(run);
        taken++;
      }
    }
    this.look(id);
    return taken;
  }
}

const keepItems = (run: number, items: readonly object[]): Statement => ({
  sql: 'UPDATE run SET items = $2 WHERE id = $1 AND items IS NULL',
  params: [run, JSON.stringify(items)],
});
/** What a run that holds others carries out: of a share, the mappings that were given its records, side by side. */
function stepsOf({ kind, carries }: HolderRow): readonly Step[] {
  if (kind !== 'share') return fromJson<{ steps: readonly Step[] }>(carries as string).steps;
  const share = fromJson<CarriedShare>(carries as CarriedShare | string);
  return partSteps(share, (part) => share.by[part]!.revision);
}
