import type { Connection, SystemKind } from '@versicle/contract';
import { embedded } from './embedded/embedded.ts';
import { folder } from './folder/folder.ts';
import { http } from './http/http.ts';
import type { Kind, KindContext, OpenSystem } from './kind.ts';
import { mail } from './mail/mail.ts';
import { postgres } from './postgres/postgres.ts';
import { webhook } from './webhook/webhook.ts';

/** All kinds of system. */
const kinds: { readonly [K in SystemKind]: Kind<K> } = { folder, embedded, postgres, http, webhook, mail };

/** The kind of a connection; what it takes is that connection's own type. */
const kindOf = (connection: Connection): Kind<never> => kinds[connection.kind] as unknown as Kind<never>;

/** Whether targets of this kind take the records of one run at a time. */
export const isPaced = (kind: SystemKind): boolean => kinds[kind].paced === true;

/** Refuses, by a fault, what must not be saved. */
export function checkConnection(connection: Connection): void {
  kindOf(connection).check?.(connection as never);
}
export async function openConnection(connection: Connection, context: KindContext): Promise<OpenSystem> {
  return kindOf(connection).open(connection as never, context);
}
