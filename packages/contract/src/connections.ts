import * as z from 'zod';

/**
 * What it takes to reach a system, by kind. Forms are made from these schemas: `title` is the label, `description` the help
 * beside it; `secret` entries are kept encrypted and never sent back; `when` names the choice that makes an entry matter.
 */
export interface EntryMeta {
  readonly title: string;
  readonly description?: string;
  readonly secret?: boolean;
  /** Several lines. */
  readonly long?: boolean;
  readonly when?: { readonly entry: string; readonly is: readonly string[] };
  /** Words for the choices of an enumeration. */
  readonly words?: Readonly<Record<string, string>>;
  readonly example?: string;
}
const entry = <T extends z.ZodType>(schema: T, meta: EntryMeta): T => schema.meta({ ...meta });
const secret = (title: string, rest: Omit<EntryMeta, 'title' | 'secret'> = {}) =>
  entry(z.string().max(20_000).optional(), { title, secret: true, ...rest });
const text = (title: string, description: string, rest: Omit<EntryMeta, 'title' | 'description'> = {}) =>
  entry(z.string().max(2000).optional(), { title, description, ...rest });

const host = z
  .string()
  .min(1)
  .max(253)
  .regex(/^[A-Za-z0-9._:-]+$/, 'a host name or address, without http:// or a path');
const port = z.coerce.number().int().min(1).max(65535);

const folder = z.strictObject({
  kind: z.literal('folder'),
  root: entry(z.string().min(1).max(4000), {
    title: 'Folder',
    description: 'The full path of a folder on this machine; nothing outside it can be read.',
    example: '/data/export',
  }),
});
const embedded = z.strictObject({
  kind: z.literal('embedded'),
  name: entry(z.string().regex(/^[a-z][a-z0-9_]{0,40}$/, 'use small letters, digits and _'), {
    title: 'Database',
    description: 'The name of the database that Versicle keeps beside its own.',
    example: 'warehouse',
  }),
});

const TLS = {
  auto: 'on, unless the server is on this machine',
  on: 'on, the certificate is checked',
  unchecked: 'on, any certificate is taken',
  off: 'off',
};
const postgres = z.strictObject({
  kind: z.literal('postgres'),
  host: entry(host, { title: 'Host', description: 'Where the server listens.', example: 'ledger.example.org' }),
  port: entry(port.default(5432), { title: 'Port' }),
  database: entry(z.string().min(1).max(63), { title: 'Database' }),
  user: entry(z.string().min(1).max(63), { title: 'User', description: 'Reads with this user’s rights.' }),
  password: secret('Password'),
  writeUser: text('User for writing', 'Only when another user writes; empty: the same.'),
  writePassword: secret('Password for writing'),
  tls: entry(z.enum(['auto', 'on', 'unchecked', 'off']).default('auto'), { title: 'TLS', words: TLS }),
  authority: entry(z.string().max(100_000).optional(), {
    title: 'Certificate authority',
    description: 'The certificate (PEM) that signed the server’s; empty: those that this machine trusts.',
    long: true,
    when: { entry: 'tls', is: ['auto', 'on'] },
  }),
});

const AUTH = {
  none: 'none',
  key: 'API key in a header',
  basic: 'user and password (basic)',
  bearer: 'bearer token',
  client: 'OAuth 2, client credentials',
  code: 'OAuth 2, authorization code',
};
const http = z.strictObject({
  kind: z.literal('http'),
  base: entry(z.url({ protocol: /^https?$/ }).max(2000), {
    title: 'Base address',
    description: 'What all addresses of the API begin with.',
    example: 'https://members.example.org/api/v2',
  }),
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
  timeoutSeconds: entry(z.coerce.number().int().min(1).max(600).default(30), { title: 'Time-out in seconds' }),
});

const webhook = z.strictObject({
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

const SMTP_TLS = { off: 'off', starttls: 'after the greeting (STARTTLS)', tls: 'from the start' };
const mail = z.strictObject({
  kind: z.literal('mail'),
  host: entry(host, {
    title: 'Host',
    description: 'The server that takes mail for sending.',
    example: 'mail.example.org',
  }),
  port: entry(port.default(587), { title: 'Port' }),
  tls: entry(z.enum(['off', 'starttls', 'tls']).default('starttls'), { title: 'TLS', words: SMTP_TLS }),
  user: text('User', 'Empty when the server takes mail without signing in.'),
  password: secret('Password'),
  from: entry(z.email().max(200), { title: 'Sender', example: 'versicle@example.org' }),
});

export const connections = { folder, embedded, postgres, http, webhook, mail } as const;
export type SystemKind = keyof typeof connections;
export const SYSTEM_KINDS = Object.keys(connections) as SystemKind[];
export const connection = z.discriminatedUnion('kind', [folder, embedded, postgres, http, webhook, mail]);
export type Connection = z.infer<typeof connection>;
export type ConnectionOf<K extends SystemKind> = Extract<Connection, { kind: K }>;

export const kindWords: Readonly<Record<SystemKind, string>> = {
  folder: 'Folder of files',
  http: 'HTTP API',
  postgres: 'PostgreSQL',
  embedded: 'Embedded database',
  webhook: 'Incoming webhook',
  mail: 'Mail (SMTP)',
};

/** One entry of a form. */
export interface FormEntry extends EntryMeta {
  readonly name: string;
  readonly type: 'text' | 'number' | 'choice';
  readonly choices: readonly { readonly value: string; readonly words: string }[];
  readonly required: boolean;
  readonly initial: string;
}

/** The entries of a kind's form, in order. */
export function formEntries(kind: SystemKind): FormEntry[] {
  return Object.entries(connections[kind].shape as Record<string, z.ZodType>)
    .filter(([name]) => name !== 'kind')
    .map(([name, schema]) => {
      const meta = schema.meta() as unknown as EntryMeta;
      const json = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as {
        type?: string;
        enum?: string[];
        default?: unknown;
      };
      const required = !schema.safeParse(undefined).success;
      return {
        ...meta,
        name,
        type: json.enum ? 'choice' : schema instanceof z.ZodString || json.type === 'string' ? 'text' : 'number',
        choices: (json.enum ?? []).map((value) => ({ value, words: meta.words?.[value] ?? value })),
        required,
        initial: json.default === undefined ? (json.enum?.[0] ?? '') : String(json.default),
      };
    });
}
/** The names of a kind's secret entries. */
export function secretEntries(kind: SystemKind): string[] {
  return formEntries(kind)
    .filter((e) => e.secret)
    .map((e) => e.name);
}
