import type { Connection } from '@versicle/contract';
import { refused } from '@versicle/core';
import type { Kinds } from './kinds/kinds.ts';

type Secrets = Readonly<Record<string, string>>;

/** What was kept for one place is not sent to another: a connection that goes elsewhere needs its secrets again. Throws a fault. */
export function requireSecretsAnew(
  kinds: Kinds,
  before: Connection,
  now: Connection,
  kept: Secrets,
  given: Secrets,
): void {
  const moved = kinds
    .place(before)
    .find((entry) =>
      entry === 'tls'
        ? (TLS_STRENGTH[placeOf(now, entry)] ?? 0) < (TLS_STRENGTH[placeOf(before, entry)] ?? 0)
        : placeOf(before, entry) !== placeOf(now, entry),
    );
  const missing = kinds.secrets(before).filter((name) => kept[name] && !Object.hasOwn(given, name));
  if (moved === undefined || missing.length === 0) return;
  throw refused(
    'The connection goes somewhere else now; what was kept for the other place is not sent there. Give its secrets again.',
    missing.map((name) => ({ path: `connection.${name}`, message: 'give it again' })),
  );
}

/** How much an eavesdropper is kept from: nothing, those who only listen, all. */
const TLS_STRENGTH: Readonly<Record<string, number>> = { off: 0, unchecked: 1, starttls: 1, auto: 2, on: 2, tls: 2 };
function placeOf(connection: Connection, entry: string): string {
  const value = connection[entry];
  const text = typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  return URL.canParse(text) ? new URL(text).origin : text;
}
