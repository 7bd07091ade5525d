import { createHash } from 'node:crypto';
import { Router, raw, type Request, type Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import { changedMeanwhile, Fault, parseJsonTree } from '@versicle/core';
import type { Services } from '../services.ts';
import { BadEncoding, decodeBody } from '../systems/kinds/http/decode.ts';
import { isWebhook } from '../systems/kinds/webhook/settings.ts';
import { isFresh, isSigned, signedText } from '../systems/kinds/webhook/signature.ts';

/** Deliveries in ten seconds at the most, from one address, before anything else is asked. */
const LIMIT = 12_000;

/**
 * Takes what others send to /hooks/:system. The answer comes as soon as the delivery is kept; nothing is worked on before.
 * Who has no right to send learns nothing, not even whether there is such a system.
 */
export function hooks({ db, systems, events }: Services): Router {
  const router = Router();
  router.use(
    '/hooks',
    rateLimit({
      windowMs: 10_000,
      limit: LIMIT,
      standardHeaders: 'draft-8',
      legacyHeaders: false,
      // Who is gone before being looked at is answered by nobody, and no fault.
      validate: { ip: false },
      handler: (_req, _res, next) =>
        next(
          new Fault(
            'too often',
            `More than ${LIMIT.toLocaleString('en-GB')} deliveries in ten seconds; send them later.`,
          ),
        ),
    }),
  );
  router.post('/hooks/:system', raw({ type: () => true, limit: '2mb' }), async (req: Request, res: Response) => {
    const id = String(req.params['system']);
    const connection = await systems.connection(id).catch(() => null);
    if (connection === null || !isWebhook(connection) || !connection.secret) throw refusedDelivery();
    const body = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
    const delivery = req.get(connection.idHeader);
    const time = req.get(connection.timeHeader);
    const signed = connection.signs === 'body' ? body : signedText(time, delivery, body);
    if (signed === null || !isSigned(connection.secret, signed, req.get(connection.signatureHeader)))
      throw refusedDelivery();
    if (connection.signs === 'all' && !isFresh(time!, connection.toleranceSeconds, Date.now()))
      throw new Fault(
        'too old',
        `The delivery was signed more than ${connection.toleranceSeconds} seconds ago, or in the future; send it again, signed anew.`,
      );
    const text = textOf(body, req.get('content-type'));
    const hash = createHash('sha256').update(body).digest('hex');
    const name = (delivery ?? hash).slice(0, 500);
    const kept = await db.query(
      'INSERT INTO received (system, delivery, headers, body, hash) VALUES ($1, $2, $3, $4, $5) ON CONFLICT (system, delivery) DO NOTHING RETURNING id',
      [id, name, JSON.stringify({ 'content-type': req.get('content-type') ?? null }), text, hash],
    );
    if (kept.length === 0) {
      const [before] = await db.query<{ hash: string | null; body: string }>(
        'SELECT hash, body FROM received WHERE system = $1 AND delivery = $2',
        [id, name],
      );
      if (before && (before.hash === null ? before.body !== text : before.hash !== hash))
        throw changedMeanwhile(
          `A delivery with the id “${name.slice(0, 100)}” came before, with another body; nothing was kept.`,
        );
    }
    res.status(kept.length > 0 ? 202 : 200).json({ kept: kept.length > 0 });
    await events.waitingChanged();
  });
  return router;
}

/** Only objects, or lists of them, are records. */
function textOf(body: Uint8Array, contentType: string | undefined): string {
  let text: string;
  let isRecord: boolean;
  try {
    text = decodeBody(body, contentType);
    const tree = parseJsonTree(text);
    isRecord = tree instanceof Map || (Array.isArray(tree) && tree.length > 0 && tree.every((t) => t instanceof Map));
  } catch (error) {
    const why =
      error instanceof BadEncoding
        ? `The body can’t be read: ${error.message}.`
        : `The body is not JSON: ${(error as Error).message}.`;
    throw new Fault('not understood', why);
  }
  if (!isRecord) throw new Fault('not understood', 'The body is no record: send an object, or a list of objects.');
  return text;
}
const refusedDelivery = (): Fault => new Fault('not signed', 'The delivery is not signed as it should be.');
