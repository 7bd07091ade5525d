import { notFound } from '@versicle/core';
import type { Found, Kind, OpenSystem } from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import { allowedAddress, requireAllowedHost } from '../network/guard.ts';
import { settings, type MailConnection } from './settings.ts';

/** A server that takes mail for sending: a means of notification, without records of its own. */
export const mail: Kind<MailConnection> = {
  facts: {
    kind: 'mail',
    words: 'Mail (SMTP)',
    holds: false,
    empty: 'A mail server holds no records; it sends notifications.',
    settledBy: null,
    asks: false,
    byRequest: false,
    arrives: null,
    target: null,
  },
  settings,
  where: ({ host, port }) => `${host}:${port}`,
  place: ['host', 'port', 'tls'],
  open: (connection) => openMail(connection),
  check: ({ host }) => requireAllowedHost(host),
};

async function transport(connection: MailConnection) {
  const { host, port, tls, user, password } = connection;
  const { default: nodemailer } = await import('nodemailer');
  return nodemailer.createTransport({
    host: await allowedAddress(host),
    port,
    secure: tls === 'tls',
    requireTLS: tls === 'starttls',
    ignoreTLS: tls === 'off',
    tls: { servername: host },
    connectionTimeout: 8000,
    greetingTimeout: 8000,
    // One that falls silent holds up nothing, the end of the server least of all.
    socketTimeout: 15_000,
    ...(user ? { auth: { user, pass: password ?? '' } } : {}),
    disableFileAccess: true,
    disableUrlAccess: true,
  });
}

function openMail(connection: MailConnection): OpenSystem {
  const where = `${connection.host}:${connection.port}`;
  return {
    test: async (): Promise<Found> => {
      try {
        const mailer = await transport(connection);
        await mailer.verify();
        mailer.close();
        return { ok: true, code: 'ok', message: `${where} takes mail from ${connection.from}.`, sees: [] };
      } catch (error) {
        const e = error as { code?: string; responseCode?: number; message: string };
        if (e.code === 'EAUTH')
          return failed('not_authorised', `${where} does not let ${connection.user ?? 'us'} in: ${e.message}`);
        // The library keeps the system's own code in its sentence only.
        const inner = /\b(E[A-Z]{4,}|ETIMEDOUT)\b/.exec(e.message)?.[1];
        const known = e.code === 'ESOCKET' && inner ? diagnoseNetwork({ code: inner }, where) : null;
        if (known) return known;
        return (
          diagnoseNetwork(error, where) ?? failed('unexpected_answer', `${where} answered unexpectedly: ${e.message}`)
        );
      }
    },
    datasets: () => Promise.resolve([]),
    describe: () => Promise.reject(notFound('A mail server holds no records; it sends notifications.')),
  };
}

/** Sends one message of plain text. */
export async function sendMail(
  connection: MailConnection,
  message: { readonly to: string; readonly subject: string; readonly text: string; readonly messageId?: string },
): Promise<void> {
  const mailer = await transport(connection);
  try {
    await mailer.sendMail({ from: connection.from, ...message });
  } finally {
    mailer.close();
  }
}
