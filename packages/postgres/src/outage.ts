const CODES = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'EHOSTDOWN',
  'ENETDOWN',
  'ENOTFOUND',
  'EAI_AGAIN',
]);

/** Errors of a database that may be gone when the same is tried again (PostgreSQL, appendix A: 08, 25P03, 40, 53, 55P03, 57). */
export function isDatabaseOutage(error: unknown): boolean {
  const { code, message } = error as { code?: unknown; message?: unknown };
  if (typeof code === 'string' && CODES.has(code)) return true;
  if (typeof code === 'string' && /^(08|40|53|57)[0-9A-Z]{3}$|^(25P03|55P03)$/.test(code)) return true;
  return (
    typeof message === 'string' &&
    /connection (terminated|ended|closed)|terminating connection|client has encountered a connection error|not queryable|timeout (exceeded|expired)|server closed the connection/i.test(
      message,
    )
  );
}
