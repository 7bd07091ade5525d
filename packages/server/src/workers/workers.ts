import { hostname } from 'node:os';
import type { WorkerInfo } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';

/** What a process does: it serves pages, carries out runs and what is due by itself, or all of it. */
export type Work = WorkerInfo['work'];
export interface ThisWorker {
  readonly id: string;
  readonly work: Work;
  readonly version: string;
  /** Where records lie that it fetches. */
  readonly place: string;
  /** Its data directory, which it has alone. */
  readonly home: string;
}

/** Minutes after which one that does not say anything any more is forgotten. */
const FORGOTTEN = 60;

/** The processes on this store: this one says again and again that it is there, and knows of the others. */
export class Workers {
  private beating: NodeJS.Timeout | null = null;

  constructor(
    private readonly db: Database,
    readonly me: ThisWorker,
    private readonly leaseSeconds: number,
    private readonly address: () => string | null,
  ) {}

  async begin(): Promise<void> {
    await this.replace();
    await this.beat();
    this.beating = setInterval(
      () => {
        // Where the store is away, it is told so as soon as it answers.
        this.beat().catch(() => undefined);
      },
      (this.leaseSeconds * 1000) / 3,
    );
    this.beating.unref();
  }
  /** Who had this data directory before is not there any more, and what it had claimed is free. */
  private async replace(): Promise<void> {
    const of = 'IN (SELECT id FROM worker WHERE home = $1)';
    await this.db.transaction(
      [
        `UPDATE run SET claimed_until = NULL, taken_from = claimed_by WHERE claimed_until IS NOT NULL AND claimed_by ${of}`,
        `UPDATE sender SET claimed_until = NULL WHERE claimed_until IS NOT NULL AND claimed_by ${of}`,
        `UPDATE profile SET claimed_until = NULL WHERE claimed_until IS NOT NULL AND claimed_by ${of}`,
        `UPDATE listener SET holder = NULL WHERE holder ${of}`,
        `DELETE FROM duty WHERE holder ${of}`,
        'DELETE FROM worker WHERE home = $1',
      ].map((sql) => ({ sql, params: [this.me.home] })),
    );
  }
  private async beat(): Promise<void> {
    const { id, work, version, place, home } = this.me;
    await this.db.query(
      `WITH old AS (DELETE FROM worker WHERE id <> $1 AND seen_at < clock_timestamp() - make_interval(mins => ${FORGOTTEN}))
       INSERT INTO worker (id, host, pid, work, version, address, place, home) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
       ON CONFLICT (id) DO UPDATE SET seen_at = clock_timestamp(), address = EXCLUDED.address`,
      [id, hostname(), process.pid, work, version, this.address(), place, home],
    );
  }

  async list(): Promise<WorkerInfo[]> {
    const rows = await this.db.query<{
      id: string;
      host: string;
      pid: number;
      work: Work;
      version: string;
      address: string | null;
      started: string;
      seen: string;
      silent: boolean;
      runs: number[] | string | null;
      sends: string[] | string | null;
      listens: string[] | string | null;
      profiles: string[] | string | null;
      duties: WorkerInfo['duties'] | string | null;
    }>(
      `SELECT w.id, w.host, w.pid, w.work, w.version, w.address, w.started_at AS started, w.seen_at AS seen,
              w.seen_at < clock_timestamp() - make_interval(secs => $1) AS silent,
              (SELECT json_agg(r.id ORDER BY r.id) FROM run r WHERE r.claimed_by = w.id AND r.claimed_until > clock_timestamp()) AS runs,
              (SELECT json_agg(s.target ORDER BY s.target) FROM sender s WHERE s.claimed_by = w.id AND s.claimed_until > clock_timestamp()) AS sends,
              (SELECT json_agg(l.system ORDER BY l.system) FROM listener l WHERE l.holder = w.id AND l.held_until > clock_timestamp()) AS listens,
              (SELECT json_agg(p.system || '/' || p.dataset ORDER BY p.id) FROM profile p WHERE p.claimed_by = w.id AND p.state = 'running' AND p.claimed_until > clock_timestamp()) AS profiles,
              (SELECT json_agg(d.name ORDER BY d.name) FROM duty d WHERE d.holder = w.id AND d.until > clock_timestamp()) AS duties
         FROM worker w ORDER BY w.started_at, w.id`,
      [this.leaseSeconds],
    );
    return rows.map(({ started, seen, ...w }) => ({
      ...w,
      isThis: w.id === this.me.id,
      startedAt: isoTime(started),
      seenAt: isoTime(seen),
      runs: fromJson(w.runs ?? []),
      sends: fromJson(w.sends ?? []),
      listens: fromJson(w.listens ?? []),
      profiles: fromJson(w.profiles ?? []),
      duties: fromJson(w.duties ?? []),
    }));
  }
  async end(): Promise<void> {
    if (this.beating !== null) clearInterval(this.beating);
    await this.db.query('DELETE FROM worker WHERE id = $1', [this.me.id]);
  }
}
