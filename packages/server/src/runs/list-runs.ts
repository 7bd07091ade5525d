import type { RunsAsked, RunSummary } from '@versicle/contract';
import { changedMeanwhile, refused, quoted } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { Conditions } from '../store/conditions.ts';
import { literal } from '../store/values.ts';
import { COUNTED_RUNS, readRuns } from './run-store.ts';

/** What runs can be sorted by; nothing of it is ever null, so that each page begins where the one before ended. */
const PLACES: Readonly<Record<string, string>> = {
  id: 'r.id',
  plan: 'lower(p.name)',
  state: 'r.state',
  read: 'c.read',
  delivered: 'c.delivered',
  failed: 'c.failed',
  began: "COALESCE(r.started_at, 'infinity')",
  took: 'COALESCE(extract(epoch FROM COALESCE(r.finished_at, now()) - r.started_at), -1)',
};

/** One page of the runs that are asked for; the newest first, unless they are sorted. `after`: the last run of the page before. */
export async function listRuns(db: Database, asked: RunsAsked & { limit: number }): Promise<RunSummary[]> {
  const where = new Conditions();
  where.add((p) => `r.plan = ${p}`, asked.plan);
  where.add((p) => `r.mapping = ${p}`, asked.mapping);
  where.add((p) => `r.state = ${p}`, asked.state);
  where.add((p) => `r.parent = ${p}`, asked.parent);
  if (asked.mapping === undefined && asked.parent === undefined) where.always('r.parent IS NULL');
  for (const word of (asked.search ?? '').split(/\s+/))
    where.add((p) => `concat_ws(' ', r.id, p.name, m.name, r.kind, r.state) ILIKE '%' || ${p} || '%'`, literal(word));
  const key = asked.sort?.replace(/^-/, '') ?? 'id';
  const place = Object.hasOwn(PLACES, key) ? PLACES[key] : undefined;
  if (place === undefined)
    throw refused(`Runs are not sorted by ${quoted(key)}, but by ${Object.keys(PLACES).join(', ')}.`);
  const down = asked.sort === undefined || asked.sort.startsWith('-');
  if (asked.after !== undefined) {
    const after = where.param(asked.after);
    const before = await db.query('SELECT 1 FROM run WHERE id = $1', [asked.after]);
    if (before.length === 0)
      throw changedMeanwhile(`Run ${asked.after}, which the next page begins after, is gone; load the list again.`);
    const of = `(SELECT ${place} FROM ${COUNTED_RUNS} WHERE r.id = ${after})`;
    where.always(`(${place} ${down ? '<' : '>'} ${of} OR (${place} = ${of} AND r.id < ${after}))`);
  }
  const order = `ORDER BY ${place} ${down ? 'DESC' : 'ASC'}, r.id DESC LIMIT ${where.param(asked.limit)}`;
  const which = `WHERE ${where.sql} ${order}`;
  if (!place.startsWith('c.')) return readRuns(db, which, where.params);
  const ids = await db.query<{ id: number }>(`SELECT r.id FROM ${COUNTED_RUNS} ${which}`, where.params);
  const runs = await readRuns(db, 'WHERE r.id = ANY($1)', [ids.map((r) => r.id)]);
  const byId = new Map(runs.map((run) => [run.id, run]));
  return ids.flatMap(({ id }) => byId.get(id) ?? []);
}
