import type { WaitingForSystem } from '@versicle/contract';
import { millisApart, openFor, paceWords } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { isoTime, isoTimeOrNull } from '../store/values.ts';
import type { Sending } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';

/** Answers that are shown. */
const SHOWN = 30;
/** Milliseconds in which as many answers as are known must have come, for the rate to be that of now. */
const LATELY = 60_000;

/** What waits for a system that takes records by request, and what it said lately. */
export async function waitingForSystem(db: Database, systems: Systems, system: string): Promise<WaitingForSystem> {
  await systems.get(system);
  const groups = await db.query<{
    run: number;
    plan: string;
    plan_name: string;
    mapping: string;
    mapping_name: string;
    target: string;
    state: string;
    waiting: string;
    held: string;
    first: string;
  }>(
    `SELECT g.*, r.plan, p.name AS plan_name, r.mapping, m.name AS mapping_name, r.state FROM (
       SELECT run, target, count(*) AS waiting, count(*) FILTER (WHERE held) AS held, count(*) FILTER (WHERE sooner > 0) AS first
         FROM outbox WHERE starts_with(target, $1) GROUP BY run, target
     ) g JOIN run r ON r.id = g.run JOIN plan p ON p.id = r.plan JOIN mapping m ON m.id = r.mapping ORDER BY g.run`,
    [`${system}/`],
  );
  const answers = await db.query<{
    at: string;
    target: string;
    run: number | null;
    asked: string;
    status: number | null;
    millis: number;
    message: string | null;
  }>(
    'SELECT at, target, run, asked, status, millis, message FROM target_answer WHERE starts_with(target, $1) ORDER BY at DESC, id DESC LIMIT $2',
    [`${system}/`, SHOWN],
  );
  const [sender] = await db.query<{ outage: string | null; since: string | null; opens: string | null }>(
    `SELECT max(outage) AS outage, min(outage_since) AS since, min(opens) FILTER (WHERE opens > clock_timestamp()) AS opens
       FROM sender WHERE starts_with(target, $1)`,
    [`${system}/`],
  );
  const waiting = sum(groups.map((g) => g.waiting));
  const held = sum(groups.map((g) => g.held));
  const how = await sendingOf(systems, groups[0]?.target ?? answers[0]?.target ?? null);
  return {
    waiting,
    held,
    opens: isoTimeOrNull(sender?.opens ?? null),
    outage: sender?.outage ? { since: isoTime(sender.since!), message: sender.outage } : null,
    pace: how === null ? '' : sendingWords(how),
    until: how === null ? null : untilOf(how, waiting - held, answers),
    groups: groups.map((g) => ({
      run: g.run,
      plan: g.plan,
      planName: g.plan_name,
      mapping: g.mapping,
      mappingName: g.mapping_name,
      dataset: datasetOf(g.target),
      runState: g.state,
      waiting: Number(g.waiting),
      held: Number(g.held),
      first: Number(g.first),
    })),
    answers: answers.map(({ at, target, ...a }) => ({ ...a, at: isoTime(at), dataset: datasetOf(target) })),
  };
}

const sum = (of: readonly string[]): number => of.reduce((all, n) => all + Number(n), 0);
const datasetOf = (target: string): string => target.slice(target.indexOf('/') + 1);

/** How it is sent to; null where it can't be told, or where records are not sent by request. */
async function sendingOf(systems: Systems, target: string | null): Promise<Sending | null> {
  if (target === null) return null;
  try {
    const { system, dataset } = await systems.openDataset(target);
    return system.target?.lane === 'queue' ? await system.target.sending(dataset) : null;
  } catch {
    // What is wrong with it is said where it is looked at; what waits can be seen all the same.
    return null;
  }
}

function sendingWords({ batch, parallel, pace }: Sending): string {
  const size = batch === 1 ? 'one record a request' : `${batch} records a request`;
  const many = parallel === 1 ? 'one request at a time' : `${parallel} requests at a time`;
  const rate = pace.most === null ? 'as fast as it answers' : `${paceWords(pace.most, 'request')} at the most`;
  return `${size}, ${many}, ${rate}`;
}

/** By the pace that is set, or as fast as the last answers came; closed windows are not counted in. */
function untilOf(
  { batch, pace }: Sending,
  records: number,
  answers: readonly { readonly at: string }[],
): string | null {
  if (records === 0) return null;
  const now = new Date();
  const requests = Math.ceil(records / batch);
  const apart = pace.most === null ? apartLately(answers, now) : millisApart(pace.most);
  if (apart === null) return null;
  return openFor(pace.windows, now, requests * apart)?.toISOString() ?? null;
}
/** Milliseconds between the last answers; null where there are too few to tell. */
function apartLately(answers: readonly { readonly at: string }[], now: Date): number | null {
  const times = answers.map((a) => Date.parse(isoTime(a.at))).filter((at) => at > now.getTime() - LATELY);
  return times.length < 3 ? null : (times[0]! - times.at(-1)!) / (times.length - 1);
}
