import fc from 'fast-check';
import { parsePlan, type Step } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Engine } from '../engine/engine.ts';
import type { Runs } from '../runs/runs.ts';
import type { Systems } from '../systems/systems.ts';
import { directDatabase } from '../testing/direct-database.ts';
import { Conductor } from './conductor.ts';
import type { Plans } from './plan-store.ts';
import type { ShareOut } from './share-out.ts';

/** The conductor over a real store, with an engine that ends runs as a test says. */
class Stage {
  readonly begun: { id: number; step: string }[] = [];
  readonly conductor: Conductor;
  constructor(private readonly db: Database) {
    const runs = {
      announce: () => Promise.resolve(),
      announceNow: () => Promise.resolve(),
      log: () => Promise.resolve(),
      ended: (run: number) => {
        this.conductor.moved(run);
        return Promise.resolve();
      },
    } as unknown as Runs;
    const engine = {
      enqueue: async (id: number) => {
        const [row] = await db.query<{ step: string }>('SELECT step FROM run WHERE id = $1', [id]);
        this.begun.push({ id, step: row!.step });
      },
    } as unknown as Engine;
    this.conductor = new Conductor(db, runs, engine, {} as Plans, {} as Systems, {} as ShareOut, () => undefined);
  }
  async start(plan: string, steps: readonly Step[]): Promise<number> {
    const [run] = await this.db.query<{ id: number }>(
      "INSERT INTO run (kind, plan, started_by, carries) VALUES ('plan', $1, 'Ines', $2) RETURNING id",
      [plan, JSON.stringify({ steps })],
    );
    this.conductor.look(run!.id);
    await this.conductor.settled();
    return run!.id;
  }
  async end(id: number, well: boolean): Promise<void> {
    await this.db.query('UPDATE run SET state = $2, finished_at = now() WHERE id = $1', [
      id,
      well ? 'finished' : 'broken',
    ]);
    this.conductor.moved(id);
    await this.conductor.settled();
  }
  async state(id: number): Promise<string> {
    return (await this.db.query<{ state: string }>('SELECT state FROM run WHERE id = $1', [id]))[0]!.state;
  }
}

interface Drawn {
  readonly after: readonly number[];
  readonly any: readonly number[];
  readonly goOn: boolean;
  readonly when: boolean;
  readonly well: boolean;
}
const drawn = fc.array(
  fc.record({
    after: fc.subarray([0, 1, 2, 3, 4, 5, 6]),
    any: fc.oneof({ weight: 3, arbitrary: fc.constant([]) }, { weight: 1, arbitrary: fc.subarray([0, 1, 2, 3]) }),
    goOn: fc.boolean(),
    when: fc.oneof({ weight: 4, arbitrary: fc.constant(true) }, { weight: 1, arbitrary: fc.constant(false) }),
    well: fc.oneof({ weight: 3, arbitrary: fc.constant(true) }, { weight: 1, arbitrary: fc.constant(false) }),
  }),
  { minLength: 1, maxLength: 8 },
);
/** Each step waits for earlier ones only. */
const stepsOf = (all: readonly Drawn[]): Step[] =>
  parsePlan({
    versicle: 1,
    kind: 'plan',
    name: 'P',
    steps: all.map(({ after, any, goOn, when }, i) => ({
      id: `s${i}`,
      kind: 'sql',
      system: 'store',
      sql: 'SELECT 1',
      after: after.filter((a) => a < i).map((a) => `s${a}`),
      afterAny: any.filter((a) => a < i).map((a) => `s${a}`),
      onFail: goOn ? 'go on' : 'stop',
      ...(when ? {} : { when: '1 = 2' }),
    })),
  }).steps as Step[];

/** What plans mean, in a few lines: what has begun by now, given how what has ended did. */
function meant(all: readonly Drawn[], ended: ReadonlyMap<number, boolean>, before: ReadonlySet<number>): Set<number> {
  const begun = new Set(before);
  const counts = (i: number): boolean => ended.get(i) === true || (ended.get(i) === false && all[i]!.goOn);
  if ([...ended].some(([i, well]) => !well && !all[i]!.goOn)) return begun;
  all.forEach(({ after, any, when }, i) => {
    const some = any.filter((a) => a < i);
    if (when && after.filter((a) => a < i).every(counts) && (some.length === 0 || some.some(counts))) begun.add(i);
  });
  return begun;
}

describe('random plans with random outcomes', () => {
  it('are carried out in the order that plans mean, and end as they mean', async () => {
    const db = await directDatabase();
    let made = 0;
    await fc.assert(
      fc.asyncProperty(drawn, fc.infiniteStream(fc.nat(7)), async (all, picks) => {
        const stage = new Stage(db);
        // A plan of its own: of one plan, a run waits for the one before.
        const plan = `p${++made}`;
        await db.query("INSERT INTO plan (id, name, document) VALUES ($1, 'P', '{}')", [plan]);
        const run = await stage.start(plan, stepsOf(all));
        const ended = new Map<number, boolean>();
        let expected = meant(all, ended, new Set());
        const place = (step: string): number => Number(step.slice(1));
        for (;;) {
          expect(new Set(stage.begun.map((b) => place(b.step)))).toEqual(expected);
          expect(stage.begun).toHaveLength(expected.size);
          const open = stage.begun.filter((b) => !ended.has(place(b.step)));
          if (open.length === 0) break;
          const next = open[(picks.next().value as number) % open.length]!;
          ended.set(place(next.step), all[place(next.step)]!.well);
          await stage.end(next.id, all[place(next.step)]!.well);
          expected = meant(all, ended, expected);
        }
        const stopped = [...ended].some(([i, well]) => !well && !all[i]!.goOn);
        expect(await stage.state(run)).toBe(stopped ? 'broken' : 'finished');
        // To look again changes nothing.
        stage.conductor.look(run);
        await stage.conductor.settled();
        expect(stage.begun).toHaveLength(expected.size);
      }),
      { numRuns: 60 },
    );
    await db.close();
  });

  it('a step that is taken up again lets the whole go on', async () => {
    const db = await directDatabase();
    await db.query("INSERT INTO plan (id, name, document) VALUES ('p', 'P', '{}')");
    const stage = new Stage(db);
    const none = { any: [], goOn: false, when: true, well: true };
    const run = await stage.start(
      'p',
      stepsOf([
        { ...none, after: [] },
        { ...none, after: [0] },
      ]),
    );
    const [first] = stage.begun;
    await stage.end(first!.id, false);
    expect(await stage.state(run)).toBe('broken');
    await db.query("UPDATE run SET state = 'running' WHERE id = $1", [first!.id]);
    stage.conductor.moved(first!.id);
    await stage.conductor.settled();
    expect(await stage.state(run)).toBe('running');
    await stage.end(first!.id, true);
    expect(stage.begun.map((b) => b.step)).toEqual(['s0', 's1']);
    await stage.end(stage.begun[1]!.id, true);
    expect(await stage.state(run)).toBe('finished');
    await db.close();
  });

  it('nothing begins where another process cancels or pauses the whole between a look and the beginning', async () => {
    const db = await directDatabase();
    await db.query("INSERT INTO plan (id, name, document) VALUES ('p', 'P', '{}')");
    for (const state of ['cancelled', 'paused']) {
      let other = (): Promise<unknown> => Promise.resolve();
      const query = (sql: string, params?: readonly unknown[]): Promise<unknown> =>
        sql.includes('INSERT INTO run ') ? other().then(() => db.query(sql, params)) : db.query(sql, params);
      const stage = new Stage({ ...db, query } as unknown as Database);
      const none = { any: [], goOn: false, when: true, well: true };
      other = () => {
        other = () => Promise.resolve();
        return db.query("UPDATE run SET state = $1 WHERE kind = 'plan' AND state = 'running'", [state]);
      };
      const [run] = await db.query<{ id: number }>(
        "INSERT INTO run (kind, plan, started_by, carries) VALUES ('plan', 'p', 'Ines', $1) RETURNING id",
        [JSON.stringify({ steps: stepsOf([{ ...none, after: [] }]) })],
      );
      stage.conductor.look(run!.id);
      await stage.conductor.settled();
      expect(stage.begun).toEqual([]);
      expect(await stage.state(run!.id)).toBe(state);
      await db.query("UPDATE run SET state = 'cancelled'");
    }
    await db.close();
  });
});
