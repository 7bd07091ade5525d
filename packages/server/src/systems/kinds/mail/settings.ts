import * as z from 'zod';
import { entry, host, port, secret, text } from '../settings.ts';

const SMTP_TLS = { off: 'off', starttls: 'after the greeting (STARTTLS)', tls: 'from the start' };

/** What it takes to hand mail to a server. */
export const settings = z.strictObject({
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
export type MailConnection = z.infer<typeof settings>;
