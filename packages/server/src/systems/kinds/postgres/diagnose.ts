import { nearest, quoted } from '@versicle/core';
import type { Found } from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import type { PostgresConnection } from './settings.ts';

/** What is wrong between us and a server, and what to do; `databases` names those that the server has. */
export async function diagnosePostgres(
  error: unknown,
  { host, port, user, database }: PostgresConnection,
  databases: () => Promise<string[]>,
): Promise<Found> {
  const { code, message } = error as { code?: string; message: string };
  const where = `${host}:${port}`;
  switch (code) {
    case '28P01':
    case '28000':
      return failed(
        'not_authorised',
        `The server at ${where} does not let ${user} in: ${message}. Check user and password.`,
      );
    case '3D000': {
      const names = await databases();
      const near = nearest(database, names);
      const sorted = near ? [near, ...names.filter((n) => n !== near)] : names;
      return failed(
        'no_such_database',
        `There is no database ${quoted(database)} at ${where}.${near ? ` Did you mean ${near}?` : ''}`,
        sorted.slice(0, 8),
      );
    }
    case '42501':
      return failed('not_permitted', `${user} signed in, but may not look into ${database}: ${message}.`);
    case '53300':
      return failed('refused', `The server at ${where} has no connection left: ${message}.`);
    default:
  }
  const found = diagnoseNetwork(error, where);
  if (found) return found;
  if (/timeout/i.test(message)) return diagnoseNetwork({ code: 'ETIMEDOUT' }, where)!;
  if (/does not support SSL/i.test(message))
    return failed(
      'unexpected_answer',
      `The server at ${where} does not take TLS; switch it off, or switch it on there.`,
    );
  if (/terminated unexpectedly|Connection ended/i.test(message))
    return failed('unexpected_answer', `${where} answers, but not as a PostgreSQL server does. Check host and port.`);
  return failed('unexpected_answer', `${where} answered unexpectedly: ${message}`);
}
