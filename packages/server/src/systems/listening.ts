import { createHash, randomUUID } from 'node:crypto';
import type { Logger } from 'pino';
import type { Database } from '@versicle/postgres';
import type { Events } from '../http/events.ts';
import { pause } from './outage.ts';
import type { Came, Hears } from './kinds/kind.ts';
import type { Systems } from './systems.ts';

/** Milliseconds between looks for systems to listen to that nobody told of: another process may have let one go. */
const LOOK = 10_000;
/** Seconds for which a connection is held for us; it is renewed meanwhile. */
const LEASE = 30;
/** Milliseconds before a connection that ended is made anew: the first time, and at the most. */
const FIRST_WAIT = Number(process.env['VERSICLE_LISTEN_MS'] ?? 1000);
const LONGEST_WAIT = 60_000;
/** Milliseconds after which a connection that ended was a good one. */
const STOOD = 10_000;
/** Characters of an id that are kept as they are. */
const MOST_OF_ID = 200;

/**
 * Holds a connection to each system whose records come by themselves, and keeps what comes: each id once, together with where
 * to go on. One process at a time holds it.
 */
export class Listening {
  private readonly held = new Map<string, Promise<void>>();
  private readonly stop = new AbortController();
  private readonly looking: Promise<void>;
  private lookNow = (): void => undefined;

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly events: Events,
    private readonly log: Logger,
    /** This process, as claims name it. */
    private readonly me: string,
  ) {
    this.looking = this.lookAgainAndAgain();
    systems.onChange(() => this.lookNow());
  }

  private async lookAgainAndAgain(): Promise<void> {
    const kinds = this.systems.kinds.listening();
    while (!this.stop.signal.aborted) {
      const told = new AbortController();
      this.lookNow = () => told.abort();
      try {
        const rows = await this.db.query<{ id: string }>(
          "SELECT id FROM system WHERE connection::jsonb ->> 'kind' = ANY ($1::text[])",
          [kinds],
        );
        for (const { id } of rows)
          if (!this.held.has(id))
            this.held.set(
              id,
              this.hold(id)
                .catch((error: Error) =>
                  this.log.warn({ system: id, error: error.message }, 'could not be listened to'),
                )
                .finally(() => this.held.delete(id)),
            );
      } catch (error) {
        this.log.warn({ error: (error as Error).message }, 'systems to listen to could not be looked for');
      }
      await pause(LOOK, AbortSignal.any([this.stop.signal, told.signal])).catch(() => undefined);
    }
  }

  /** Listens to one system until it is taken away, does not want it any more, or another process does it. */
  private async hold(id: string): Promise<void> {
    const lost = new AbortController();
    const signal = AbortSignal.any([this.stop.signal, lost.signal]);
    const renewal = setInterval(
      () => {
        this.claim(id).then(
          (has) => has || lost.abort(),
          () => undefined,
        );
      },
      (LEASE * 1000) / 4,
    );
    try {
      for (let wait = FIRST_WAIT; !signal.aborted;) {
        const { system } = await this.systems.openById(id);
        if (!system.listen || !(await this.claim(id))) return;
        let came = false;
        let asked: number | null = null;
        const began = performance.now();
        const hears: Hears = {
          opened: () => void this.tell(id),
          take: async (records, checkpoint) => {
            const { kept, changed } = await this.keep(id, records, checkpoint);
            came ||= kept > 0;
            return changed;
          },
        };
        try {
          asked = await system.listen(await this.checkpoint(id), hears, signal);
        } catch (error) {
          this.log.info({ system: id, error: (error as Error).message }, 'a connection ended');
          await this.tell(id);
        }
        const stood = came || performance.now() - began > STOOD;
        wait = stood ? FIRST_WAIT : Math.min(LONGEST_WAIT, wait * 2);
        await pause(Math.min(LONGEST_WAIT, Math.max(wait, asked ?? 0)), signal).catch(() => undefined);
      }
    } finally {
      clearInterval(renewal);
      await this.letGo(id);
    }
  }

  /** What the system's page says of it is what is now. */
  private async tell(id: string): Promise<void> {
    try {
      await this.systems.test(id);
      await this.events.waitingChanged();
    } catch (error) {
      this.log.warn({ system: id, error: (error as Error).message }, 'what became of a connection could not be told');
    }
  }

  private async claim(id: string): Promise<boolean> {
    const rows = await this.db.query(
      `INSERT INTO listener AS l (system, holder, held_until) SELECT id, $2, now() + make_interval(secs => $3) FROM system WHERE id = $1
       ON CONFLICT (system) DO UPDATE SET holder = excluded.holder, held_until = excluded.held_until
         WHERE l.holder IS NULL OR l.holder = excluded.holder OR l.held_until < now()
       RETURNING system`,
      [id, this.me, LEASE],
    );
    return rows.length > 0;
  }
  private async letGo(id: string): Promise<void> {
    await this.db.query('UPDATE listener SET holder = NULL WHERE system = $1 AND holder = $2', [id, this.me]);
  }
  private async checkpoint(id: string): Promise<string | null> {
    const [row] = await this.db.query<{ checkpoint: string | null }>(
      'SELECT checkpoint FROM listener WHERE system = $1',
      [id],
    );
    return row?.checkpoint ?? null;
  }

  private async keep(
    id: string,
    came: readonly Came[],
    checkpoint: string | null,
  ): Promise<{ kept: number; changed: number }> {
    const names = came.map((c) => nameOf(c));
    const abouts = came.map((c) => JSON.stringify(c.event === null ? {} : { event: c.event }));
    const bodies = came.map((c) => c.body);
    const hashes = bodies.map((body) => createHash('sha256').update(body).digest('hex'));
    const [, taken] = await this.db.transaction([
      { sql: 'SELECT require_listener($1, $2)', params: [id, this.me] },
      {
        sql: `SELECT count(*) FILTER (WHERE t.took <> 'known') AS kept, count(*) FILTER (WHERE t.took = 'changed') AS changed FROM (
                SELECT take_received($1, c.name, c.about, c.body, c.hash) AS took
                  FROM unnest($2::text[], $3::text[], $4::text[], $5::text[]) WITH ORDINALITY AS c (name, about, body, hash, place)
                 ORDER BY c.place) t`,
        params: [id, names, abouts, bodies, hashes],
      },
      { sql: 'UPDATE listener SET checkpoint = $2 WHERE system = $1', params: [id, checkpoint] },
    ]);
    const [{ kept, changed }] = taken as unknown as [{ kept: string; changed: string }];
    if (Number(kept) > 0) await this.events.waitingChanged();
    return { kept: Number(kept), changed: Number(changed) };
  }

  async close(): Promise<void> {
    this.stop.abort();
    await this.looking;
    await Promise.all(this.held.values());
  }
}

function nameOf({ id }: Came): string {
  if (id === null) return randomUUID();
  // A name of its own for what would not fit, or could be taken for another's.
  const plain = id.length <= MOST_OF_ID && !/\p{Cc}/u.test(id);
  return plain ? id : `sha256:${createHash('sha256').update(id).digest('hex')}`;
}
