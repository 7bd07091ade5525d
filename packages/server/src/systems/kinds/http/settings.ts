import type { Connection } from '@versicle/contract';
import { refused } from '@versicle/core';
import * as z from 'zod';
import { entry, pace, secret, text, windows } from '../settings.ts';

const AUTH = {
  none: 'none',
  key: 'API key in a header',
  basic: 'user and password (basic)',
  bearer: 'bearer token',
  client: 'OAuth 2, client credentials',
  code: 'OAuth 2, authorization code',
};

/** An entry for those who set themselves how faults are met, with what is usual. */
const own = <T extends z.ZodType>(schema: T, usual: number, meta: { title: string; description?: string }) =>
  entry(schema.optional(), {
    ...meta,
    description: `${meta.description ?? ''} Usual: ${usual}.`.trim(),
    when: { entry: 'faults', is: ['own'] },
  });

/** How one signs in at another side over HTTP, and what goes along with each request. */
export const signingIn = {
  auth: entry(z.enum(['none', 'key', 'basic', 'bearer', 'client', 'code']).default('none'), {
    title: 'Signing in',
    words: AUTH,
  }),
  keyHeader: text('Name of the header', 'The header that carries the key.', {
    when: { entry: 'auth', is: ['key'] },
    example: 'X-Api-Key',
  }),
  key: secret('API key', { when: { entry: 'auth', is: ['key'] } }),
  user: text('User', 'The name to sign in with.', { when: { entry: 'auth', is: ['basic'] } }),
  password: secret('Password', { when: { entry: 'auth', is: ['basic'] } }),
  token: secret('Token', { when: { entry: 'auth', is: ['bearer'] } }),
  authorizeUrl: text('Authorization address', 'Where a person agrees; opened in the browser.', {
    when: { entry: 'auth', is: ['code'] },
  }),
  tokenUrl: text('Token address', 'Where tokens are given.', { when: { entry: 'auth', is: ['client', 'code'] } }),
  clientId: text('Client id', 'As the other side registered us.', { when: { entry: 'auth', is: ['client', 'code'] } }),
  clientSecret: secret('Client secret', { when: { entry: 'auth', is: ['client', 'code'] } }),
  scope: text('Scope', 'What is asked for, when the other side wants to know.', {
    when: { entry: 'auth', is: ['client', 'code'] },
  }),
  headers: entry(z.string().max(20_000).optional(), {
    title: 'Further headers',
    description: 'One a line, written Name: value.',
    long: true,
  }),
  secretHeaders: secret('Secret headers', {
    description: 'As the further headers, but kept under lock and never shown again.',
    long: true,
  }),
  secretQuery: secret('Secret query values', {
    description: 'One a line, written name = value; added to the address of each request, kept under lock.',
    long: true,
  }),
};
/** Headers as they are written, one a line. Throws a fault for a line that is none. */
export function requireHeaders({
  headers = '',
  secretHeaders = '',
}: Pick<HttpConnection, 'headers' | 'secretHeaders'>): void {
  for (const line of `${headers}\n${secretHeaders}`.split(/\r?\n/))
    if (line.trim() !== '' && !/^[A-Za-z0-9!#$%&'*+.^_`|~-]+\s*:\s*\S/.test(line))
      throw refused(`“${line.slice(0, 60)}” is not a header; write Name: value.`, [
        { path: 'connection.headers', message: 'Name: value' },
      ]);
}

/** What it takes to reach an API. */
export const settings = z.strictObject({
  kind: z.literal('http'),
  base: entry(
    z.url({ protocol: /^https?$/, error: 'write it in full, with http:// or https:// before it' }).max(2000),
    {
      title: 'Base address',
      description: 'What all addresses of the API begin with.',
      example: 'https://members.example.org/api/v2',
    },
  ),
  ...signingIn,
  variables: entry(z.string().max(20_000).optional(), {
    title: 'Variables',
    description: 'One a line, written name = value; {{name}} stands for it in paths and query values.',
    long: true,
    example: 'site = north',
  }),
  secretVariables: secret('Secret variables', {
    description: 'As the variables, but kept under lock and never shown again.',
    long: true,
  }),
  testPath: text('Path to test with', 'Asked for by the connection test; empty: the base address.', {
    example: '/health',
  }),
  pace: pace('Requests, at the most', 'Whichever plans they belong to. Empty: as many as the other side takes.'),
  windows,
  parallel: entry(z.coerce.number().int().min(1).max(20).default(1), {
    title: 'Requests at a time, when records are sent',
    description: 'Records of one key go one after the other all the same.',
  }),
  timeoutSeconds: entry(z.coerce.number().int().min(1).max(600).default(30), { title: 'Time-out in seconds' }),
  faults: entry(z.enum(['usual', 'own']).default('usual'), {
    title: 'When it does not answer, or not well',
    description: 'How often, and how long, the same is tried again before anything fails.',
    words: { usual: 'it is tried again as usual', own: 'as is set here' },
  }),
  tries: own(z.coerce.number().int().min(1).max(20), 8, {
    title: 'Tries of a request',
    description: 'Of one that may be sent again; what is refused is not tried again.',
  }),
  firstWait: own(z.coerce.number().min(0).max(3600), 0.25, {
    title: 'Seconds before the second try',
    description: 'Each further wait is twice as long; what Retry-After asks for goes before.',
  }),
  longestWait: own(z.coerce.number().min(0).max(3600), 60, { title: 'Longest wait in seconds' }),
  breakAfter: own(z.coerce.number().int().min(1).max(1000), 3, {
    title: 'Requests that fail in a row until sending stops',
    description: 'Then it is looked whether it answers at all, and nothing fails as long as it does not.',
  }),
  longestPause: own(z.coerce.number().min(1).max(3600), 30, {
    title: 'Seconds between looks whether it answers again',
    description: 'At the most; the first are closer.',
  }),
  patienceMinutes: own(z.coerce.number().min(0.02).max(10_080), 10, {
    title: 'Minutes until a run breaks off',
    description: 'What waits is kept, and the run goes on by itself when the system answers again.',
  }),
});
export type HttpConnection = z.infer<typeof settings>;
/** Whether a connection, as its kind read it, leads to another side over HTTP. */
export const isReached = (connection: Connection): connection is Connection & Reached =>
  typeof connection['base'] === 'string' && typeof connection['auth'] === 'string';
/** What of it is needed to sign in and to ask. */
export type Reached = Pick<HttpConnection, 'base' | 'timeoutSeconds' | 'pace' | keyof typeof signingIn>;

/** How faults of an API are met. */
export interface Patience {
  /** Tries of a request that may be repeated. */
  readonly tries: number;
  /** Milliseconds before the second try, and at the most; the waits between double. */
  readonly firstWait: number;
  readonly longestWait: number;
  /** Requests with a fault of the target, one after the other, before it counts as out of order. */
  readonly breakAfter: number;
  /** Milliseconds between looks whether it answers again, at the most. */
  readonly longestPause: number;
  /** Seconds for which it may be away before a run breaks off; null: as long as is usual. */
  readonly outageSeconds: number | null;
}
export function patienceOf(connection: HttpConnection): Patience {
  const {
    tries = 8,
    firstWait = 0.25,
    longestWait = 60,
    breakAfter = 3,
    longestPause = 30,
    patienceMinutes,
  } = connection.faults === 'own' ? connection : {};
  return {
    tries,
    firstWait: firstWait * 1000,
    longestWait: longestWait * 1000,
    breakAfter,
    longestPause: longestPause * 1000,
    outageSeconds: patienceMinutes === undefined ? null : patienceMinutes * 60,
  };
}
