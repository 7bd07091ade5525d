import type { Database } from '@versicle/postgres';

/** What one process at a time sees to for all that work on a store. */
export type Duty = 'plans' | 'systems' | 'house';

/**
 * Duties of this process. Each has one holder, who says again and again that it is still there; where it does not any more,
 * another one takes over. A holder that was away for so long finds out by its own clock before it does anything.
 */
export class Duties {
  private readonly until = new Map<Duty, number>();
  private readonly renewing: NodeJS.Timeout;

  constructor(
    private readonly db: Database,
    private readonly me: string,
    private readonly leaseSeconds: number,
  ) {
    // Who has one keeps it, also where it is seldom asked for.
    this.renewing = setInterval(
      () => {
        for (const duty of this.until.keys()) this.claim(duty).catch(() => undefined);
      },
      (leaseSeconds * 1000) / 3,
    );
    this.renewing.unref();
  }

  /** Whether this process sees to it, from now until a third of the lease is over at the least. */
  async holds(duty: Duty): Promise<boolean> {
    return (this.until.get(duty) ?? 0) - performance.now() > (this.leaseSeconds * 1000) / 3 || (await this.claim(duty));
  }
  private async claim(duty: Duty): Promise<boolean> {
    const now = performance.now();
    const rows = await this.db.query(
      `INSERT INTO duty AS d (name, holder, until) VALUES ($1, $2, clock_timestamp() + make_interval(secs => $3))
       ON CONFLICT (name) DO UPDATE SET holder = EXCLUDED.holder, until = EXCLUDED.until
         WHERE d.holder = EXCLUDED.holder OR d.until < clock_timestamp() RETURNING name`,
      [duty, this.me, this.leaseSeconds],
    );
    if (rows.length > 0) this.until.set(duty, now + this.leaseSeconds * 1000);
    else this.until.delete(duty);
    return rows.length > 0;
  }

  /** Others may take them over at once. */
  async release(): Promise<void> {
    clearInterval(this.renewing);
    this.until.clear();
    await this.db.query('DELETE FROM duty WHERE holder = $1', [this.me]);
  }
}
