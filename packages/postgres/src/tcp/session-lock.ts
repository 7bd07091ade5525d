import { randomUUID } from 'node:crypto';
import pg from 'pg';
import { KEPT_ALIVE } from '../settings.ts';
import type { ServerAddress } from './server.ts';

/** Milliseconds after which is tried again. */
const AGAIN = 250;
/** Milliseconds for which somebody else's session is waited for, which may be one that has just ended. */
const PATIENCE = 3000;

const TAKE = { alone: 'pg_try_advisory_lock', beside: 'pg_try_advisory_lock_shared' } as const;

/**
 * A lock of a PostgreSQL server that lives as long as a connection of its own does: the server frees it when this process
 * ends, however it does. One holds it alone, or any number beside each other. Where the connection breaks, it is taken again
 * as soon as the server answers, and the old session, of whose end the server may not have heard, is ended.
 */
export class SessionLock {
  private readonly name = `Versicle ${randomUUID()}`;
  private client: pg.Client | null = null;
  private ended = false;

  private constructor(
    private readonly address: ServerAddress,
    private readonly number: number,
    private how: keyof typeof TAKE,
    /** Hears that it can't be had any more after the connection was broken. */
    private readonly lost: () => void,
  ) {}

  /** Null where somebody else has it in a way that keeps this one out. */
  static async take(
    address: ServerAddress,
    number: number,
    how: keyof typeof TAKE,
    lost: () => void,
    patience = PATIENCE,
  ): Promise<SessionLock | null> {
    const lock = new SessionLock(address, number, how, lost);
    return (await lock.lock(patience)) ? lock : null;
  }

  private async lock(patience: number): Promise<boolean> {
    const { label: _, ...where } = this.address;
    const client = new pg.Client({
      ...where,
      connectionTimeoutMillis: 8000,
      keepAlive: true,
      application_name: this.name,
    });
    client.on('error', () => undefined);
    try {
      await client.connect();
      await client.query(KEPT_ALIVE);
      await client.query(
        'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = $1 AND pid <> pg_backend_pid()',
        [this.name],
      );
      const got = await this.gets(client, patience);
      if (!got || this.ended) {
        await client.end();
        return got;
      }
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
    this.client = client;
    client.once('end', () => this.regain());
    return true;
  }
  private async gets(client: pg.Client, patience: number): Promise<boolean> {
    for (const until = Date.now() + patience; ;) {
      const { rows } = await client.query(`SELECT ${TAKE[this.how]}($1) AS got`, [this.number]);
      if (rows[0].got === true) return true;
      if (Date.now() > until) return false;
      await new Promise((resolve) => setTimeout(resolve, AGAIN));
    }
  }
  private regain(): void {
    if (this.ended) return;
    this.lock(PATIENCE).then(
      (got) => (got || this.ended ? undefined : this.lost()),
      () => void setTimeout(() => this.regain(), AGAIN).unref(),
    );
  }

  /** Who holds it alone lets others in beside; there is no moment without it. */
  async share(): Promise<void> {
    if (this.how === 'beside') return;
    this.how = 'beside';
    // One whose connection broke meanwhile is taken beside others as soon as it is taken again.
    await this.client
      ?.query(`SELECT pg_advisory_lock_shared($1), pg_advisory_unlock($1)`, [this.number])
      .catch(() => undefined);
  }

  async release(): Promise<void> {
    this.ended = true;
    await this.client?.end().catch(() => undefined);
  }
}
