import { randomBytes } from 'node:crypto';
import {
  type ChangedSystem,
  type Connection,
  type Counted,
  type Dataset,
  type DatasetDetail,
  type DatasetSetting,
  type Diagnosis,
  type KindFacts,
  type LookSchedule,
  type NewSystem,
  type Rows,
  type System,
} from '@versicle/contract';
import { changedMeanwhile, isFault, nearest, notFound, quoted, refused } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { Written } from '../http/written.ts';
import type { Secrets } from '../store/secrets.ts';
import { fromJson, isoTime } from '../store/values.ts';
import { Looks } from '../looks/looks.ts';
import { nextLook, requireSchedule } from '../structures/next-look.ts';
import type { KindContext, OpenSystem, PreviewOptions } from './kinds/kind.ts';
import type { Kinds } from './kinds/kinds.ts';
import { Peers } from '../workers/peers.ts';
import { countRows } from './count.ts';
import { alone } from '../workers/alone.ts';
import type { EmbeddedDatabases } from './embedded-databases.ts';
import type { Standing } from './embedded-home.ts';
import { preview } from './preview.ts';
import { requireSecretsAnew } from './secrets-anew.ts';

/** Turns that may be given out ahead: more of them are of a clock that was set back. */
const MOST_AHEAD = 100;

interface Around {
  readonly uses: readonly { system: string; id: string; name: string; as: 'source' | 'target' }[];
  readonly waiting: ReadonlyMap<string, number>;
}
interface SystemRow {
  [key: string]: unknown;
  id: string;
  name: string;
  connection: Connection | string;
  secrets: string | null;
  state_since: string | null;
  look_cron: string | null;
  look_zone: string | null;
  looked_at: string | null;
  diagnosis: Diagnosis | string | null;
}
type Kept = Record<string, string>;

/** The registered systems, and the one place where a connection becomes something that can be read or written. */
export class Systems {
  private readonly opened = new Map<string, Promise<OpenSystem>>();
  /** What its connection was when it was opened. */
  private readonly openedAs = new Map<string, string>();
  /** Which of our own databases a system was opened on. */
  private readonly databaseOf = new Map<string, string>();
  private readonly hearing = new Set<() => void>();

  constructor(
    private readonly db: Database,
    private readonly databases: EmbeddedDatabases,
    private readonly secrets: Secrets,
    readonly kinds: Kinds,
    private readonly peers: Peers = Peers.none(),
    readonly looks: Looks = new Looks(),
  ) {
    peers.on('system', ({ id }) => void this.forgetHere(id, 'changed').catch(() => undefined));
    peers.on('missed', () => void this.forgetChanged().catch(() => undefined));
  }
  /** Some system is new, or was changed, here or by another process. */
  onChange(hear: () => void): void {
    this.hearing.add(hear);
  }

  private rowsOf(id?: string): Promise<SystemRow[]> {
    return this.db.query<SystemRow>(
      'SELECT id, name, connection, secrets, state_since, diagnosis, look_cron, look_zone, looked_at FROM system WHERE $1::text IS NULL OR id = $1 ORDER BY created_at, id',
      [id ?? null],
    );
  }
  async list(): Promise<System[]> {
    const around = await this.around();
    return (await this.rowsOf()).map((row) => this.shown(row, around));
  }
  /** What others have to do with systems. */
  private async around(): Promise<Around> {
    const waiting = await this.db.query<{ system: string; n: string }>(
      "SELECT split_part(target, '/', 1) AS system, count(*) AS n FROM outbox GROUP BY 1",
    );
    return { uses: await this.uses(), waiting: new Map(waiting.map((w) => [w.system, Number(w.n)])) };
  }
  private shown(row: SystemRow, { uses, waiting }: Around): System {
    const connection = fromJson(row.connection);
    const secret = this.kinds.secrets(connection);
    return {
      id: row.id,
      name: row.name,
      connection,
      facts: this.kinds.facts(connection),
      where: this.kinds.where(connection, row.id),
      signsIn: this.kinds.signsIn(connection),
      secretsSet: Object.keys(this.kept(row)).filter((name) => secret.includes(name)),
      secretsLost: this.areLost(row),
      stateSince: row.state_since === null ? null : isoTime(row.state_since),
      diagnosis: row.diagnosis === null ? null : fromJson(row.diagnosis),
      waiting: waiting.get(row.id) ?? 0,
      usedBy: uses.filter((u) => u.system === row.id).map(({ id, name, as }) => ({ id, name, as })),
      look: lookOf(row),
    };
  }
  private async uses(): Promise<Around['uses']> {
    return this.db.query(
      `SELECT DISTINCT split_part(u.name, '/', 1) AS system, m.id, m.name,
              CASE u.role WHEN 'target' THEN 'target' ELSE 'source' END AS as
         FROM mapping_use u JOIN mapping m ON m.id = u.mapping WHERE u.thing = 'dataset' ORDER BY 2, 4, 1`,
    );
  }

  private async row(id: string): Promise<SystemRow> {
    const [row] = await this.rowsOf(id);
    if (row) return row;
    const near = nearest(
      id,
      (await this.rowsOf()).map((s) => s.id),
    );
    throw notFound(`There is no system ${quoted(id)}.${near ? ` Did you mean ${near}?` : ''}`);
  }
  /** What its kind can do; null where there is no such system. */
  async factsOf(id: string): Promise<{ readonly name: string; readonly facts: KindFacts } | null> {
    const [row] = await this.rowsOf(id);
    return row === undefined ? null : { name: row.name, facts: this.kinds.facts(fromJson(row.connection)) };
  }
  async get(id: string): Promise<System> {
    return this.shown(await this.row(id), await this.around());
  }

  async create(system: NewSystem): Promise<System & { madeSecret?: string }> {
    const { connection, kept } = this.separate(this.kinds.checked(system.connection));
    const makes = this.kinds.makes(connection);
    let madeSecret: string | undefined;
    if (makes !== null && !kept[makes]) {
      madeSecret = randomBytes(24).toString('base64url');
      kept[makes] = madeSecret;
    }
    const made = await this.db.query(
      'INSERT INTO system (id, name, connection, secrets) VALUES ($1, $2, $3, $4) ON CONFLICT (id) DO NOTHING RETURNING id',
      [system.id, system.name, JSON.stringify(connection), this.sealed(system.id, kept)],
    );
    if (made.length === 0)
      throw changedMeanwhile(`There is a system called ${quoted(system.id)} already; choose another id.`);
    await this.forget(system.id, 'changed');
    // What it holds can be found from now on; where that can't be had, its page asks again and says why.
    if ((await this.test(system.id)).ok) await this.datasets(system.id).catch(() => undefined);
    return { ...(await this.get(system.id)), ...(madeSecret === undefined ? {} : { madeSecret }) };
  }

  /** Secrets that are not given stay, those given as an empty text go. */
  async change(id: string, changed: ChangedSystem): Promise<System> {
    const row = await this.row(id);
    const { kind } = fromJson(row.connection);
    if (changed.connection.kind !== kind) throw refused('A system keeps its kind; register another one instead.');
    const { connection, kept } = this.separate(this.kinds.checked(changed.connection));
    const before = this.kept(row);
    requireSecretsAnew(this.kinds, fromJson(row.connection), connection, before, kept);
    const all = { ...before, ...kept };
    for (const [name, value] of Object.entries(all)) if (value === '') delete all[name];
    await this.db.query('UPDATE system SET name = $2, connection = $3, secrets = $4 WHERE id = $1', [
      id,
      changed.name,
      JSON.stringify(connection),
      this.sealed(id, all),
    ]);
    await this.forget(id, 'changed');
    await this.test(id);
    return this.get(id);
  }

  private sealed(id: string, kept: Kept): string | null {
    return Object.keys(kept).length === 0 ? null : this.secrets.seal(JSON.stringify(kept), id);
  }
  /** With another key than they were sealed with, they are lost, and have to be given again. */
  private kept(row: SystemRow): Kept {
    if (row.secrets === null || this.areLost(row)) return {};
    return JSON.parse(this.secrets.open(row.secrets, row.id)) as Kept;
  }
  private areLost(row: SystemRow): boolean {
    return row.secrets !== null && !this.secrets.opens(row.secrets, row.id);
  }

  /** When all its datasets are looked at by themselves; null: only on request. */
  async scheduleLook(id: string, schedule: LookSchedule | null): Promise<System> {
    if (schedule) requireSchedule(schedule);
    await this.row(id);
    await this.db.query('UPDATE system SET look_cron = $2, look_zone = $3, looked_at = now() WHERE id = $1', [
      id,
      schedule?.cron ?? null,
      schedule?.zone ?? null,
    ]);
    return this.get(id);
  }

  async remove(id: string): Promise<void> {
    const system = await this.get(id);
    if (system.usedBy.length > 0)
      throw refused(
        `${system.name} is used by ${system.usedBy.map((u) => `${u.name} (as ${u.as})`).join(', ')}; change those mappings first.`,
      );
    await this.forget(id);
    await this.db.query('DELETE FROM system WHERE id = $1', [id]);
  }

  /** Asks the system itself, and keeps what was found; the state's beginning stays while the state does. */
  async test(id: string): Promise<Diagnosis> {
    await this.row(id);
    const started = performance.now();
    let found: Omit<Diagnosis, 'at' | 'millis'>;
    try {
      found = await (await this.open(id)).test();
    } catch (error) {
      found = { ok: false, code: 'failed', message: error instanceof Error ? error.message : String(error), sees: [] };
    }
    const diagnosis: Diagnosis = {
      ...found,
      millis: Math.round(performance.now() - started),
      at: new Date().toISOString(),
    };
    // What this process can't reach, and the one that has it can, is no fault of the system.
    if ((await this.standing(id)) === 'elsewhere') return diagnosis;
    await this.db.query(
      `UPDATE system SET diagnosis = $2::jsonb, state_since =
         CASE WHEN diagnosis->>'code' = $2::jsonb->>'code' THEN COALESCE(state_since, now()) ELSE now() END WHERE id = $1`,
      [id, JSON.stringify(diagnosis)],
    );
    return diagnosis;
  }

  /** Who can work with it: this process alone, another one alone, or any. */
  standing(id: string): Promise<Standing> {
    return this.databases.standing(id);
  }
  async openById(id: string): Promise<{ name: string; system: OpenSystem }> {
    const { name } = await this.row(id);
    return { name, system: await this.open(id) };
  }

  /** `system/dataset`, as documents name it. */
  async openDataset(name: string): Promise<{ id: string; system: OpenSystem; dataset: string }> {
    const slash = name.indexOf('/');
    if (slash < 1) throw refused(`${quoted(name)} does not name a dataset; write system/dataset.`);
    const id = name.slice(0, slash);
    const { system } = await this.openById(id);
    return { id, system, dataset: name.slice(slash + 1) };
  }

  /** The connection with its secrets, for what has to sign in or check signatures. */
  async connection(id: string): Promise<Connection> {
    const row = await this.row(id);
    if (this.areLost(row))
      throw refused(
        `The secrets of ${row.name} can’t be opened with the key that Versicle has now. Give them again on its page.`,
      );
    const connection = fromJson(row.connection);
    const own = this.kinds.secrets(connection);
    const secrets = Object.fromEntries(Object.entries(this.kept(row)).filter(([name]) => own.includes(name)));
    return this.kinds.read({ ...connection, ...secrets });
  }

  private open(id: string): Promise<OpenSystem> {
    let opened = this.opened.get(id);
    if (!opened) {
      opened = this.row(id).then(async (row) => {
        this.openedAs.set(id, markOf(row));
        return this.kinds.open(await this.connection(id), this.context(id));
      });
      opened.catch(() => this.opened.delete(id));
      this.opened.set(id, opened);
    }
    return opened;
  }
  /** What was opened of it is as it was: it is opened anew, by every process. */
  private async forget(id: string, because: 'changed' | 'over' = 'over'): Promise<void> {
    this.peers.tell({ kind: 'system', id });
    await this.forgetHere(id, because);
  }
  /** Whether one was changed may have been missed: only those go that are another by now, since runs work with the others. */
  private async forgetChanged(): Promise<void> {
    const now = new Map((await this.rowsOf()).map((row) => [row.id, markOf(row)]));
    for (const id of this.opened.keys())
      if (now.get(id) !== this.openedAs.get(id)) await this.forgetHere(id, 'changed');
  }
  private async forgetHere(id: string, because: 'changed' | 'over'): Promise<void> {
    const opened = this.opened.get(id);
    this.opened.delete(id);
    const system = await opened?.catch(() => null);
    // An answer that is on its way says what became of records.
    if (because === 'over' || !system?.goesOn) await system?.close?.();
    if (because === 'changed') for (const hear of this.hearing) hear();
  }

  /** Tokens that must outlive a request, which lie with the system's secrets, and its pace. */
  keeper(system: string): Pick<KindContext, 'keptSecret' | 'keepSecret' | 'turn' | 'alone'> {
    return {
      alone: (work) => alone(this.db, `token of ${system}`, work),
      turn: async (apart) => {
        const [row] = await this.db.query<{ wait: string }>(
          `INSERT INTO pace (system, free) VALUES ($1, clock_timestamp() + make_interval(secs => $2::float8 / 1000))
           ON CONFLICT (system) DO UPDATE SET free = GREATEST(LEAST(pace.free, clock_timestamp() + make_interval(secs => $2::float8 / 1000 * ${MOST_AHEAD})), clock_timestamp()) + make_interval(secs => $2::float8 / 1000)
           RETURNING extract(epoch FROM free - clock_timestamp()) * 1000 - $2::float8 AS wait`,
          [system, apart],
        );
        return Math.max(0, Number(row!.wait));
      },
      keptSecret: async (name) => this.kept(await this.row(system))[name] ?? null,
      keepSecret: async (name, value) => {
        const kept = this.kept(await this.row(system));
        await this.db.query('UPDATE system SET secrets = $2 WHERE id = $1', [
          system,
          this.sealed(system, { ...kept, [name]: value }),
        ]);
      },
    };
  }

  private context(system: string): KindContext {
    return {
      system,
      embedded: (name) => {
        this.databaseOf.set(system, name);
        return this.databases.open(name, () => this.reopen(name));
      },
      folders: this.looks.folders,
      settings: () => this.settings(system),
      ...this.keeper(system),
      received: async (after, limit) => {
        const rows = await this.db.query<{ id: string; received_at: string; headers: string; body: string }>(
          'SELECT id, received_at, headers, body FROM received WHERE system = $1 AND id > $2 ORDER BY id LIMIT $3',
          [system, after, limit],
        );
        return rows.map((r) => ({
          id: Number(r.id),
          receivedAt: isoTime(r.received_at),
          headers: r.headers,
          body: r.body,
        }));
      },
      newestReceived: async () => {
        const [row] = await this.db.query<{ id: string | null }>(
          'SELECT max(id) AS id FROM received WHERE system = $1',
          [system],
        );
        return Number(row!.id ?? 0);
      },
      receivedCount: async () => {
        const [row] = await this.db.query<{ n: string }>('SELECT count(*) AS n FROM received WHERE system = $1', [
          system,
        ]);
        return Number(row!.n);
      },
    };
  }

  /** Systems keep their database at hand: they let go of one that is not there any more. */
  private reopen(name: string): void {
    for (const [id, database] of this.databaseOf) if (database === name) this.opened.delete(id);
  }

  /** What people settled of its datasets, by their names. */
  async settings(system: string): Promise<Map<string, DatasetSetting>> {
    const rows = await this.db.query<{ dataset: string; setting: DatasetSetting | string }>(
      'SELECT dataset, setting FROM dataset_setting WHERE system = $1 ORDER BY dataset',
      [system],
    );
    return new Map(rows.map((r) => [r.dataset, fromJson(r.setting)]));
  }
  /** Settles how a dataset is read; the answer is what the dataset is then. Nothing is kept that can't be read. */
  async settle(id: string, dataset: string, setting: DatasetSetting): Promise<DatasetDetail> {
    const { settledBy } = this.kinds.facts(fromJson((await this.row(id)).connection));
    if (settledBy !== setting.kind)
      throw refused(`A dataset of this kind of system can't be settled by ${setting.kind}.`);
    const before = (await this.settings(id)).get(dataset);
    await this.keepSetting(id, dataset, setting);
    try {
      return await this.describe(id, dataset);
    } catch (error) {
      if (before) await this.keepSetting(id, dataset, before);
      else await this.unsettle(id, dataset);
      throw error;
    }
  }
  async keepSetting(id: string, dataset: string, setting: DatasetSetting): Promise<void> {
    await this.db.query(
      'INSERT INTO dataset_setting (system, dataset, setting) VALUES ($1, $2, $3) ON CONFLICT (system, dataset) DO UPDATE SET setting = EXCLUDED.setting, updated_at = now()',
      [id, dataset, JSON.stringify(setting)],
    );
  }
  /** Back to the guess; a SELECT or an endpoint is gone then. */
  async unsettle(id: string, dataset: string): Promise<void> {
    await this.row(id);
    await this.db.query('DELETE FROM dataset_setting WHERE system = $1 AND dataset = $2', [id, dataset]);
  }

  /** What a kind reports that is no Fault is something between us and the system: its own test says what, in words. */
  async inWords<T>(system: OpenSystem, ask: () => Promise<T>): Promise<T> {
    try {
      return await ask();
    } catch (error) {
      if (isFault(error) || (error as Error).name === 'AbortError') throw error;
      const found = await system.test().catch(() => null);
      if (found && !found.ok) throw refused(found.message);
      throw error;
    }
  }

  async datasets(id: string): Promise<Dataset[]> {
    const { system } = await this.openById(id);
    const datasets = await this.inWords(system, () => system.datasets());
    await this.keepNames(id, datasets);
    return datasets;
  }
  /** The finder finds what was there when somebody last looked. */
  private async keepNames(id: string, datasets: readonly Dataset[]): Promise<void> {
    const names = JSON.stringify(datasets.map((d) => d.name));
    await this.db.query(
      `WITH names AS (SELECT DISTINCT n AS name FROM jsonb_array_elements_text($2::jsonb) n),
            gone AS (DELETE FROM known_dataset WHERE system = $1 AND name NOT IN (SELECT name FROM names))
       INSERT INTO known_dataset (system, name) SELECT $1, name FROM names WHERE EXISTS (SELECT 1 FROM system WHERE id = $1)
       ON CONFLICT DO NOTHING`,
      [id, names],
    );
  }
  async describe(id: string, dataset: string): Promise<DatasetDetail> {
    const { name, system } = await this.openById(id);
    return { system: id, systemName: name, ...(await this.inWords(system, () => system.describe(dataset))) };
  }

  /** The first rows of a dataset, to be answered with. */
  async rowsToShow(id: string, dataset: string, options: PreviewOptions): Promise<Rows | Written<Rows>> {
    const { system } = await this.openById(id);
    return this.inWords(
      system,
      (): Promise<Rows | Written<Rows>> => system.rows?.(dataset, options) ?? preview(system, dataset, options),
    );
  }
  async rows(id: string, dataset: string, options: PreviewOptions): Promise<Rows> {
    const rows = await this.rowsToShow(id, dataset, options);
    return rows instanceof Written ? rows.read() : rows;
  }

  async count(id: string, dataset: string, filter: string, signal: AbortSignal): Promise<Counted> {
    const { system } = await this.openById(id);
    return this.inWords(system, () => countRows(system, dataset, filter, signal));
  }

  /** What may be shown, and what must be kept under lock. */
  private separate(full: Connection): { connection: Connection; kept: Kept } {
    const connection: Connection = { ...full };
    const kept: Kept = {};
    for (const name of this.kinds.secrets(full)) {
      const value = connection[name];
      delete connection[name];
      if (typeof value === 'string') kept[name] = value;
    }
    return { connection, kept };
  }

  async close(): Promise<void> {
    for (const id of [...this.opened.keys()]) await this.forgetHere(id, 'over');
    await this.databases.close();
  }
}

const markOf = ({ connection }: SystemRow): string => JSON.stringify(fromJson(connection));

function lookOf({ look_cron: cron, look_zone: zone, looked_at: at }: SystemRow): System['look'] {
  if (cron === null || zone === null) return null;
  return { cron, zone, next: nextLook({ cron, zone }, at === null ? new Date() : new Date(at))?.toISOString() ?? null };
}
