import { Aborted, counted, fillPlaces, type MappingDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { requireClaim, startOf, variablesOf, type Claim, type RunRow } from '../runs/runs.ts';
import type { BulkTarget, TargetRun } from '../systems/kinds/kind.ts';
import type { RunChanges } from './changes/changes.ts';
import { findGone, goneAsks, goneWords, someGone, toldGone } from './changes/gone.ts';

/** Records that a target is told of at a time. */
const AT_A_TIME = 500;
/** After so many that stay the rest is not tried any more. */
const MOST_STAYING = 100;
/** Keys that the log names. */
const NAMED = 10;

export interface TellsGone {
  readonly db: Database;
  readonly claim: Claim;
  readonly row: RunRow;
  readonly document: MappingDocument;
  readonly target: BulkTarget;
  readonly dataset: string;
  readonly run: TargetRun;
  /** The source's own keys of the records that the run looked at; null: it looked at all. */
  readonly looked: readonly (readonly string[])[] | null;
  readonly log: (message: string) => Promise<void>;
  /** Until so many records may be sent. */
  readonly untilMay: (records: number) => Promise<void>;
  /** Does the same again while the target can't be reached. */
  readonly patiently: <T>(work: () => Promise<T>) => Promise<T>;
}

/** `asks`: what a person must say yes to first; `isTold` is false where nobody can say what is gone. */
export interface ToldGone {
  readonly asks: string | null;
  readonly isTold: boolean;
}

/**
 * A run has read all of its source: what was delivered before and was not met is deleted from the target, or marked there.
 * Throws where some of it stays, after all others are gone; done again, it goes on.
 */
export async function tellGone(work: TellsGone, { memory, vanished }: RunChanges): Promise<ToldGone> {
  if (memory === null || vanished === null) return { asks: null, isTold: true };
  const { db, row, document, run, log } = work;
  const { dataset } = document.target;
  const gone = await findGone(db, row.id, memory, dataset, work.looked);
  const step = { vanished };
  if (gone.untold > 0) {
    await log(
      `nothing is told gone: the key of ${counted(gone.untold, 'failed record')} can’t be told, so ${gone.untold === 1 ? 'it' : 'each'} may be one that was delivered before`,
    );
    return { asks: null, isTold: false };
  }
  if (gone.records === 0) return { asks: null, isTold: true };
  if (run.mayRemove !== null && gone.records > gone.of * run.mayRemove)
    return { asks: goneAsks(gone, step, dataset), isTold: false };

  const { target, claim, untilMay, patiently } = work;
  const mark = vanished === 'delete' ? null : filled(vanished.mark, row);
  const named: string[] = [];
  const staying: string[] = [];
  let done = 0;
  for (let after: Uint8Array = new Uint8Array(0); staying.length < MOST_STAYING;) {
    if (run.signal.aborted) throw new Aborted();
    const some = await someGone(db, row.id, AT_A_TIME, after);
    if (some.length === 0) break;
    await untilMay(some.length);
    const rows = some.map((s) => s.cells);
    const stays = await patiently(() => target.tellGone!(work.dataset, { key: memory.keys!, rows, mark }, run));
    const told = some.filter((_, place) => !stays.has(place));
    if (told.length > 0)
      await db.transaction([
        requireClaim(claim),
        ...toldGone(
          row.id,
          memory,
          told.map((t) => t.key),
        ),
      ]);
    done += told.length;
    for (const { cells } of told) if (named.length < NAMED) named.push(cells.join(' · '));
    for (const [place, why] of stays) staying.push(`${rows[place]!.join(' · ')}: ${why}`);
    after = some.at(-1)!.key;
  }
  if (done > 0)
    await log(
      `${counted(done, 'record')} that ${done === 1 ? 'was' : 'were'} delivered before ${done === 1 ? 'is' : 'are'} gone from the source, and ${goneWords(step)} in ${dataset}: ${named.join(', ')}${done > named.length ? ' and others' : ''}`,
    );
  if (staying.length > 0)
    throw new Error(
      `All records are settled, but ${staying.length >= MOST_STAYING ? 'at least ' : ''}${counted(staying.length, 'record')} of ${gone.records.toLocaleString('en-GB')} that are gone from the source could not be ${goneWords(step)} in ${dataset}. ${staying[0]} Mend that there, and take the run up again.`,
    );
  return { asks: null, isTold: true };
}

/** What fields of a marked record are set to, with places filled. */
const filled = (mark: Readonly<Record<string, string | null>>, row: RunRow): Record<string, string | null> =>
  Object.fromEntries(
    Object.entries(mark).map(([name, value]) => [
      name,
      value === null ? null : fillPlaces(value, startOf(row), variablesOf(row), 'of the plan'),
    ]),
  );
