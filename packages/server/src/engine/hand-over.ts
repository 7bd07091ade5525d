import { buffersOf } from '@versicle/core';
import type { FailedRow, FromMapper, MappedChunk, Refused, ToMapper } from './messages.ts';
import { Occurrences } from './chunk.ts';

/** Who can tell of a chunk's records while it is out. */
export interface Teller {
  refused(items: readonly Refused[]): FailedRow[] | Promise<FailedRow[]>;
  forget?(): void;
}
interface Port {
  postMessage(message: FromMapper, transfer?: ArrayBuffer[]): void;
  on(event: 'message', heard: (message: ToMapper) => void): void;
}

/** The way of finished chunks out of the mapping thread, in their order: never more than two are out and not settled yet. */
export class HandOver {
  private readonly out = new Map<number, Teller>();
  private readonly occurrences = new Occurrences();
  private roomMade: () => void = () => undefined;

  constructor(private readonly port: Port) {
    port.on('message', (message) => void this.hear(message));
  }
  private async hear(message: ToMapper): Promise<void> {
    const chunk = this.out.get(message.chunk)!;
    if (message.kind === 'settled') {
      chunk.forget?.();
      this.out.delete(message.chunk);
      this.roomMade();
      return;
    }
    try {
      this.port.postMessage({ kind: 'rejected', rows: await chunk.refused(message.items) });
    } catch (error) {
      this.port.postMessage({ kind: 'broken', message: (error as Error).message });
    }
  }

  /** `isSettled`: it arrived in an earlier life of the run, and only what it says of records that are alike counts. */
  async chunk(made: MappedChunk, teller: Teller, isSettled: boolean): Promise<void> {
    const chunk = this.occurrences.number(made);
    if (isSettled) return teller.forget?.();
    await this.untilOut(1);
    this.out.set(chunk.chunk, teller);
    this.port.postMessage(chunk, [
      ...chunk.parts.flatMap((part) => buffersOf(part.content)),
      ...[chunk.digests, chunk.learned].flatMap((bytes) => (bytes.length > 0 ? [bytes.buffer as ArrayBuffer] : [])),
    ]);
  }
  async end(
    bytes: number,
    stopped: boolean,
    well: readonly number[],
    unread: MappedChunk['unread'] = new Map(),
  ): Promise<void> {
    await this.untilOut(0);
    this.port.postMessage({ kind: 'end', bytes, stopped, well, unread });
  }
  private async untilOut(atMost: number): Promise<void> {
    while (this.out.size > atMost) await new Promise<void>((resolve) => (this.roomMade = resolve));
  }
}
