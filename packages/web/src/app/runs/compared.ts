import type { CauseGroup, RunDetail, RunSummary } from '@versicle/contract';
import { decimal, durationWords, figure } from '../shared/words';

/** A figure of two runs, in words, with how much more or less the second one has. */
export interface ComparedFigure {
  readonly name: string;
  readonly one: string;
  readonly other: string;
  readonly more: string;
  /** More of it is worse. */
  readonly bad: boolean;
}

const COUNTS = [
  ['read', $localize`Read`],
  ['filtered', $localize`Filtered out`],
  ['skipped', $localize`Skipped`],
  ['unchanged', $localize`Unchanged`],
  ['unmatched', $localize`Taken by none`],
  ['delivered', $localize`Delivered`],
  ['failed', $localize`Failed`],
  ['waiting', $localize`Waiting`],
  ['remarks', $localize`Remarks`],
] as const;
/** What is shown only where one of the two has some. */
const SELDOM: ReadonlySet<string> = new Set(['filtered', 'skipped', 'unchanged', 'unmatched', 'waiting', 'remarks']);
const BAD: ReadonlySet<string> = new Set(['failed', 'unmatched', 'remarks']);

type Compared = Pick<RunSummary, 'counts' | 'startedAt' | 'finishedAt'>;

/** What became of what two runs read, and how long they took. */
export function comparedFigures(one: Compared, other: Compared): ComparedFigure[] {
  const counts = COUNTS.filter(([key]) => !SELDOM.has(key) || one.counts[key] > 0 || other.counts[key] > 0).map(
    ([key, name]) => ({
      name,
      one: figure(one.counts[key]),
      other: figure(other.counts[key]),
      more: signed(other.counts[key] - one.counts[key], figure),
      bad: BAD.has(key) && other.counts[key] > one.counts[key],
    }),
  );
  const [a, b] = [millisOf(one), millisOf(other)];
  const took = {
    name: $localize`Took`,
    one: a === null ? '' : durationWords(a),
    other: b === null ? '' : durationWords(b),
    more: a === null || b === null ? '' : signed(b - a, durationWords),
    bad: false,
  };
  const [speed, otherSpeed] = [speedOf(one), speedOf(other)];
  const rate = {
    name: $localize`Records a second`,
    one: speed === null ? '' : figure(Math.round(speed)),
    other: otherSpeed === null ? '' : figure(Math.round(otherSpeed)),
    more: speed === null || otherSpeed === null || speed === 0 ? '' : `× ${decimal(otherSpeed / speed, 2)}`,
    bad: false,
  };
  return [...counts, took, rate];
}
const signed = (n: number, words: (n: number) => string): string =>
  n === 0 ? '' : `${n > 0 ? '+' : '−'}${words(Math.abs(n))}`;
const millisOf = ({ startedAt, finishedAt }: Compared): number | null =>
  startedAt === null || finishedAt === null ? null : Date.parse(finishedAt) - Date.parse(startedAt);
function speedOf(run: Compared): number | null {
  const millis = millisOf(run);
  return millis === null || millis === 0 || run.counts.read === 0 ? null : (run.counts.read / millis) * 1000;
}

/** What failed for one cause in either run. */
export interface ComparedCause {
  readonly group: CauseGroup;
  readonly one: number;
  readonly other: number;
}
/** By line and cause, the largest change first. */
export function comparedCauses(one: Pick<RunDetail, 'causes'>, other: Pick<RunDetail, 'causes'>): ComparedCause[] {
  const keyOf = (c: CauseGroup): string => JSON.stringify([c.mapping, c.line, c.cause]);
  const all = new Map<string, ComparedCause>();
  for (const group of one.causes) all.set(keyOf(group), { group, one: group.count, other: 0 });
  for (const group of other.causes) {
    const known = all.get(keyOf(group));
    all.set(keyOf(group), { group, one: known?.one ?? 0, other: group.count });
  }
  const change = (c: ComparedCause): number => Math.abs(c.other - c.one);
  return [...all.values()].sort((a, b) => change(b) - change(a) || b.other - a.other);
}

/** Each step that either run has, with its run there. */
export function comparedSteps(
  one: Pick<RunDetail, 'steps'>,
  other: Pick<RunDetail, 'steps'>,
): { id: string; words: string; one: RunSummary | null; other: RunSummary | null }[] {
  const ids = [...new Set([...one.steps, ...other.steps].map((s) => s.id))];
  return ids.map((id) => {
    const [a, b] = [one, other].map(({ steps }) => steps.find((s) => s.id === id));
    return { id, words: (b ?? a)!.words, one: a?.runs[0] ?? null, other: b?.runs[0] ?? null };
  });
}
