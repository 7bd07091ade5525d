import { randomUUID } from 'node:crypto';
import { isFault } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { guardedLookup, requireAllowedHost } from '../systems/kinds/network/guard.ts';
import { sendMail } from '../systems/kinds/mail/mail.ts';
import { signatureOf, signedText } from '../systems/kinds/webhook/signature.ts';
import type { Systems } from '../systems/systems.ts';
import type { NotificationSettings } from './setting.ts';
import type { TellOn } from './words.ts';

/** Minutes until a message is tried again, by how often it was; after the last it is given up. */
const WAITS = [1, 5, 15, 60, 180, 360, 720];
/** Seconds for which a message that is being sent is nobody else's. */
const LEASE = 60;
const AT_ONCE = 20;

const UNSENT = "state = 'waiting' AND means <> 'application' AND next <= clock_timestamp()";
/** What waits to be sent now. */
export const TO_SEND = `SELECT 1 FROM notification WHERE ${UNSENT}`;

interface Waiting {
  [key: string]: unknown;
  id: string;
  plan: string;
  plan_name: string;
  run: number | null;
  kind: TellOn;
  means: 'mail' | 'webhook';
  receiver: string;
  subject: string;
  body: string;
  attempts: number;
}

/** Sends what waits to be sent. What could not be is tried again, later each time, and says why. */
export async function sendWaiting(db: Database, systems: Systems, settings: NotificationSettings): Promise<void> {
  const rows = await db.query<Waiting>(
    `UPDATE notification n SET attempts = attempts + 1, next = clock_timestamp() + make_interval(secs => ${LEASE})
       FROM plan p WHERE p.id = n.plan AND n.id IN (
         SELECT id FROM notification WHERE ${UNSENT}
          ORDER BY id LIMIT ${AT_ONCE} FOR UPDATE SKIP LOCKED)
     RETURNING n.id, n.plan, p.name AS plan_name, n.run, n.kind, n.means, n.receiver, n.subject, n.body, n.attempts`,
  );
  await Promise.all(rows.map((row) => sendOne(db, systems, settings, row)));
}
async function sendOne(db: Database, systems: Systems, settings: NotificationSettings, row: Waiting): Promise<void> {
  try {
    await (row.means === 'mail'
      ? mail(systems, settings, row.receiver, row.subject, row.body, `<versicle-${row.id}@notifications>`)
      : webhook(settings, row.receiver, {
          id: Number(row.id),
          plan: row.plan,
          planName: row.plan_name,
          run: row.run,
          kind: row.kind,
          subject: row.subject,
          text: row.body,
        }));
    await db.query(
      "UPDATE notification SET state = 'sent', problem = NULL, settled_at = clock_timestamp() WHERE id = $1",
      [row.id],
    );
  } catch (error) {
    const wait = WAITS[row.attempts - 1];
    await db.query(
      `UPDATE notification SET problem = $2, state = CASE WHEN $3::integer IS NULL THEN 'given up' ELSE 'waiting' END,
              settled_at = CASE WHEN $3::integer IS NULL THEN clock_timestamp() END,
              next = clock_timestamp() + make_interval(mins => COALESCE($3::integer, 0)) WHERE id = $1`,
      [row.id, (error as Error).message.slice(0, 500), wait ?? null],
    );
  }
}

/** A message that somebody sends to see whether it arrives. Throws a fault with the other side's words. */
export async function tryMessage(
  systems: Systems,
  settings: NotificationSettings,
  means: 'mail' | 'webhook',
  to: string,
): Promise<void> {
  const subject = 'Versicle can reach you';
  const text = `Somebody tries whether notifications arrive here.\n${await settings.linkBase()}\n`;
  if (means === 'mail') return mail(systems, settings, to, subject, text);
  return webhook(settings, to, { id: 0, plan: null, planName: null, run: null, kind: 'trial', subject, text });
}

async function mail(
  systems: Systems,
  settings: NotificationSettings,
  to: string,
  subject: string,
  text: string,
  messageId?: string,
): Promise<void> {
  const connection = await systems.connection(await settings.mailSystem());
  if (connection.kind !== 'mail') throw new Error('The system that takes mail is of another kind now.');
  // Mail programs take two messages of one id for the same.
  await sendMail(connection as never, { to, subject, text, ...(messageId ? { messageId } : {}) });
}

/** Signed as we ask of those who deliver to us: time, id and body, with dots between them. */
async function webhook(
  settings: NotificationSettings,
  url: string,
  what: { readonly id: number; readonly [key: string]: unknown },
): Promise<void> {
  const { hostname } = new URL(url);
  requireAllowedHost(hostname);
  const body = JSON.stringify(what);
  const secret = await settings.secret();
  const time = String(Math.floor(Date.now() / 1000));
  const id = `versicle-${what.id || randomUUID()}`;
  const signed = signedText(time, id, Buffer.from(body))!;
  const { Agent, request } = (await import('undici')).default;
  const agent = new Agent({
    headersTimeout: 10_000,
    bodyTimeout: 10_000,
    connect: { timeout: 8000, lookup: guardedLookup as never },
  });
  try {
    const answer = await request(url, {
      method: 'POST',
      dispatcher: agent,
      headers: {
        'content-type': 'application/json',
        'x-timestamp': time,
        'x-delivery-id': id,
        ...(secret === null ? {} : { 'x-signature': `sha256=${signatureOf(secret, signed)}` }),
      },
      body,
    });
    await answer.body.dump();
    if (answer.statusCode >= 300) throw new Error(`${hostname} answered ${answer.statusCode}`);
  } catch (error) {
    if (isFault(error)) throw error;
    throw new Error(`It did not take it: ${(error as Error).message}`, { cause: error });
  } finally {
    await agent.close();
  }
}
