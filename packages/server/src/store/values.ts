/** PGlite hands timestamps and jsonb over as text (see pglite-worker.ts); these read them. */

/** `2026-08-03 14:05:06.123+00` → ISO 8601 in UTC. */
export function isoTime(text: string): string {
  return new Date(`${text.replace(' ', 'T')}:00`).toISOString();
}
export function isoTimeOrNull(text: string | null): string | null {
  return text === null ? null : isoTime(text);
}
export function fromJson<T>(value: T | string): T {
  return typeof value === 'string' ? (JSON.parse(value) as T) : value;
}

/** A text within a pattern of LIKE, such that it means just itself. */
export const literal = (text: string): string => text.replace(/[\\%_]/g, '\\$&');
