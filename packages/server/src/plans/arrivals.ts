import { durationSeconds, parsePlan, refused, type PlanDocument, type Trigger } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Taken } from '../runs/runs.ts';
import { fromJson } from '../store/values.ts';
import type { ArrivedFile } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';
import type { Starter } from './starter.ts';

/** What a trigger has taken of the files of its dataset, and those that don't stand still yet. */
interface FilesTaken {
  readonly dataset: string;
  readonly taken: readonly ArrivedFile[];
  /** `since`: from when on it has been as it is, in milliseconds. */
  readonly seen: readonly (ArrivedFile & { readonly since: number })[];
}
interface DeliveriesTaken {
  readonly dataset: string;
  readonly to: number;
}
type Waits = Extract<Trigger, { kind: 'file' | 'arrival' }>;
interface Row {
  [key: string]: unknown;
  plan: string;
  trigger: string;
  document: PlanDocument | string;
  taken: string | null;
}

/** Those that begin a run when something has arrived. */
export const WAITS_FOR_ARRIVALS =
  "SELECT 1 FROM plan_trigger t JOIN plan p ON p.id = t.plan WHERE t.kind IN ('file', 'arrival') AND NOT p.held";

const same = (a: ArrivedFile, b: ArrivedFile): boolean =>
  a.name === b.name && a.bytes === b.bytes && a.changed === b.changed;

/** Starts plans for which something has arrived. What comes while a run goes on is taken by the next one. */
export async function seeToArrivals(db: Database, systems: Systems, starter: Starter, now = Date.now()): Promise<void> {
  const rows = await db.query<Row>(
    "SELECT t.plan, t.trigger, p.document, t.taken::text AS taken FROM plan_trigger t JOIN plan p ON p.id = t.plan WHERE t.kind IN ('file', 'arrival') AND NOT p.held ORDER BY t.plan, t.trigger",
  );
  for (const row of rows) {
    const trigger = parsePlan(fromJson(row.document)).triggers.find(
      (t): t is Waits => t.id === row.trigger && (t.kind === 'file' || t.kind === 'arrival'),
    );
    if (trigger === undefined) continue;
    try {
      await seeTo(row, trigger, db, systems, starter, now);
    } catch (error) {
      await starter.said(row.plan, row.trigger, (error as Error).message);
    }
  }
}

async function seeTo(
  row: Row,
  trigger: Waits,
  db: Database,
  systems: Systems,
  starter: Starter,
  now: number,
): Promise<void> {
  const { system, dataset } = await systems.openDataset(trigger.dataset);
  const { arrivals } = system;
  // What is there already when the plan is made, or begins to look elsewhere, counts as arrived: nothing is lost in between.
  const kept = row.taken === null ? null : (JSON.parse(row.taken) as FilesTaken | DeliveriesTaken);
  const known = kept?.dataset === trigger.dataset ? kept : null;
  const stamp = new Date(now).toISOString();
  if (trigger.kind === 'arrival') {
    if (arrivals?.of !== 'deliveries')
      throw refused(`Nothing is delivered to ${trigger.dataset}; choose an incoming webhook.`);
    const newest = await arrivals.newest();
    const after = known !== null && 'to' in known ? known.to : 0;
    if (newest <= after) return;
    const state: DeliveriesTaken = { dataset: trigger.dataset, to: newest };
    const taken = { dataset: trigger.dataset, only: { after, to: newest } };
    return start(row, starter, taken, `deliveries after ${after}, up to ${newest}, at ${stamp}`, JSON.stringify(state));
  }
  if (arrivals?.of !== 'files') throw refused(`${trigger.dataset} has no files that could arrive; choose a folder.`);
  const there = await arrivals.list(dataset);
  const before = known !== null && 'taken' in known ? known : { taken: [], seen: [] };
  const taken = before.taken.filter((t) => there.some((f) => same(f, t)));
  const seen = there
    .filter((f) => !taken.some((t) => same(f, t)))
    // A clock that was ahead when it was seen first, and was set back, keeps no file waiting.
    .map((f) => ({ ...f, since: Math.min(before.seen.find((s) => same(s, f))?.since ?? now, now) }));
  const isComplete = (f: { since: number }): boolean => now - f.since >= durationSeconds(trigger.settled) * 1000;
  const complete = seen.filter(isComplete).map(({ name, bytes, changed }) => ({ name, bytes, changed }));
  const state: FilesTaken = {
    dataset: trigger.dataset,
    taken: [...taken, ...complete],
    seen: seen.filter((f) => !isComplete(f)),
  };
  const text = JSON.stringify(state);
  if (complete.length === 0) return text === row.taken ? undefined : keep(db, row, text);
  const occasion = `${complete
    .map((f) => f.name)
    .join(', ')
    .slice(0, 800)} at ${stamp}`;
  return start(row, starter, { dataset: trigger.dataset, only: { files: complete } }, occasion, text);
}

async function keep(db: Database, row: Row, taken: string): Promise<void> {
  await db.query(
    'UPDATE plan_trigger SET taken = $3, problem = NULL WHERE plan = $1 AND trigger = $2 AND taken::text IS NOT DISTINCT FROM $4',
    [row.plan, row.trigger, taken, row.taken],
  );
}
async function start(row: Row, starter: Starter, taken: Taken, occasion: string, now: string): Promise<void> {
  await starter.arrived(row.plan, { trigger: row.trigger, occasion, arrival: { taken, before: row.taken, now } });
}

/** Files that a run has worked off are moved or marked, where the plan says so. Done again, it changes nothing more. */
export async function settleArrived(
  db: Database,
  systems: Systems,
  run: number,
  log: (message: string) => Promise<void>,
): Promise<void> {
  const [row] = await db.query<{ document: PlanDocument | string; trigger: string; taken: Taken | string }>(
    "SELECT v.document, r.trigger, r.taken FROM run r JOIN plan_version v ON v.plan = r.plan AND v.number = r.plan_version WHERE r.id = $1 AND r.taken IS NOT NULL AND r.state = 'finished'",
    [run],
  );
  if (!row) return;
  const trigger = parsePlan(fromJson(row.document)).triggers.find((t) => t.id === row.trigger);
  const { dataset, only } = fromJson<Taken>(row.taken);
  if (trigger?.kind !== 'file' || trigger.then === 'keep' || !('files' in only)) return;
  const { system } = await systems.openDataset(dataset);
  if (system.arrivals?.of !== 'files') return;
  for (const problem of await system.arrivals.settle(only.files, trigger.then as 'mark' | `move:${string}`))
    await log(`could not be ${trigger.then === 'mark' ? 'marked' : 'moved'}: ${problem}`);
}
