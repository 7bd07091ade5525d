/** A claim that nobody renews is free again after so many seconds. */
export const LEASE = Number(process.env['VERSICLE_LEASE_SECONDS'] ?? 30);

/** Who works with the store of a server holds this lock, beside others, as long as it lives; alone, who changes its tables. */
export const STORE_LOCK = 7_404_000;

/** Seconds for which a transaction of ours may do nothing, before the server takes it that its process hangs. */
export const IDLE_SECONDS = Math.max(10, LEASE);
