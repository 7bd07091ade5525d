import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { folder } from './data.ts';

const root = process.env['VERSICLE_ROOT']!;

export interface BenchServer {
  /** Asks the server and expects an answer, not a problem. */
  readonly call: <T = Record<string, never>>(method: string, path: string, body?: unknown) => Promise<T>;
  readonly stop: () => Promise<void>;
  readonly pid: number;
  readonly address: string;
}
/** The built server, as people start it, on a data directory of its own. */
export async function benchServer(data: string, env: Readonly<Record<string, string>> = {}): Promise<BenchServer> {
  const flags = (process.env['BENCH_NODE_FLAGS'] ?? '').split(' ').filter(Boolean);
  const child = spawn(
    process.execPath,
    [...flags, '--single-threaded-gc', join(root, 'packages/server/dist/main.js')],
    {
      env: {
        ...process.env,
        DATABASE_URL: '',
        ...env,
        VERSICLE_DATA: data,
        VERSICLE_PORT: '0',
        VERSICLE_TEMPLATE: join(root, '.cache/template'),
        VERSICLE_ROOTS: folder,
      },
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  );
  // A benchmark that breaks off leaves nothing running.
  process.once('exit', () => child.kill('SIGKILL'));
  const address = await new Promise<string>((resolve) =>
    child.stdout.on('data', (piece: Buffer) => {
      const found = /Versicle is at (\S+)/.exec(piece.toString())?.[1];
      if (found) resolve(found);
    }),
  );
  return {
    pid: child.pid!,
    address,
    call: async <T>(method: string, path: string, body?: unknown): Promise<T> => {
      const response = await fetch(`${address}/api${path}`, {
        method,
        ...(body ? { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) } : {}),
      });
      const answer = (await response.json()) as T;
      if (!response.ok) throw new Error(JSON.stringify(answer));
      return answer;
    },
    stop: async () => {
      child.kill('SIGTERM');
      await new Promise((r) => child.once('exit', r));
    },
  };
}
