import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Answer, RouteName, RunDetail } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { newStore, onServer } from './store-home.ts';

export const root = join(__dirname, '../../../..');

/** The built server; a soak that goes on for hours has a copy of its own, which nobody builds anew meanwhile. */
const PROGRAM = process.env['VERSICLE_PROGRAM'] ?? join(root, 'packages/server/dist/main.js');
/** Servers of tests live for seconds: what the database's code would gain by being compiled better comes too late for them. */
export const FLAGS = ['--single-threaded-gc', '--liftoff-only'];

export interface Spawned {
  readonly child: ChildProcess;
  readonly address: string;
}

/** Starts the built server; rejects with what it wrote to standard error when it ends before it listens. */
export function spawnServer(data: string, env: Record<string, string> = {}): Promise<Spawned> {
  const child = spawn(process.execPath, [...FLAGS, PROGRAM], {
    env: {
      ...process.env,
      // Whatever store the person who runs the tests works with, it is none of theirs.
      DATABASE_URL: '',
      VERSICLE_DATA: data,
      VERSICLE_PORT: '0',
      VERSICLE_TEMPLATE: join(root, '.cache/template'),
      VERSICLE_CHECK_ANSWERS: '1',
      VERSICLE_OWNER: 'Ines Marlowe',
      VERSICLE_ROOTS: tmpdir(),
      ...env,
    },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  return new Promise((resolve, reject) => {
    let said = '';
    let complaint = '';
    child.stdout.on('data', (piece: Buffer) => {
      said += piece.toString();
      const address = /Versicle is at (\S+)/.exec(said)?.[1];
      if (address) resolve({ child, address });
    });
    child.stderr.on('data', (piece: Buffer) => (complaint += piece.toString()));
    child.on('exit', (code) => reject(Object.assign(new Error(complaint.trim()), { code })));
  });
}

export function ended(child: ChildProcess): Promise<number | null> {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve(child.exitCode);
  return new Promise((resolve) => child.once('exit', resolve));
}

export interface Reply {
  readonly status: number;
  readonly type: string;
  // The tests look into answers of every shape.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly body: any;
}

/** A server with a data directory and a source folder of its own, and short ways to ask it things. */
export class RunningServer {
  private constructor(
    readonly home: string,
    private spawned: Spawned,
    private readonly env: Record<string, string>,
    private readonly dropStore: () => Promise<void>,
  ) {}

  static async start(
    env: Record<string, string> = {},
    home = mkdtempSync(join(tmpdir(), 'versicle-test-')),
  ): Promise<RunningServer> {
    mkdirSync(join(home, 'files'));
    const store = onServer ? await newStore() : null;
    const all = store === null ? env : { VERSICLE_EMBEDDED: 'server', ...env, DATABASE_URL: store.url };
    const spawned = await spawnServer(join(home, 'data'), all);
    return new RunningServer(home, spawned, all, async () => store?.drop());
  }
  get folder(): string {
    return join(this.home, 'files');
  }
  get address(): string {
    return this.spawned.address;
  }
  get child(): ChildProcess {
    return this.spawned.child;
  }

  file(name: string, content: string | Uint8Array): void {
    writeFileSync(join(this.folder, name), content);
  }

  async ask(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Reply> {
    const response = await fetch(`${this.address}${path}`, {
      method,
      headers: { ...(body === undefined ? {} : { 'Content-Type': 'application/json' }), ...headers },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    return {
      status: response.status,
      type: response.headers.get('content-type') ?? '',
      body: text === '' ? null : JSON.parse(text),
    };
  }
  /** Asks and expects an answer, not a problem. */
  async api<N extends RouteName>(_name: N, method: string, path: string, body?: unknown): Promise<Answer<N>> {
    const reply = await this.ask(method, `/api${path}`, body);
    if (reply.status !== 200) throw new Error(`${method} ${path}: ${reply.status} ${JSON.stringify(reply.body)}`);
    return reply.body as Answer<N>;
  }

  async connect(): Promise<void> {
    await this.api('createSystem', 'POST', '/systems', {
      id: 'files',
      name: 'Files',
      connection: { kind: 'folder', root: this.folder },
    });
    await this.api('createSystem', 'POST', '/systems', {
      id: 'store',
      name: 'Store',
      connection: { kind: 'embedded', name: 'store' },
    });
  }

  /** Makes, publishes and plans a document; gives the ids. */
  async mapping(document: unknown): Promise<{ mapping: string; plan: string }> {
    const { id } = await this.api('createMapping', 'POST', '/mappings', { document });
    await this.api('publish', 'POST', `/mappings/${id}/publish`, {});
    const plan = await this.api('createPlan', 'POST', '/plans', { name: `Plan of ${id}`, mapping: id });
    return { mapping: id, plan: plan.id };
  }
  async run(plan: string, rowLimit?: number): Promise<RunDetail> {
    const { run } = await this.api(
      'startPlan',
      'POST',
      `/plans/${plan}/start`,
      rowLimit === undefined ? {} : { rowLimit },
    );
    return this.ended(run);
  }
  async ended(run: number): Promise<RunDetail> {
    // Whoever asks all the time takes from the run what it needs itself.
    for (let wait = 80; ; wait = Math.min(wait * 1.5, 250)) {
      const detail = await this.api('getRun', 'GET', `/runs/${run}`);
      if (detail.finishedAt !== null) return detail;
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
  /** The rows of a target table, sorted. */
  async rows(table: string): Promise<(string | null)[][]> {
    const { rows } = await this.api('getRows', 'GET', `/systems/store/rows?dataset=${table}&limit=2000`);
    return rows.map((r) => r.values).sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1));
  }

  /** Does something in the store while the server does not run. */
  async inStore(work: (db: Database) => Promise<void>): Promise<void> {
    const url = this.env['DATABASE_URL'];
    // Most tests only ask the server, and do without what a database of their own takes to be loaded.
    const { PgliteHere, ServerDatabase } = await import('@versicle/postgres');
    const db =
      url === undefined
        ? await PgliteHere.open(join(this.home, 'data', 'store'), { trigrams: true })
        : new ServerDatabase((await import('@versicle/store/address')).storeAddress(url), { trigrams: true });
    await work(db);
    await db.close();
  }
  async restart(signal: NodeJS.Signals = 'SIGKILL', env: Record<string, string> = {}): Promise<void> {
    await this.stop(signal);
    this.spawned = await spawnServer(join(this.home, 'data'), { ...this.env, ...env });
  }
  async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
    this.child.removeAllListeners('exit');
    const end = ended(this.child);
    this.child.kill(signal);
    await end;
  }
  async close(): Promise<void> {
    await this.stop();
    rmSync(this.home, { recursive: true, force: true });
    await this.dropStore();
  }
}

/** A small document over files/<file>: number, name, price with a decimal comma. */
export function itemsDocument(file = 'items.csv', patch: Record<string, unknown> = {}): Record<string, unknown> {
  return {
    versicle: 1,
    name: 'Items to store',
    source: { primary: { alias: 'i', dataset: `files/${file}` } },
    target: {
      dataset: 'store/item',
      key: ['no'],
      fields: [
        { name: 'no', label: 'Number', type: 'varchar(8)', nullable: false },
        { name: 'name', label: 'Name', type: 'varchar(12)' },
        { name: 'price', label: 'Price', type: 'numeric(8,2)', required: true },
      ],
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
      { id: 'l2', target: 'name', kind: 'straight', source: 'i.name' },
      { id: 'l3', target: 'price', kind: 'rule', rule: "parse_number(i.price, ',')" },
    ],
    write: { mode: 'upsert', existing: 'overwrite' },
    ...patch,
  };
}
