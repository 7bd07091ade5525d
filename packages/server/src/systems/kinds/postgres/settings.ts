import * as z from 'zod';
import { entry, host, port, secret, text, pace, windows } from '../settings.ts';
import { newTables } from '../sql/new-tables.ts';

const TLS = {
  auto: 'on, unless the server is on this machine',
  on: 'on, the certificate is checked',
  unchecked: 'on, any certificate is taken',
  off: 'off',
};

/** What it takes to reach a PostgreSQL server. */
export const settings = z.strictObject({
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
  ...newTables,
  capture: entry(z.enum(['no', 'triggers', 'log']).default('no'), {
    title: 'What changes is told by',
    description: 'For plans that read only what the database wrote down itself.',
    words: {
      no: 'nothing',
      triggers: 'triggers that Versicle makes on the tables in question',
      log: 'the server’s own log (logical replication)',
    },
  }),
  pace: pace(
    'Records, at the most',
    'When records are written, whichever plans write them. Empty: as many as it takes.',
  ),
  windows,
});
export type PostgresConnection = z.infer<typeof settings>;
