import { pause } from '../random.ts';
import type { World } from './world.ts';

/** What was done so far, by its name; `kills` are those that end or freeze a process. */
export interface Done {
  kills: number;
  readonly by: Record<string, number>;
}
type Disturbance = (world: World) => Promise<void>;

/** kill -9, and begun again, often with other chunks. */
const kill: Disturbance = async (world) => {
  const victim = world.alive()!;
  const { random } = world;
  world.down.add(victim);
  await victim.stop('SIGKILL');
  await pause(random.whole(0, 300));
  await victim.restart(
    'SIGKILL',
    random.chance(40) ? { VERSICLE_CHUNK_ROWS: String(random.of([7, 20, 50, 100, 333])) } : {},
  );
  world.down.delete(victim);
};
/** SIGSTOP, for a moment or until its lease is long over. */
const freeze: Disturbance = async (world) => {
  const victim = world.alive()!;
  world.down.add(victim);
  victim.child.kill('SIGSTOP');
  await pause(world.random.chance(50) ? world.random.whole(50, 800) : world.pastLease);
  // Half of them never come back.
  if (world.random.chance(50)) await victim.restart('SIGKILL');
  else victim.child.kill('SIGCONT');
  world.down.delete(victim);
};
const cut =
  (which: 'toTarget' | 'toStore'): Disturbance =>
  async ({ [which]: way, random }) => {
    if (random.chance(30)) return way.cutHere();
    if (random.chance(50)) return way.cut();
    way.close();
    await pause(random.whole(50, 900));
    way.open();
  };
const slow: Disturbance = async ({ toTarget: one, toStore: other, random }) => {
  const way = random.chance(50) ? one : other;
  way.delay = random.whole(5, 60);
  await pause(random.whole(200, 900));
  way.delay = 0;
};
const clock: Disturbance = (world) =>
  Promise.resolve(world.jumpClock(Math.round((world.random.next() - 0.5) * 7_200_000)));
/** The disk takes nothing more for a while; whoever can't live without one is started again. */
const disk: Disturbance = async (world) => {
  const victim = world.alive()!;
  world.down.add(victim);
  const makeRoom = world.fillDisk(victim);
  await pause(world.random.whole(100, 1500));
  makeRoom();
  await victim.restart('SIGKILL');
  world.down.delete(victim);
};

const KILLS: readonly string[] = ['kill -9', 'frozen', 'disk full'];

/** Does one of them, at random, and counts it. */
export async function disturb(world: World, done: Done): Promise<void> {
  const { home, random } = world;
  const possible: [string, Disturbance, number][] = [
    ['kill -9', kill, 10],
    ['frozen', freeze, 4],
    ['way to the target cut', cut('toTarget'), 2],
    ['slow', slow, 1],
    ['clock jumps', clock, 1],
    ...(home.store === 'PostgreSQL'
      ? [['way to the store cut', cut('toStore'), 3] as [string, Disturbance, number]]
      : []),
    ...(home.smallDisk ? [['disk full', disk, 5] as [string, Disturbance, number]] : []),
  ];
  const all = possible.flatMap((entry) => Array.from({ length: entry[2] }, () => entry));
  const [name, act] = random.of(all);
  await act(world);
  done.by[name] = (done.by[name] ?? 0) + 1;
  if (KILLS.includes(name)) done.kills++;
}
