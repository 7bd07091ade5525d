import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

const TICKS = Number(execFileSync('getconf', ['CLK_TCK'], { encoding: 'utf8' }));

/** Seconds of a core that a process has taken since it began. */
export function cpuSeconds(pid: number): number {
  const [, rest] = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ');
  const parts = rest!.split(' ');
  return (Number(parts[11]) + Number(parts[12])) / TICKS;
}
/** Megabytes that a process has in memory. */
export const residentMegabytes = (pid: number): number =>
  Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024;

/** What a process takes of a core within so many seconds, in percent. */
export async function idleShare(pid: number, seconds: number): Promise<number> {
  const before = cpuSeconds(pid);
  await new Promise((resolve) => setTimeout(resolve, seconds * 1000));
  return (100 * (cpuSeconds(pid) - before)) / seconds;
}
