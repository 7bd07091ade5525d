import type { Connection } from '@versicle/contract';
import * as z from 'zod';
import { entry, secret, text, windows } from '../settings.ts';

const AUTH = {
  none: 'none',
  key: 'API key in a header',
  basic: 'user and password (basic)',
  bearer: 'bearer token',
  client: 'OAuth 2, client credentials',
  code: 'OAuth 2, authorization code',
};

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
  variables: entry(z.string().max(20_000).optional(), {
    title: 'Variables',
    description: 'One a line, written name = value; {{name}} stands for it in paths and query values.',
    long: true,
    example: 'site = north',
  }),
  secretHeaders: secret('Secret headers', {
    description: 'As the further headers, but kept under lock and never shown again.',
    long: true,
  }),
  secretQuery: secret('Secret query values', {
    description: 'One a line, written name = value; added to the address of each request, kept under lock.',
    long: true,
  }),
  secretVariables: secret('Secret variables', {
    description: 'As the variables, but kept under lock and never shown again.',
    long: true,
  }),
  testPath: text('Path to test with', 'Asked for by the connection test; empty: the base address.', {
    example: '/health',
  }),
  perMinute: entry(z.coerce.number().int().min(1).max(100_000).optional(), {
    title: 'Requests a minute, at the most',
    description: 'Empty: as many as the other side takes.',
  }),
  windows,
  parallel: entry(z.coerce.number().int().min(1).max(20).default(1), {
    title: 'Requests at a time, when records are sent',
    description: 'Records of one key go one after the other all the same.',
  }),
  timeoutSeconds: entry(z.coerce.number().int().min(1).max(600).default(30), { title: 'Time-out in seconds' }),
});
export type HttpConnection = z.infer<typeof settings>;
/** Whether a connection, as its kind read it, is one of these. */
export const isHttp = (connection: Connection): connection is HttpConnection => connection.kind === 'http';
