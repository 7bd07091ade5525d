import { Aborted, cellsOf, keptRejections, type Cells, type Rejection } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { Outage, pause, UNCLEAR, UNSENT } from '../../../systems/outage.ts';
import { isNumbered } from '../../chunk.ts';
import type { Memory } from '../../changes/memory.ts';
import type { MappedChunk } from '../../messages.ts';
import { settleChunk } from '../../settle.ts';
import { digestText } from '../../changes/digests.ts';
import type { InFull, Lane } from '../lane.ts';
import { putIntoOutbox, type OnArrival, type Outbox, type PartColumns, type Waiting } from './outbox.ts';
import type { Senders } from './senders.ts';
import { NOT_SENT, settleSent, type SentRun } from './settle-sent.ts';

/** Records in a chunk, and of a run in the outbox before its mapping waits, at the most. */
export const QUEUED_CHUNK_ROWS = 2000;
const MOST_WAITING = Number(process.env['VERSICLE_OUTBOX_ROWS'] ?? 200_000);
/** Another process may be the one that sends: it is asked for so often how far that is. */
const LOOK_EVERY = 1000;
/** Records may be settled by the hundred a second: not each of them is a reason to look. */
const AT_MOST_EVERY = 100;

export interface QueueRun extends SentRun {
  readonly uid: string;
  readonly target: string;
  /** Where it is remembered what the target was sent; null: nowhere. */
  readonly memory: Memory | null;
  readonly signal: AbortSignal;
  /** Its records came by themselves or were chosen: they go before those of whole loads. */
  readonly immediate: boolean;
  /** Seconds for which its target may be away before it ends; null: as long as is usual. */
  readonly outageSeconds: number | null;
  /** Throws where the run has to stop for what failed. */
  readonly mayGoOn: () => Promise<void>;
}
export interface QueueHouse {
  readonly db: Database;
  readonly outbox: Outbox;
  readonly senders: Senders;
  /** Seconds for which a target may be away before a run ends, as is usual. */
  readonly outageSeconds: number;
}

/**
 * APIs are sent records by request, at their own pace: a finished chunk is settled into the outbox of the store, and senders
 * take it from there. The run is over when nothing of it waits.
 */
export class QueueLane implements Lane {
  constructor(
    private readonly run: QueueRun,
    private readonly house: QueueHouse,
  ) {}

  async begin(): Promise<void> {
    await this.house.outbox.forgetOutage(this.run.target);
    this.kept();
  }
  async take(mapped: MappedChunk, inFull: InFull): Promise<readonly Statement[]> {
    await this.untilWaiting(MOST_WAITING);
    const { run } = this;
    const before = await this.sentBefore(mapped);
    const known = before.filter((b) => b.outcome !== null);
    const isKnown = (index: number): boolean => known.some((k) => k.first <= index && index < k.first + k.records);
    const rejections = known.flatMap((k) => k.outcome!);
    const waiting = this.waiting(mapped).map((row, index) => {
      const at = before.findIndex((b) => b.outcome === null && b.first <= index && index < b.first + b.records);
      // Requests of an older store had no numbers; below zero there are no others.
      return at < 0 ? row : { ...row, request: -(mapped.chunk * 1_000_000 + before[at]!.first + 1) };
    });
    const indexes = waiting.map((_, index) => index).filter((index) => !isKnown(index));
    const parts = mapped.parts.map(({ dataset, columns, key }, part) => ({ part, dataset, columns, key }));
    return [
      ...(indexes.length > 0
        ? putIntoOutbox(
            run.run,
            run.target,
            parts,
            indexes.map((i) => waiting[i]!),
          )
        : []),
      ...settleChunk({
        ...run,
        chunk: mapped,
        delivered: { rejections, unchanged: 0 },
        rejected: rejections.length === 0 ? [] : await inFull(mapped, rejections),
        waiting: new Set(indexes),
        numbered: isNumbered(run.document),
      }),
    ];
  }
  kept(): void {
    this.house.senders.wake(this.run.target, this.run.immediate);
  }

  /** Until nothing of the run waits. */
  async end(): Promise<void> {
    await this.untilWaiting(0);
    this.house.senders.forget(this.run.run);
  }
  /** Until at most so many records of the run wait. Throws what stands against sending them. */
  private async untilWaiting(most: number): Promise<void> {
    const { run, house } = this;
    for (;;) {
      if (run.signal.aborted) throw new Aborted();
      const { waiting, trouble, outage } = await house.outbox.state(run.run, run.target);
      if (trouble !== null) throw new Error(trouble);
      await run.mayGoOn();
      if (waiting === 0) return;
      if (outage !== null && Date.now() - outage.since.getTime() > (run.outageSeconds ?? house.outageSeconds) * 1000)
        throw new Outage(outage.message);
      if (waiting <= most) return;
      house.senders.wake(run.target);
      await house.senders.progress(run.run, LOOK_EVERY, run.signal);
      await pause(AT_MOST_EVERY, run.signal);
    }
  }

  private waiting(mapped: MappedChunk): Waiting[] {
    const { parts, records, failed, settled, keys, insertOnly } = mapped;
    return parts.flatMap(({ columns, key, content, ids }, part) => {
      const keyIndexes = key.map((name) => columns.findIndex((c) => c.name === name));
      return cellsOf(content).map((cells, index) => ({
        part,
        deliveryKey: ids[index]!,
        orderKey: orderKey(cells, keyIndexes),
        cells,
        record: records[index]!,
        onArrival: {
          remarks: failed.filter((f) => f.index === index),
          key: keys[index] ?? null,
          settled: settled.filter((s) => s.index === index),
          insertOnly,
          ...this.remembered(mapped, index),
        },
        replayed: records[index]!.replayed,
        request: null,
        sooner: Number(this.run.immediate),
      }));
    });
  }

  private remembered({ digests }: MappedChunk, index: number): Pick<OnArrival, 'remember'> {
    const { memory } = this.run;
    const digest = memory === null ? null : digestText(digests, index);
    return digest === null ? {} : { remember: { memory: memory!.id, digest } };
  }

  /** What older versions of Versicle sent of a chunk: they wrote down each request, and what came of it. */
  private async sentBefore({
    chunk,
  }: MappedChunk): Promise<{ first: number; records: number; outcome: Rejection[] | null }[]> {
    const rows = await this.house.db.query<{ first: number; records: number; outcome: unknown }>(
      'SELECT first, records, outcome FROM request_journal WHERE run = $1 AND chunk = $2 ORDER BY first',
      [this.run.uid, chunk],
    );
    return rows.map((r) => ({ ...r, outcome: r.outcome === null ? null : keptRejections(r.outcome) }));
  }
}

function orderKey(cells: Cells, indexes: readonly number[]): string | null {
  const values = indexes.map((i) => cells[i] ?? null);
  return values.length === 0 || values.includes(null) ? null : JSON.stringify(values);
}

const AT_A_TIME = 1000;

/** What a run leaves that is not carried on fails, and can be sent by a replay: nothing of it is dropped. */
export async function failRest(
  run: SentRun,
  { outbox, senders }: QueueHouse,
  target: string,
  first: Statement,
): Promise<void> {
  await senders.stop(run.run, target);
  for (;;) {
    const rest = await outbox.rest(run.run, AT_A_TIME);
    if (rest.length === 0) return;
    const parts = new Map<number, PartColumns>();
    for (const { part } of rest) if (!parts.has(part)) parts.set(part, await outbox.part(run.run, part));
    const sent = rest.map((row, index) => ({
      row,
      of: parts.get(row.part)!,
      refusal: { ...NOT_SENT, index, cells: row.cells, message: row.request === null ? UNSENT : UNCLEAR },
    }));
    await outbox.db.transaction([first, ...settleSent(run, sent)]);
  }
}
