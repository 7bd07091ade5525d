import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';

const root = join(__dirname, '../../../..');

export interface StandinPorts {
  readonly control: number;
  readonly membership: number;
  readonly docks: number;
  readonly workshop: number;
  readonly translator: number;
  readonly inbox: number;
  readonly smtp: number;
  readonly ledger: number;
  readonly warehouse: number;
}

/** The simulated systems in a process of their own. */
export class Standins {
  private constructor(
    private readonly child: ChildProcess,
    readonly ports: StandinPorts,
  ) {}

  static start(members = 1000): Promise<Standins> {
    const program = join(root, 'packages/standins/dist/standins.mjs');
    const child = spawn(process.execPath, [program, 'serve', '0', String(members)], {
      stdio: ['pipe', 'pipe', 'inherit'],
      env: { ...process.env, STANDINS_TEMPLATE: join(root, '.cache/template') },
    });
    return new Promise((resolve, reject) => {
      child.stdout!.once('data', (line: Buffer) =>
        resolve(new Standins(child, JSON.parse(line.toString()) as StandinPorts)),
      );
      child.once('exit', (code) => reject(new Error(`exit code ${code}`)));
    });
  }
  url(name: keyof StandinPorts, path = ''): string {
    return `http://127.0.0.1:${this.ports[name]}${path}`;
  }
  async faults(name: keyof StandinPorts, faults: Record<string, unknown>): Promise<void> {
    const response = await fetch(this.url('control', `/services/${name}`), {
      method: 'PUT',
      body: JSON.stringify(faults),
    });
    if (!response.ok) throw new Error(await response.text());
  }
  async requests(name: keyof StandinPorts): Promise<number> {
    const state = (await (await fetch(this.url('control', `/services/${name}`))).json()) as { requests: number };
    return state.requests;
  }
  async close(): Promise<void> {
    this.child.removeAllListeners('exit');
    const ended = new Promise((resolve) => this.child.once('exit', resolve));
    this.child.stdin!.end();
    await ended;
  }
}
