import { Aborted } from '@versicle/core';
import { Runs, type Claim } from '../runs/runs.ts';
import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import type { CarryOut } from './carry-out.ts';
import type { UnderWay } from './under-way.ts';
import { Engine } from './engine.ts';

/** Clicks at the wrong moment: between two steps of a run's life. */
describe('the engine', () => {
  let db: Database;
  let runs: Runs;
  let engine: Engine;
  let breaks = false;
  /** So many steps of whatever else goes on. */
  const steps = async (n: number): Promise<void> => {
    for (let i = 0; i < n; i++) await Promise.resolve();
  };
  const stateOf = async (run: number): Promise<string> =>
    (await db.query<{ state: string }>('SELECT state FROM run WHERE id = $1', [run]))[0]!.state;
  const becomes = async (run: number, state: string): Promise<void> => {
    for (let n = 0; (await stateOf(run)) !== state; n++) {
      if (n === 400) throw new Error(`Run ${run} is ${await stateOf(run)}, and should be ${state}.`);
      await new Promise((r) => setTimeout(r, 5));
    }
  };

  beforeAll(async () => {
    db = await directDatabase();
    // Telling the pages takes its time.
    const slow = (): Promise<void> => new Promise((r) => setTimeout(r, 30));
    const events = { send: () => undefined, waitingChanged: slow } as never;
    runs = new Runs(db, events);
    /** Goes on until it is told to stop, or breaks at once. */
    const carryOut = {
      run: (_: Claim, { signal }: UnderWay) =>
        breaks
          ? Promise.reject(new Error('broke'))
          : new Promise((_resolve, reject) => {
              if (signal.aborted) reject(new Aborted());
              signal.addEventListener('abort', () => reject(new Aborted()));
            }),
      giveUp: (claim: Claim, message: string) => runs.end(claim, { state: 'cancelled', message }),
    } as unknown as CarryOut;
    engine = new Engine(runs, null as never, carryOut, '/nowhere');
  });
  afterAll(async () => {
    await engine.close();
    await db.close();
  });

  it('cancels a run at whatever instant of its start', async () => {
    for (let n = 0; n < 120; n++) {
      const run = await storedRun(db, 'files', `store/t${n}`);
      const started = engine.enqueue(run);
      await steps(n * 3);
      await engine.cancel(run);
      await started;
      await becomes(run, 'cancelled');
    }
  });
  it('cancels a run that was taken up while its earlier life was still being told of', async () => {
    const run = await storedRun(db, 'files', 'store/again');
    breaks = true;
    await engine.enqueue(run);
    await becomes(run, 'broken');
    breaks = false;
    await engine.takeUp(run);
    // By now the earlier life is over for good.
    await new Promise((r) => setTimeout(r, 100));
    await engine.cancel(run);
    await becomes(run, 'cancelled');
  });
  it('takes a run up again whose end met with the renewing of its claim', async () => {
    const run = await storedRun(db, 'files', 'store/renewed');
    breaks = true;
    const begun = (engine as unknown as { current: ReadonlyMap<number, { claim: Claim }> }).current;
    await engine.enqueue(run);
    for (let n = 0; !begun.has(run) && n < 400; n++) await new Promise((r) => setTimeout(r, 1));
    const [claim] = [...begun.values()].map((c) => c.claim).filter((c) => c.run === run);
    await becomes(run, 'broken');
    breaks = false;
    // It was asked for before the run had ended, and comes late.
    expect(await runs.renew([claim!])).toEqual([claim]);
    await engine.takeUp(run);
    for (let n = 0; !begun.has(run) && n < 400; n++) await new Promise((r) => setTimeout(r, 5));
    expect(begun.has(run)).toBe(true);
    await engine.cancel(run);
    await becomes(run, 'cancelled');
  });
  it('gives up a run that breaks while it is being cancelled', async () => {
    const run = await storedRun(db, 'files', 'store/breaks');
    breaks = true;
    await engine.enqueue(run);
    await becomes(run, 'broken');
    await engine.cancel(run);
    await becomes(run, 'cancelled');
    breaks = false;
  });
});
