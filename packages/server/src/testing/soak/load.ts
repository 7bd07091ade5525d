import { createHmac } from 'node:crypto';
import { renameSync } from 'node:fs';
import { join } from 'node:path';
import type { CauseGroup, RunSummary } from '@versicle/contract';
import { pause, type Random } from '../random.ts';
import type { World } from './world.ts';

const SOURCES = ['a file', 'files that arrive', 'a table', 'a webhook'] as const;
const TARGETS = ['embedded', 'PostgreSQL', 'HTTP'] as const;
const MODES = ['insert', 'insert without a key', 'upsert', 'skip existing', 'replace'] as const;
export interface Case {
  readonly source: (typeof SOURCES)[number];
  readonly target: (typeof TARGETS)[number];
  readonly mode: (typeof MODES)[number];
}
export const caseWords = ({ source, target, mode }: Case): string => `${source} → ${target}, ${mode}`;

/** By triggers or by hand, over each target and each mode that it takes. */
export function someCase(random: Random): Case {
  for (;;) {
    const one: Case = { source: random.of(SOURCES), target: random.of(TARGETS), mode: random.of(MODES) };
    const isTriggered = one.source === 'files that arrive' || one.source === 'a webhook';
    // Each start of these brings other records than the one before.
    if (isTriggered && one.mode === 'replace') continue;
    // An API gets each record once.
    if (one.target === 'HTTP' && !one.mode.startsWith('insert')) continue;
    return one;
  }
}

interface Item {
  readonly no: string;
  readonly name: string;
  readonly price: string;
}
/** Some fail in the mapping, some the target refuses; the first third, which may be there already, goes through. */
const itemsOf = (count: number): Item[] =>
  Array.from({ length: count }, (_, i) => ({
    no: String(i),
    name: `n${i % 50}`,
    price: i < count / 3 ? '1' : i % 61 === 7 ? 'x' : i % 83 === 11 ? '13' : String(1 + (i % 12)),
  }));
const row = (i: Item): string => `${i.no}|${i.name}|${i.price}`;
const csv = (items: readonly Item[]): string =>
  ['no,name,price', ...items.map((i) => `${i.no},${i.name},${i.price}`)].join('\n');

const SECRET = 'a secret of the soak, long enough';
let made = 0;

/** One mapping with its plan: what it loads, how it is begun, and what has to be there at the end. */
export class Load {
  readonly name: string;
  private readonly items: readonly Item[];
  /** How many of them were brought to where a trigger looks. */
  private brought = 0;
  private mapping = '';
  private plan = '';
  private mended = false;

  private constructor(
    private readonly world: World,
    readonly chosen: Case,
  ) {
    const { random } = world;
    this.name = `soak_${process.pid}_${++made}`;
    const most = chosen.source === 'a webhook' ? 200 : chosen.target === 'HTTP' ? 500 : 3000;
    this.items = itemsOf(random.whole(most / 4, most));
  }
  static async make(world: World, chosen: Case): Promise<Load> {
    const load = new Load(world, chosen);
    await load.set();
    return load;
  }
  get records(): number {
    return this.items.length;
  }
  private get isTriggered(): boolean {
    return this.chosen.source === 'files that arrive' || this.chosen.source === 'a webhook';
  }
  /** Whether some of the rows were there before. */
  private get hasOlder(): boolean {
    return !this.isTriggered && ['upsert', 'skip existing', 'replace'].includes(this.chosen.mode);
  }

  private document(): Record<string, unknown> {
    const { source, target, mode } = this.chosen;
    const dataset = {
      'a file': `files/${this.name}.csv`,
      'files that arrive': `files/${this.name}-*.csv`,
      'a table': `pg/${this.name}_source`,
      'a webhook': `${this.hook}/deliveries`,
    }[source];
    const into = { embedded: `store/${this.name}`, PostgreSQL: `pg/${this.name}`, HTTP: 'api/items' }[target];
    const price = this.mended
      ? { kind: 'rule', rule: "CASE WHEN i.price = 'x' THEN 5 ELSE CAST(i.price AS integer) END" }
      : { kind: 'rule', rule: 'CAST(i.price AS integer)' };
    return {
      versicle: 1,
      name: this.name,
      source: { primary: { alias: 'i', dataset } },
      target: {
        dataset: into,
        key: mode === 'insert without a key' ? [] : ['no'],
        fields: [
          { name: 'no', type: 'text', nullable: false },
          { name: 'name', type: 'text' },
          { name: 'price', type: 'integer' },
        ],
      },
      lines: [
        { id: 'l0', target: 'no', kind: 'straight', source: 'i.no' },
        { id: 'l1', target: 'name', kind: 'straight', source: 'i.name' },
        { id: 'l2', target: 'price', ...price },
      ],
      // An embedded table is made without a constraint; what it would refuse, the document does.
      ...(target === 'embedded' ? { checks: [{ id: 'c1', rule: 'price <> 13', message: 'thirteen' }] } : {}),
      write: { mode: mode.startsWith('insert') ? 'insert' : mode },
    };
  }
  private get hook(): string {
    return this.name.replaceAll('_', '-');
  }

  private async set(): Promise<void> {
    const { world, chosen } = this;
    const { first, pg } = world;
    const key = chosen.mode === 'insert without a key' ? '' : ', PRIMARY KEY (no)';
    if (chosen.target === 'PostgreSQL')
      await pg.query(
        `CREATE TABLE ${this.name} (no text NOT NULL, name text, price integer CHECK (price <> 13)${key})`,
      );
    if (chosen.source === 'a table') {
      await pg.query(`CREATE TABLE ${this.name}_source (no text PRIMARY KEY, name text, price text)`);
      await this.intoTable(this.items);
    }
    if (chosen.source === 'a file') first.file(`${this.name}.csv`, csv(this.items));
    if (chosen.source === 'a webhook') await world.system(this.hook, { kind: 'webhook', secret: SECRET, toleranceSeconds: 86_400 }); // prettier-ignore
    if (this.isTriggered) await this.bring(10);
    const { id } = await first.api('createMapping', 'POST', '/mappings', { document: this.document() });
    this.mapping = id;
    await first.api('publish', 'POST', `/mappings/${id}/publish`, {});
    const trigger = {
      'files that arrive': { kind: 'file', dataset: `files/${this.name}-*.csv`, settled: '1 s', then: 'keep' },
      'a webhook': { kind: 'arrival', dataset: `${this.hook}/deliveries` },
    }[chosen.source as string];
    const document = {
      versicle: 1,
      kind: 'plan',
      name: this.name,
      ...(trigger ? { triggers: [{ id: 't', ...trigger }] } : {}),
      steps: [{ id: 'load', kind: 'mapping', mapping: id }],
    };
    this.plan = (await first.api('createPlan', 'POST', '/plans', { document: document as never })).id;
    if (this.hasOlder) await this.loadOlder();
  }
  private async intoTable(items: readonly Item[]): Promise<void> {
    await this.world.pg.query(
      `TRUNCATE ${this.name}_source; INSERT INTO ${this.name}_source SELECT r->>'no', r->>'name', r->>'price' FROM json_array_elements('${JSON.stringify(items)}') r`,
    );
  }
  /** The first third under older names, and what is not in the source any more. */
  private async loadOlder(): Promise<void> {
    const older = this.items.slice(0, this.third).map((i) => ({ ...i, name: 'older' }));
    const gone = Array.from({ length: 20 }, (_, i) => ({ no: `g${i}`, name: 'gone', price: '1' }));
    const put = async (items: readonly Item[]): Promise<void> => {
      if (this.chosen.source === 'a table') await this.intoTable(items);
      else this.world.first.file(`${this.name}.csv`, csv(items));
    };
    await put([...older, ...gone]);
    const { state, error } = await this.world.first.run(this.plan);
    if (state !== 'finished') throw new Error(`the first load: ${error}`);
    await put(this.items);
  }
  private get third(): number {
    return Math.ceil(this.items.length / 3);
  }

  /** Begins it: by hand, or by the rest of what its trigger waits for, brought while all else goes on. */
  begin(): Promise<void> {
    return this.isTriggered ? this.bringAll() : this.untilTaken('POST', `/api/plans/${this.plan}/start`, {});
  }
  private async bringAll(): Promise<void> {
    while (this.brought < this.items.length) {
      await this.bring(Math.min(this.items.length, this.brought + this.world.random.whole(5, 60)));
      await pause(this.world.random.whole(20, 300));
    }
  }
  private async bring(to: number): Promise<void> {
    const some = this.items.slice(this.brought, to);
    if (this.chosen.source === 'a webhook') for (const item of some) await this.deliver(item);
    else await this.arrive(`${this.name}-${this.brought}.csv`, csv(some));
    this.brought = to;
  }
  /** A file gets its name when it is whole, as a good export does it; whoever finds the disk full tries again. */
  private async arrive(name: string, content: string): Promise<void> {
    const { first } = this.world;
    for (;;)
      try {
        first.file(`${name}.new`, content);
        return renameSync(join(first.folder, `${name}.new`), join(first.folder, name));
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'ENOSPC') throw error;
        await pause(100);
      }
  }
  /** Whoever sends a webhook sends it again until it is taken. */
  private async deliver(item: Item): Promise<void> {
    const text = JSON.stringify(item);
    const time = String(Math.floor(Date.now() / 1000));
    const signature = createHmac('sha256', SECRET).update(`${time}.d${item.no}.${text}`).digest('hex');
    const headers = { 'X-Timestamp': time, 'X-Delivery-Id': `d${item.no}`, 'X-Signature': signature };
    for (;;) {
      const status = await this.world.alive()?.ask('POST', `/hooks/${this.hook}`, text, headers).then((r) => r.status, () => 0); // prettier-ignore
      if (status === 202 || status === 200) return;
      await pause(50);
    }
  }
  /** Asked again only where nothing was answered because nobody was there: a start is not asked for twice. */
  private async untilTaken(method: string, path: string, body: object): Promise<void> {
    const { status, body: answer } = await this.world.first.ask(method, path, body);
    if (status !== 200) throw new Error(`${method} ${path}: ${status} ${JSON.stringify(answer)}`);
  }

  /** Of all its runs; null: nobody could be asked. */
  async runs(): Promise<RunSummary[] | null> {
    const path = `/api/runs?mapping=${this.mapping}&limit=500`;
    const reply = await this.world
      .alive()
      ?.ask('GET', path)
      .catch(() => null);
    return reply?.status === 200 ? (reply.body as RunSummary[]) : null;
  }
  /** Where its runs stand, what they last said, and what the sessions of PostgreSQL are at: for whoever asks why it does not end. */
  async standing(): Promise<string> {
    const { first, pg } = this.world;
    const runs = (await this.runs()) ?? [];
    const under = runs.filter((r) => !['finished', 'cancelled'].includes(r.state));
    const details = await Promise.all(under.slice(0, 3).map((r) => first.api('getRun', 'GET', `/runs/${r.id}`)));
    const logs = details.map(({ log }) => log.slice(-20).map((l) => `${l.at} ${l.message}`));
    const sessions = await pg.query(
      `SELECT pid, application_name, state, wait_event, pg_blocking_pids(pid) AS behind, now() - xact_start AS since, left(query, 120) AS query
         FROM pg_stat_activity WHERE backend_type = 'client backend' AND state <> 'idle' AND pid <> pg_backend_pid()`,
    );
    return JSON.stringify({ runs: under, logs, sessions }).slice(0, 6000);
  }
  /** Whether all that was brought has become of something, and nothing goes on; what broke off is taken up. */
  async isOver(): Promise<boolean> {
    const runs = await this.runs();
    if (runs === null || runs.length === 0) return false;
    for (const run of runs.filter((r) => r.state === 'broken'))
      await this.world
        .alive()
        ?.ask('POST', `/api/runs/${run.id}/take-up`)
        .catch(() => null);
    if (runs.some((r) => !['finished', 'cancelled'].includes(r.state))) return false;
    if (!this.isTriggered || this.mended) return true;
    const { length } = this.items;
    return this.brought === length && runs.reduce((n, r) => n + r.counts.delivered + r.counts.failed, 0) >= length;
  }

  /** The mapping is mended, and what failed is sent again. */
  async mend(): Promise<void> {
    const { first } = this.world;
    this.mended = true;
    const { version } = await first.api('getMapping', 'GET', `/mappings/${this.mapping}`);
    await first.api('saveDraft', 'PUT', `/mappings/${this.mapping}/draft`, { document: this.document(), version } as never); // prettier-ignore
    await first.api('publish', 'POST', `/mappings/${this.mapping}/publish`, {});
    for (const { cause, line } of await this.causes('open'))
      await first.api('replay', 'POST', '/failures/replay', { mapping: this.mapping, cause, line });
  }
  private async causes(state: string): Promise<CauseGroup[]> {
    return this.world.first.api('listCauses', 'GET', `/failures/causes?mapping=${this.mapping}&state=${state}`);
  }
  /** No start of its own any more. */
  async rest(): Promise<void> {
    await this.world.first.api('holdPlan', 'PUT', `/plans/${this.plan}/held`, { held: true });
    this.world.api.items.length = 0;
  }

  /** Compares the target record for record, and the figures with it. Gives what is wrong, in words. */
  async wrong(): Promise<{ lost: number; doubled: number; lies: string[] }> {
    const wanted = this.wanted();
    const found = await this.there();
    const counted = new Map<string, number>();
    for (const one of found) counted.set(one, (counted.get(one) ?? 0) + 1);
    const lost = wanted.filter((one) => !counted.has(one));
    const right = new Set(wanted);
    const extra = found.filter((one) => !right.has(one));
    const doubled = found.length - extra.length - (wanted.length - lost.length) + extra.length;
    const lies: string[] = [];
    if (lost.length > 0) lies.push(`lost: ${lost.slice(0, 5).join(' ')}`);
    if (extra.length > 0) lies.push(`not asked for: ${extra.slice(0, 5).join(' ')}`);
    const open = (await this.causes('open')).reduce((n, c) => n + c.count, 0);
    const failing = this.items.filter((i) => i.price === '13' || (i.price === 'x' && !this.mended)).length;
    if (open !== failing) lies.push(`${open} records stand as failed, ${failing} have failed`);
    const runs = (await this.runs()) ?? [];
    const delivered = runs.reduce((n, r) => n + r.counts.delivered, 0);
    // Where nothing is written over, what was delivered is what is there.
    if (this.chosen.mode.startsWith('insert') && delivered !== found.length)
      lies.push(`${delivered} are said to be delivered, ${found.length} are there`);
    return { lost: lost.length, doubled, lies };
  }
  private wanted(): string[] {
    const taken = this.items
      .filter((i) => i.price !== '13' && (i.price !== 'x' || this.mended))
      .map((i) => (i.price === 'x' ? { ...i, price: '5' } : i));
    const isOlder = (i: Item): boolean => this.hasOlder && this.chosen.mode === 'skip existing' && Number(i.no) < this.third; // prettier-ignore
    const gone = this.hasOlder && this.chosen.mode !== 'replace' ? Array.from({ length: 20 }, (_, i) => `g${i}|gone|1`) : []; // prettier-ignore
    return [...taken.map((i) => row(isOlder(i) ? { ...i, name: 'older' } : i)), ...gone];
  }
  private async there(): Promise<string[]> {
    const { pg, api, first } = this.world;
    if (this.chosen.target === 'HTTP') return api.items.map((i) => row(i as unknown as Item));
    if (this.chosen.target === 'PostgreSQL')
      return (await pg.query(`SELECT no, name, price FROM ${this.name}`)).map((r) => row(r as unknown as Item));
    const rows: string[] = [];
    for (let from = 0; from <= this.items.length; from += 1000) {
      const part = `CASE WHEN no LIKE 'g%' THEN 0 ELSE CAST(no AS integer) END`;
      const filter = encodeURIComponent(`${part} >= ${from} AND ${part} < ${from + 1000}`);
      const page = await first.api('getRows', 'GET', `/systems/store/rows?dataset=${this.name}&limit=2000&filter=${filter}`); // prettier-ignore
      rows.push(...page.rows.map((r) => r.values.join('|')));
    }
    return rows;
  }
}
