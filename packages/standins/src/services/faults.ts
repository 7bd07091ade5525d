/** How a stand-in misbehaves; all of it can be set while it runs. */
export interface Faults {
  /** Milliseconds before each answer. */
  slowMs: number;
  /** The status that every answer gets instead; null: none. */
  status: number | null;
  /** Every n-th request gets a 503; 0: none. */
  unavailableEvery: number;
  /** Every n-th connection is dropped in the middle of the answer; 0: none. */
  dropEvery: number;
  /** Requests a minute before a 429; 0: no limit. */
  perMinute: number;
  /** Whether everybody is turned away with 401. */
  lockedOut: boolean;
  /** Postings that a ledger takes a minute; 0: any number. */
  postingsPerMinute?: number;
  /** The hours (UTC) from and until which a ledger takes postings; the same one: all day. */
  opensAt?: number;
  closesAt?: number;
}
export const noFaults = (): Faults => ({
  slowMs: 0,
  status: null,
  unavailableEvery: 0,
  dropEvery: 0,
  perMinute: 0,
  lockedOut: false,
});

/** Sets some of the faults; says what is wrong with the rest. */
export function setFaults(faults: Faults, wanted: Record<string, unknown>): string | null {
  for (const [name, value] of Object.entries(wanted)) {
    if (!Object.hasOwn(faults, name))
      return `There is no fault “${name}”; there are ${Object.keys(faults).join(', ')}.`;
    const fits =
      name === 'lockedOut'
        ? typeof value === 'boolean'
        : name === 'status'
          ? value === null || (typeof value === 'number' && value >= 400 && value < 600)
          : typeof value === 'number' && value >= 0 && (!name.endsWith('sAt') || value < 24);
    if (!fits) return `“${String(value)}” can't be the value of ${name}.`;
  }
  Object.assign(faults, wanted);
  return null;
}

/** Counts requests against the faults, one object a service. */
export class Trouble {
  readonly faults: Faults;
  requests = 0;
  private window = 0;
  private inWindow = 0;

  constructor(ways: Partial<Faults> = {}) {
    this.faults = { ...noFaults(), ...ways };
  }

  /** What this request gets instead of its answer; null: nothing stands in its way. */
  next(now = Date.now()): { status: number; retryAfter?: number } | 'drop' | null {
    this.requests++;
    const { faults } = this;
    if (faults.perMinute > 0) {
      // A second's share at a time, so that who waits as asked gets on.
      const window = Math.floor(now / 1000);
      if (window !== this.window) {
        this.window = window;
        this.inWindow = 0;
      }
      if (++this.inWindow > Math.max(1, faults.perMinute / 60)) return { status: 429, retryAfter: 1 };
    }
    if (faults.lockedOut) return { status: 401 };
    if (faults.status !== null) return { status: faults.status };
    if (faults.unavailableEvery > 0 && this.requests % faults.unavailableEvery === 0)
      return { status: 503, retryAfter: 0 };
    return faults.dropEvery > 0 && this.requests % faults.dropEvery === 0 ? 'drop' : null;
  }
}
