import { createHash } from 'node:crypto';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { Knowledge } from '@versicle/contract';
import { makeRule, notFound, refused, RuleError } from '@versicle/core';
import type { Events } from '../http/events.ts';
import { type Written, writtenWith } from '../http/written.ts';
import type { Database } from '@versicle/postgres';
import { openSource } from '../sources/open-source.ts';
import { unpacked } from '../store/packed.ts';
import { isoTime } from '../store/values.ts';
import type { Structures } from '../structures/structures.ts';
import type { Systems } from '../systems/systems.ts';
import { EMBEDDED } from '../systems/embedded-home.ts';
import { Peers } from '../workers/peers.ts';
import type { ThisWorker } from '../workers/workers.ts';
import type { ProfileFound, ProfileJob, ProfileMessage } from './profile-worker.ts';
import { knownKeys, provedReferences } from './references.ts';

interface ProfileRow {
  [key: string]: unknown;
  id: number;
  at: string;
  state: Knowledge['state'];
  row_limit: string | null;
  /** Of the newest one: JSON, packed; it may be of many megabytes, and nothing here reads it. */
  result: string | null;
  /** Of its quality. */
  records: string | null;
  clean: string | null;
  problem: string | null;
}
interface Asked {
  readonly id: number;
  readonly system: string;
  readonly dataset: string;
  readonly rowLimit: number | null;
}

/** A dataset that is cut off so often while it is profiled is not tried again. */
const TRIES = 3;
/** Nobody profiles it now. */
const UNCLAIMED = '(claimed_until IS NULL OR claimed_until < clock_timestamp())';

/** Knows how good the data is: profiles datasets one after the other, and keeps what people say about them. */
export class Profiles {
  private again = false;
  private working: Promise<void> | null = null;
  private worker: Worker | null = null;
  private readonly closing = new AbortController();
  private readonly looking: NodeJS.Timeout;

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly structures: Structures,
    private readonly events: Events,
    /** Where records of systems that are not files are kept while they are profiled. */
    private readonly directory: string,
    /** This process, as claims name it, and where its embedded databases lie. */
    private readonly me: Pick<ThisWorker, 'id' | 'home'>,
    private readonly leaseSeconds: number,
    private readonly peers: Peers = Peers.none(),
    /** Whether this process profiles, or leaves that to others. */
    private readonly works = true,
  ) {
    peers.on('profiles', () => this.wake());
    // What another process had, and does not say anything any more, is taken on.
    this.looking = setInterval(() => this.wake(), leaseSeconds * 1000);
    this.looking.unref();
  }

  /** What an earlier process left unfinished goes on. */
  resume(): void {
    this.wake();
  }
  private wake(): void {
    if (!this.works || this.closing.signal.aborted) return;
    this.again = true;
    this.working ??= this.work()
      .catch((error: Error) => void process.stderr.write(`Datasets could not be profiled: ${error.message}\n`))
      .finally(() => {
        this.working = null;
        if (this.again && !this.closing.signal.aborted) setTimeout(() => this.wake(), 1000).unref();
      });
  }

  async ask(system: string, dataset: string, rowLimit: number | null): Promise<void> {
    // Says at once when there is no such thing.
    await this.structures.describe(system, dataset);
    const [running] = await this.db.query(
      "SELECT id FROM profile WHERE system = $1 AND dataset = $2 AND state = 'running'",
      [system, dataset],
    );
    if (running) return;
    await this.db.query("INSERT INTO profile (system, dataset, state, row_limit) VALUES ($1, $2, 'running', $3)", [
      system,
      dataset,
      rowLimit,
    ]);
    this.peers.tell({ kind: 'profiles' });
    this.wake();
  }

  /** The one that waits longest, which nobody profiles now; null where there is none. */
  private async claim(): Promise<Asked | null> {
    await this.db.query(
      `UPDATE profile SET state = 'failed', problem = $1 WHERE state = 'running' AND attempts >= ${TRIES} AND ${UNCLAIMED}`,
      ['Versicle was cut off again and again while the dataset was profiled; profile fewer of its records.'],
    );
    const [row] = await this.db.query<{ id: number; system: string; dataset: string; row_limit: string | null }>(
      `UPDATE profile SET claimed_by = $1, claimed_until = clock_timestamp() + make_interval(secs => $2), attempts = attempts + 1
        WHERE id = (SELECT id FROM profile p WHERE state = 'running' AND ${UNCLAIMED}
                       AND NOT EXISTS (SELECT 1 FROM ${EMBEDDED} WHERE s.id = p.system AND e.place <> $3) ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED)
       RETURNING id, system, dataset, row_limit`,
      [this.me.id, this.leaseSeconds, this.me.home],
    );
    if (!row) return null;
    return {
      id: row.id,
      system: row.system,
      dataset: row.dataset,
      rowLimit: row.row_limit === null ? null : Number(row.row_limit),
    };
  }
  /** Keeps what came of it, where it is still this process's to say. */
  private async keep(id: number, found: ProfileFound | { readonly problem: string }): Promise<void> {
    const values =
      'problem' in found
        ? ['failed', null, null, null, [], found.problem]
        : ['done', found.packed, found.records, found.clean, found.keys, null];
    await this.db.query(
      `UPDATE profile SET state = $3, result = $4, records = $5, clean = $6, keys = $7, problem = $8, at = now(), claimed_until = NULL
        WHERE id = $1 AND claimed_by = $2 AND state = 'running'`,
      [id, this.me.id, ...values.map((v) => (Array.isArray(v) ? JSON.stringify(v) : v))],
    );
  }

  private async work(): Promise<void> {
    this.again = false;
    for (;;) {
      if (this.closing.signal.aborted) return;
      const asked = await this.claim();
      if (asked === null) return;
      const renewing = setInterval(
        () => {
          this.db
            .query(
              "UPDATE profile SET claimed_until = clock_timestamp() + make_interval(secs => $3) WHERE id = $1 AND claimed_by = $2 AND state = 'running'",
              [asked.id, this.me.id, this.leaseSeconds],
            )
            .catch(() => undefined);
        },
        (this.leaseSeconds * 1000) / 3,
      );
      try {
        await this.keep(asked.id, await this.carryOut(asked));
      } catch (error) {
        // Somebody stopped this process, and perhaps just for this: it is not begun anew by itself.
        if (this.closing.signal.aborted)
          return void (await this.keep(asked.id, {
            problem: 'Versicle was stopped while the dataset was profiled; profile it again.',
          }));
        await this.keep(asked.id, { problem: (error as Error).message });
      } finally {
        clearInterval(renewing);
      }
      // The figures of the last twenty of a dataset are its history.
      await this.db.query(
        'DELETE FROM profile WHERE system = $1 AND dataset = $2 AND id <= (SELECT id FROM profile WHERE system = $1 AND dataset = $2 ORDER BY id DESC OFFSET 20 LIMIT 1)',
        [asked.system, asked.dataset],
      );
      await this.db.query(
        "UPDATE profile SET result = NULL WHERE system = $1 AND dataset = $2 AND result IS NOT NULL AND id < (SELECT max(id) FROM profile WHERE system = $1 AND dataset = $2 AND state = 'done')",
        [asked.system, asked.dataset],
      );
      this.events.send({ type: 'profile', system: asked.system, dataset: asked.dataset });
    }
  }

  private async carryOut(asked: Asked): Promise<ProfileFound> {
    const { system } = await this.systems.openById(asked.system);
    const detail = await this.structures.describe(asked.system, asked.dataset);
    const checks = await this.checks(asked.system, asked.dataset);
    const kept = join(this.directory, `profile-${asked.id}-${this.me.id}.jsonl`);
    try {
      const { plan } = await openSource({
        system,
        dataset: asked.dataset,
        name: `${asked.system}/${asked.dataset}`,
        signal: this.closing.signal,
        path: kept,
        rowLimit: asked.rowLimit,
        options: {},
        expected: () => Promise.resolve(detail.fields.map((f) => f.name)),
      });
      const fields = detail.fields.map(({ name, type, nullable, key }) => ({ name, type, nullable, key }));
      const keys = await knownKeys(this.db, asked);
      return await this.inWorker(asked, { plan, fields, checks, keys, rowLimit: asked.rowLimit });
    } finally {
      rmSync(kept, { force: true });
    }
  }
  private async inWorker(asked: Asked, job: ProfileJob): Promise<ProfileFound> {
    const worker = new Worker(new URL('./profile-worker.js', import.meta.url), { workerData: job });
    this.worker = worker;
    try {
      return await new Promise((resolve, reject) => {
        worker.on('message', (message: ProfileMessage) => {
          if ('problem' in message) reject(new Error(message.problem));
          else if ('found' in message) resolve(message.found);
          else
            provedReferences(this.systems, asked, message.likely).then(
              (references) => worker.postMessage(references),
              reject,
            );
        });
        worker.on('error', reject);
        worker.on('exit', () => reject(new Error('Profiling was stopped.')));
      });
    } finally {
      void worker.terminate();
    }
  }

  async knowledge(system: string, dataset: string): Promise<Written<Knowledge>> {
    await this.systems.openById(system);
    const rows = await this.db.query<ProfileRow>(
      `SELECT id, at, state, row_limit, problem, records, clean,
              CASE WHEN id = (SELECT max(id) FROM profile WHERE system = $1 AND dataset = $2 AND state = 'done') THEN result END AS result
         FROM profile WHERE system = $1 AND dataset = $2 ORDER BY id`,
      [system, dataset],
    );
    const done = rows.filter((r) => r.state === 'done');
    const last = rows.at(-1);
    const newest = done.at(-1);
    const around: Omit<Knowledge, 'result'> = {
      state: last?.state ?? 'none',
      problem: last?.problem ?? null,
      at: newest ? isoTime(newest.at) : null,
      rowLimit: newest?.row_limit ? Number(newest.row_limit) : null,
      history: done.map((r) => ({ at: isoTime(r.at), records: Number(r.records), clean: Number(r.clean) })),
      checks: await this.checks(system, dataset),
      lookedOver: await this.lookedOver(system, dataset),
    };
    return writtenWith<Knowledge, 'result'>(around, 'result', newest ? await unpacked(newest.result!) : 'null');
  }

  private async checks(system: string, dataset: string): Promise<Knowledge['checks']> {
    return this.db.query<Knowledge['checks'][number]>(
      'SELECT id, rule, message FROM data_check WHERE system = $1 AND dataset = $2 ORDER BY id',
      [system, dataset],
    );
  }
  async addCheck(system: string, dataset: string, rule: string, message: string): Promise<Knowledge['checks'][number]> {
    const { fields } = await this.structures.describe(system, dataset);
    try {
      const made = makeRule(rule, {
        fields: fields.map((f, slot) => ({ alias: null, name: f.name, slot, type: 'text' })),
      });
      if (made.type !== 'bool' && made.type !== 'unknown')
        throw refused(
          'A check is a condition that each record must meet, such as miles IS NOT NULL; this gives a value.',
        );
    } catch (error) {
      throw error instanceof RuleError
        ? refused(`The check can't be used: ${error.message}`, [{ path: 'rule', message: error.message }])
        : error;
    }
    const [row] = await this.db.query<Knowledge['checks'][number]>(
      'INSERT INTO data_check (system, dataset, rule, message) VALUES ($1, $2, $3, $4) RETURNING id, rule, message',
      [system, dataset, rule, message],
    );
    return row!;
  }
  async removeCheck(id: number): Promise<void> {
    const gone = await this.db.query('DELETE FROM data_check WHERE id = $1 RETURNING id', [id]);
    if (gone.length === 0) throw notFound(`There is no check ${id}.`);
  }

  async markLookedOver(
    system: string,
    dataset: string,
    person: string,
    note: string,
  ): Promise<NonNullable<Knowledge['lookedOver']>> {
    const mark = await this.mark(system, dataset);
    await this.db.query(
      'INSERT INTO looked_over (system, dataset, person, note, mark) VALUES ($1, $2, $3, $4, $5) ON CONFLICT (system, dataset) DO UPDATE SET person = EXCLUDED.person, note = EXCLUDED.note, mark = EXCLUDED.mark, at = now()',
      [system, dataset, person, note, mark],
    );
    return (await this.lookedOver(system, dataset))!;
  }
  private async lookedOver(system: string, dataset: string): Promise<Knowledge['lookedOver']> {
    const [row] = await this.db.query<{ person: string; note: string; at: string; mark: string }>(
      'SELECT person, note, at, mark FROM looked_over WHERE system = $1 AND dataset = $2',
      [system, dataset],
    );
    if (!row) return null;
    const now = await this.mark(system, dataset).catch(() => row.mark);
    return { person: row.person, note: row.note, at: isoTime(row.at), stillTrue: now === row.mark };
  }
  /** What the dataset is now: its structure, size and time of change; for tables, how many records they have. */
  private async mark(system: string, dataset: string): Promise<string> {
    const detail = await this.structures.describe(system, dataset);
    const { system: open } = await this.systems.openById(system);
    const records =
      detail.changedAt === null ? (await open.datasets()).find((d) => d.name === dataset)?.records : undefined;
    const fields = detail.fields.map((f) => [f.name, f.type, f.nullable, f.key]);
    return createHash('sha256')
      .update(JSON.stringify([fields, detail.bytes, detail.changedAt, records ?? null]))
      .digest('hex');
  }

  async close(): Promise<void> {
    this.closing.abort();
    clearInterval(this.looking);
    await this.worker?.terminate();
    await this.working;
  }
}
