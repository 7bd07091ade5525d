import { embedded } from './embedded/embedded.ts';
import { folder } from './folder/folder.ts';
import { http } from './http/http.ts';
import { Kinds } from './kinds.ts';
import { mail } from './mail/mail.ts';
import { postgres } from './postgres/postgres.ts';
import { stream } from './stream/stream.ts';
import { webhook } from './webhook/webhook.ts';

/** All kinds of system, the usual ones first. */
export const kinds = Kinds.of([folder, http, postgres, embedded, webhook, stream, mail]);
