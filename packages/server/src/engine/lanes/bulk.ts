import { Aborted, type Delivery, type MappingDocument } from '@versicle/core';
import type { Statement } from '@versicle/postgres';
import type { BulkTarget, TargetRun } from '../../systems/kinds/kind.ts';
import type { Memory } from '../changes/memory.ts';
import { isNumbered } from '../chunk.ts';
import type { MappedChunk } from '../messages.ts';
import { settleChunk } from '../settle.ts';
import { deliveryMode } from '../write-mode.ts';
import type { InFull, Lane } from './lane.ts';

export interface BulkRun extends TargetRun {
  readonly id: number;
  readonly mapping: string;
  readonly revision: number;
  /** Where it is remembered what the target was sent; null: nowhere. */
  readonly memory: Memory | null;
}

/**
 * Databases and files take whole chunks: the target's rows and its journal entry are one transaction there, and what the store
 * keeps follows. The journal tells what became of a chunk when that was cut off in between.
 */
export class BulkLane implements Lane {
  constructor(
    private readonly target: BulkTarget,
    private readonly document: MappingDocument,
    private readonly run: BulkRun,
    /** Does the same again while a system can't be reached. */
    private readonly patiently: <T>(work: () => Promise<T>) => Promise<T>,
    /** Until so many records may be sent: the target's window is open, and its pace lets them. */
    private readonly untilMay: (records: number) => Promise<void>,
  ) {}

  async take(mapped: MappedChunk, inFull: InFull): Promise<readonly Statement[]> {
    const { run, document, target } = this;
    if (run.signal.aborted) throw new Aborted();
    await this.untilMay(mapped.counts.written);
    const delivery = this.deliveryOf(mapped);
    const delivered = await this.patiently(() => target.deliver(delivery, run));
    const { rejections } = delivered;
    const rejected = rejections.length === 0 ? [] : await inFull(mapped, rejections);
    if (rejected.length !== rejections.length)
      throw new Error('The mapping thread ended before it could say which records were refused.');
    return settleChunk({
      run: run.id,
      mapping: run.mapping,
      revision: run.revision,
      chunk: mapped,
      delivered,
      rejected,
      waiting: new Set(),
      memory: run.memory,
      numbered: isNumbered(document),
    });
  }

  private deliveryOf({ chunk, parts, insertOnly }: MappedChunk): Delivery {
    const { run, document } = this;
    const mode = insertOnly ? 'insert' : deliveryMode(document, run.kind === 'replay');
    return { source: run.uid, run: run.id, claim: run.claim, chunk, mode, parts };
  }
}
