import { personHeader } from '../shared/who';

/** What others know this page by while it has a sheet open. */
export const page = crypto.randomUUID();

/** The browser leaves the page: others hear of it at once, by a request that outlives it. */
export function sayGone(id: string): void {
  void fetch(`/api/mappings/${encodeURIComponent(id)}/here`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', ...personHeader() },
    body: JSON.stringify({ page, line: null, left: true }),
    keepalive: true,
    // Whoever is not heard of any more is forgotten after a while.
  }).catch(() => undefined);
}
