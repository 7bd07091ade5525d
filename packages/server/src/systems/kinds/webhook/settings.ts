import type { Connection } from '@versicle/contract';
import * as z from 'zod';
import { entry, secret } from '../settings.ts';

/** How deliveries of an incoming webhook are told and signed. */
export const settings = z.strictObject({
  kind: z.literal('webhook'),
  secret: secret('Secret', {
    description: 'Signs each delivery (HMAC-SHA-256). Empty: one is made for you and shown once.',
  }),
  signs: entry(z.enum(['all', 'body']).default('all'), {
    title: 'What is signed',
    description: 'Only what is signed with its time can’t be sent again by somebody who overheard it.',
    words: { all: 'time, id and body, with dots between them', body: 'the body alone' },
  }),
  timeHeader: entry(z.string().max(100).default('X-Timestamp'), {
    title: 'Header with the time',
    description: 'Seconds since 1970, or ISO 8601.',
    when: { entry: 'signs', is: ['all'] },
  }),
  toleranceSeconds: entry(z.coerce.number().int().min(10).max(86_400).default(300), {
    title: 'Oldest that is taken, in seconds',
    when: { entry: 'signs', is: ['all'] },
  }),
  signatureHeader: entry(z.string().max(100).default('X-Signature'), {
    title: 'Header with the signature',
    description: 'Hexadecimal, alone or after sha256=.',
  }),
  idHeader: entry(z.string().max(100).default('X-Delivery-Id'), {
    title: 'Header with the delivery’s id',
    description: 'A delivery that comes twice counts once.',
  }),
});
export type WebhookConnection = z.infer<typeof settings>;
/** Whether a connection, as its kind read it, is one of these. */
export const isWebhook = (connection: Connection): connection is WebhookConnection => connection.kind === 'webhook';
