import { createHash } from 'node:crypto';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { Knowledge } from '@versicle/contract';
import { type DatasetProfile, makeRule, notFound, type Quality, refused, RuleError } from '@versicle/core';
import type { Events } from '../http/events.ts';
import type { Database } from '@versicle/postgres';
import { openSource } from '../sources/open-source.ts';
import { fromJson, isoTime } from '../store/values.ts';
import type { Structures } from '../structures/structures.ts';
import type { Systems } from '../systems/systems.ts';
import type { ProfileJob } from './profile-worker.ts';

type Result = NonNullable<Knowledge['result']>;
interface ProfileRow {
  [key: string]: unknown;
  id: number;
  at: string;
  state: Knowledge['state'];
  row_limit: string | null;
  result: Result | string | null;
  problem: string | null;
}
interface Asked {
  readonly id: number;
  readonly system: string;
  readonly dataset: string;
  readonly rowLimit: number | null;
}

/** Knows how good the data is: profiles datasets one after the other, and keeps what people say about them. */
export class Profiles {
  private readonly queue: Asked[] = [];
  private working: Promise<void> | null = null;
  private worker: Worker | null = null;
  private readonly closing = new AbortController();

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly structures: Structures,
    private readonly events: Events,
    /** Where records of systems that are not files are kept while they are profiled. */
    private readonly directory: string,
  ) {}

  /** What an earlier process left unfinished is not going on any more. */
  async resume(): Promise<void> {
    await this.db.query(
      "UPDATE profile SET state = 'failed', problem = 'Versicle was stopped while the dataset was profiled; profile it again.' WHERE state = 'running'",
    );
  }

  async ask(system: string, dataset: string, rowLimit: number | null): Promise<void> {
    // Says at once when there is no such thing.
    await this.structures.describe(system, dataset);
    const [running] = await this.db.query(
      "SELECT id FROM profile WHERE system = $1 AND dataset = $2 AND state = 'running'",
      [system, dataset],
    );
    if (running) return;
    const [made] = await this.db.query<{ id: number }>(
      "INSERT INTO profile (system, dataset, state, row_limit) VALUES ($1, $2, 'running', $3) RETURNING id",
      [system, dataset, rowLimit],
    );
    this.queue.push({ id: made!.id, system, dataset, rowLimit });
    this.working ??= this.work().finally(() => (this.working = null));
  }

  private async work(): Promise<void> {
    while (this.queue.length > 0 && !this.closing.signal.aborted) {
      const asked = this.queue.shift()!;
      try {
        const result = await this.carryOut(asked);
        await this.db.query("UPDATE profile SET state = 'done', result = $2, at = now() WHERE id = $1", [
          asked.id,
          JSON.stringify(result),
        ]);
      } catch (error) {
        if (this.closing.signal.aborted) return;
        await this.db.query("UPDATE profile SET state = 'failed', problem = $2, at = now() WHERE id = $1", [
          asked.id,
          (error as Error).message,
        ]);
      }
      // The last twenty of a dataset are its history.
      await this.db.query(
        'DELETE FROM profile WHERE system = $1 AND dataset = $2 AND id <= (SELECT id FROM profile WHERE system = $1 AND dataset = $2 ORDER BY id DESC OFFSET 20 LIMIT 1)',
        [asked.system, asked.dataset],
      );
      this.events.send({ type: 'profile', system: asked.system, dataset: asked.dataset });
    }
  }

  private async carryOut(asked: Asked): Promise<Result> {
    const { system } = await this.systems.openById(asked.system);
    const detail = await this.structures.describe(asked.system, asked.dataset);
    const checks = await this.checks(asked.system, asked.dataset);
    const kept = join(this.directory, `profile-${asked.id}.jsonl`);
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
      const found = await this.inWorker({ plan, fields, checks, rowLimit: asked.rowLimit });
      return { ...found, references: await this.references(asked, found.profile) } as Result;
    } finally {
      rmSync(kept, { force: true });
    }
  }
  private inWorker(job: ProfileJob): Promise<{ profile: DatasetProfile; quality: Quality; millis: number }> {
    return new Promise((resolve, reject) => {
      const worker = new Worker(new URL('./profile-worker.js', import.meta.url), { workerData: job });
      this.worker = worker;
      worker.on('message', (message: { problem?: string }) => {
        void worker.terminate();
        if (message.problem !== undefined) reject(new Error(message.problem));
        else resolve(message as never);
      });
      worker.on('error', reject);
      worker.on('exit', () => reject(new Error('Profiling was stopped.')));
    });
  }

  /**
   * Fields whose values all (or nearly all) occur in the key of another profiled dataset. Only keys with few enough values
   * can be compared: those whose values were counted each.
   */
  private async references(asked: Asked, profile: DatasetProfile): Promise<Result['references']> {
    const others = await this.db.query<{ system: string; dataset: string; result: Result | string }>(
      "SELECT DISTINCT ON (system, dataset) system, dataset, result FROM profile WHERE state = 'done' AND NOT (system = $1 AND dataset = $2) ORDER BY system, dataset, id DESC",
      [asked.system, asked.dataset],
    );
    const found: Result['references'] = [];
    for (const other of others) {
      const { profile: theirs } = fromJson(other.result);
      for (const [key] of theirs.keys.filter((k) => k.length === 1)) {
        const target = theirs.fields.find((f) => f.name === key)!;
        const pattern = target.patterns[0]?.value;
        for (const field of profile.fields) {
          const same = field.patterns.find((p) => p.value === pattern);
          const share = same && field.filled > 0 ? same.count / field.filled : 0;
          if (
            pattern &&
            /\d/.test(pattern) &&
            field.distinct > 1 &&
            field.distinct <= target.distinct * 1.2 &&
            share > 0.9
          )
            found.push({ field: field.name, in: `${other.system}/${other.dataset}.${key}`, share: 0 });
        }
      }
    }
    return this.contained(asked, found.slice(0, 20));
  }
  /** The candidates are proved on the values themselves. */
  private async contained(asked: Asked, candidates: Result['references']): Promise<Result['references']> {
    const proved: Result['references'] = [];
    for (const candidate of candidates) {
      const [, system, dataset, key] = /^([^/]+)\/(.+)\.([^.]+)$/.exec(candidate.in)!;
      const known = await this.valuesOf(system!, dataset!, key!, 200_000);
      const own = await this.valuesOf(asked.system, asked.dataset, candidate.field, 20_000);
      if (!known || !own || own.size === 0) continue;
      const inside = [...own].filter((v) => known.has(v)).length;
      if (inside / own.size >= 0.9) proved.push({ ...candidate, share: inside / own.size });
    }
    return proved;
  }
  private async valuesOf(id: string, dataset: string, field: string, limit: number): Promise<Set<string> | null> {
    const { system } = await this.systems.openById(id);
    const values = new Set<string>();
    let looked = 0;
    try {
      for await (const { fields, rows } of system.read!(dataset, {})) {
        const at = fields.indexOf(field);
        if (at < 0) return null;
        for (const row of rows) if (Array.isArray(row) && row[at]) values.add(row[at] as string);
        looked += rows.length;
        if (looked >= limit) break;
      }
      return values;
    } catch {
      // A system that does not answer now proves nothing.
      return null;
    }
  }

  async knowledge(system: string, dataset: string): Promise<Knowledge> {
    await this.systems.openById(system);
    const rows = await this.db.query<ProfileRow>(
      'SELECT id, at, state, row_limit, result, problem FROM profile WHERE system = $1 AND dataset = $2 ORDER BY id',
      [system, dataset],
    );
    const done = rows.filter((r) => r.state === 'done');
    const last = rows.at(-1);
    const newest = done.at(-1);
    return {
      state: last?.state ?? 'none',
      problem: last?.problem ?? null,
      at: newest ? isoTime(newest.at) : null,
      rowLimit: newest?.row_limit ? Number(newest.row_limit) : null,
      result: newest ? fromJson(newest.result!) : null,
      history: done.map((r) => {
        const { quality } = fromJson(r.result!);
        return { at: isoTime(r.at), records: quality.records, clean: quality.clean };
      }),
      checks: await this.checks(system, dataset),
      lookedOver: await this.lookedOver(system, dataset),
    };
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
    await this.worker?.terminate();
    await this.working;
  }
}
