import type { Database, Statement } from '@versicle/postgres';
import { isLostClaim, RENEW_EVERY, requireClaim, type Claim, type Runs } from '../runs/runs.ts';
import type { Systems } from '../systems/systems.ts';
import type { Peers } from '../workers/peers.ts';

/** Reads what a run that holds others is carried out with. Gives what is to be kept of it. */
type Reads = (claim: Claim, signal: AbortSignal) => Promise<Statement[]>;
interface Holder {
  readonly id: number;
  readonly state: string;
}
interface House {
  readonly db: Database;
  readonly runs: Runs;
  readonly systems: Systems;
  readonly peers: Peers;
  /** Whether this process reads, or leaves that to others. */
  readonly works: boolean;
}

/**
 * Reads the records that an each goes through, and those that are shared out: beside all else, by one process at a time, and
 * what is to be kept of it is kept once.
 */
export class HolderReading {
  private readonly reading = new Map<number, AbortController>();
  /** Of these another process said that they are to be looked at. */
  private readonly heard = new Set<number>();

  constructor(
    private readonly house: House,
    private readonly look: (run: number) => void,
  ) {
    house.peers.on('plan', ({ run }) => {
      this.heard.add(run);
      this.look(run);
    });
  }

  /** `dataset`: what is read, where that is one; `breaks` ends the run where it can't be. */
  begin(row: Holder, dataset: string | null, breaks: (why: string) => Promise<void>, work: Reads): void {
    if (row.state === 'broken' || this.reading.has(row.id)) return;
    const reading = new AbortController();
    this.reading.set(row.id, reading);
    this.read(row.id, dataset, reading, breaks, work)
      .then((done) => {
        this.reading.delete(row.id);
        const wasAsked = this.heard.delete(row.id);
        if (done) this.look(row.id);
        // Where this process does not read it, another one does; who was asked does not ask the others again.
        else if (!wasAsked) this.house.peers.tell({ kind: 'plan', run: row.id });
      })
      // Not looked at again at once: a store that refuses now refuses the next look, too.
      .catch((error: Error) => void process.stderr.write(`Run ${row.id} could not go on: ${error.message}\n`))
      .finally(() => this.reading.delete(row.id));
  }
  /** Gives whether this process read it: not where another one does, or where it serves pages only or does not reach it. */
  private async read(
    id: number,
    dataset: string | null,
    reading: AbortController,
    breaks: (why: string) => Promise<void>,
    work: Reads,
  ): Promise<boolean> {
    const { db, runs, systems, works } = this.house;
    const { signal } = reading;
    if (!works) return false;
    if (dataset !== null && (await systems.standing(dataset.split('/')[0]!)) === 'elsewhere') return false;
    const claim = await runs.claimHolder(id);
    if (claim === null) return false;
    const renewing = setInterval(() => {
      runs.renew([claim]).then(
        (lost) => lost.length > 0 && reading.abort(),
        () => undefined,
      );
    }, RENEW_EVERY);
    renewing.unref();
    try {
      const statements = await work(claim, signal);
      if (!signal.aborted) await db.transaction([requireClaim(claim), ...statements]);
    } catch (error) {
      // Whoever hung, and is late, does not end what another process reads by now.
      const isHeld = (): Promise<boolean> =>
        db.transaction([requireClaim(claim)]).then(
          () => true,
          () => false,
        );
      if (!signal.aborted && !isLostClaim(error) && (await isHeld())) await breaks((error as Error).message);
    } finally {
      clearInterval(renewing);
      await runs.release(claim);
    }
    return true;
  }

  abort(run: number): void {
    this.reading.get(run)?.abort();
  }
  close(): void {
    for (const reading of this.reading.values()) reading.abort();
  }
}
