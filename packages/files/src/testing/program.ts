import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

/** What a program beside this file says, run by itself, since libxml2, the second opinion on XML, is an ES module. */
export function saidBy<T>(name: string, ...args: readonly number[]): T {
  const { stdout, stderr, status } = spawnSync(
    process.execPath,
    ['--import', 'tsx', join(__dirname, name), ...args.map(String)],
    { cwd: join(__dirname, '../../../..'), encoding: 'utf8', maxBuffer: 1e8 },
  );
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as T;
}
