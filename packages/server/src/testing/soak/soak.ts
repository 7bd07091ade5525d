import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { pause, Random } from '../random.ts';
import { disturb, type Done } from './disturb.ts';
import { caseWords, Load, someCase } from './load.ts';
import { canMount, homeWords, World, type Home } from './world.ts';

export interface SoakWish {
  readonly kills: number;
  readonly seed: number;
  readonly say: (line: string) => void;
  /** Nothing more is begun; what is under way is seen to its end, and put away. */
  readonly signal?: AbortSignal;
  /** Which of the four kinds of installation comes first, and how many loads each sees. */
  readonly first?: number;
  readonly loadsEach?: number;
}
/** What a soak came to. */
export interface Tally extends Done {
  readonly seed: number;
  loads: number;
  records: number;
  /** How often the figures of all runs were asked for, and added up. */
  samples: number;
  lost: number;
  doubled: number;
  /** Loads whose figures were not true, or that did not come to an end. */
  lies: number;
  /** What was wrong, in words. */
  readonly wrong: string[];
}

/** So long a load may go on after the last disturbance. */
const PATIENCE = 240_000;

/**
 * Loads of every kind on installations of every kind, disturbed at instants that nobody chose, until so many processes were
 * killed or frozen. After each, the target is compared with the source record for record; the figures are looked at all the
 * while. The same seed gives the same loads and disturbances; their instants are the machine's.
 */
export async function soak({
  kills,
  seed,
  say,
  signal = new AbortController().signal,
  first = 0,
  loadsEach = 5,
}: SoakWish): Promise<Tally> {
  const random = new Random(seed);
  const tally: Tally = {
    seed,
    kills: 0,
    by: {},
    loads: 0,
    records: 0,
    samples: 0,
    lost: 0,
    doubled: 0,
    lies: 0,
    wrong: [],
  };
  const isMounting = canMount();
  if (!isMounting) say('No disk of its own can be mounted here: that one fills up is left out.');
  const pg = postgresPrograms() === null ? null : await PostgresServer.start();
  if (pg === null) throw new Error('The soak needs Debian’s PostgreSQL server: apt-get install postgresql.');
  try {
    for (let worlds = first; tally.kills < kills && !signal.aborted; worlds++) {
      const home: Home = {
        store: worlds % 2 === 0 ? 'PGlite' : 'PostgreSQL',
        processes: worlds % 4 === 1 ? 3 : 1,
        smallDisk: isMounting && worlds % 4 === 2,
      };
      const world = await World.start(home, random, pg);
      say(homeWords(home));
      try {
        for (let n = 0; n < loadsEach && tally.kills < kills && !signal.aborted; n++)
          await oneLoad(world, tally, kills, say);
      } finally {
        await world.close();
      }
    }
  } finally {
    await pg.stop();
  }
  return tally;
}

async function oneLoad(world: World, tally: Tally, kills: number, say: (line: string) => void): Promise<void> {
  const chosen = someCase(world.random);
  const before = tally.kills;
  const load = await Load.make(world, chosen);
  const wrong: string[] = [];
  const look = sampling(load, tally, wrong);
  try {
    for (const part of ['load', 'replay'] as const) {
      const begun = part === 'load' ? load.begin() : load.mend();
      // What a trigger waits for is brought while all else goes on; a start by hand is taken first.
      const bringing = chosen.source === 'a file' || chosen.source === 'a table' || part === 'replay' ? null : begun;
      if (bringing === null) await begun;
      // Whether it went well is asked below.
      else begun.catch(() => undefined);
      const most = part === 'load' ? world.random.whole(3, 9) : 2;
      for (let n = 0; n < most && tally.kills < kills && !(await load.isOver()); n++) {
        await pause(world.random.whole(20, 500));
        await disturb(world, tally);
      }
      await world.restore();
      await bringing;
      await end(load);
      const found = await load.wrong();
      tally.lost += found.lost;
      tally.doubled += found.doubled;
      wrong.push(...found.lies.map((words) => `${part}: ${words}`));
    }
  } catch (error) {
    wrong.push((error as Error).message);
    await world.restore();
  } finally {
    await look.end();
  }
  await load.rest();
  tally.loads++;
  tally.records += load.records;
  if (wrong.length > 0) {
    tally.lies++;
    tally.wrong.push(`${homeWords(world.home)}; ${caseWords(chosen)}: ${wrong.join('; ')}`);
  }
  const verdict = wrong.length === 0 ? 'right' : wrong.join('; ');
  say(`  ${caseWords(chosen)}: ${load.records} records, ${tally.kills - before} kills (${tally.kills}): ${verdict}`);
}
async function end(load: Load): Promise<void> {
  const until = performance.now() + PATIENCE;
  while (!(await load.isOver())) {
    if (performance.now() > until) throw new Error(`it does not end: ${await load.standing()}`);
    await pause(100);
  }
}

/** Looks at the figures of its runs all the while: whatever was read is one of filtered, skipped, … or delivered. */
function sampling(load: Load, tally: Tally, wrong: string[]): { end(): Promise<void> } {
  let goesOn = true;
  const looking = (async () => {
    while (goesOn) {
      for (const { id, counts: c } of (await load.runs()) ?? []) {
        tally.samples++;
        const sum = c.filtered + c.skipped + c.unchanged + c.failed + c.waiting + c.delivered;
        if (c.read !== sum && wrong.length < 5)
          wrong.push(`run ${id} has read ${c.read}, of which ${sum} are accounted for`);
      }
      await pause(120);
    }
  })();
  return {
    end: () => {
      goesOn = false;
      return looking;
    },
  };
}
