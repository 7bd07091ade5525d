import { createHash } from 'node:crypto';
import { Router, raw, type Request, type Response } from 'express';
import { parseJsonTree } from '@versicle/core';
import { Problem } from '../http/problem.ts';
import type { Services } from '../services.ts';
import { isSigned } from './kinds/webhook/webhook.ts';

/**
 * Takes what others send to /hooks/:system. The answer comes as soon as the delivery is kept; nothing is worked on before.
 * Who has no right to send learns nothing, not even whether there is such a system.
 */
export function hooks({ db, systems, events }: Services): Router {
  const router = Router();
  router.post('/hooks/:system', raw({ type: () => true, limit: '2mb' }), async (req: Request, res: Response) => {
    const id = String(req.params['system']);
    const connection = await systems.connection(id).catch(() => null);
    if (connection?.kind !== 'webhook') throw refusedDelivery();
    const body = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
    if (connection.secret && !isSigned(connection.secret, body, req.get(connection.signatureHeader)))
      throw refusedDelivery();
    const text = body.toString('utf8');
    try {
      parseJsonTree(text);
    } catch (error) {
      throw new Problem(400, 'Not understood', `The body is not JSON: ${(error as Error).message}.`);
    }
    const delivery = req.get(connection.idHeader) ?? createHash('sha256').update(body).digest('hex');
    const kept = await db.query(
      'INSERT INTO received (system, delivery, headers, body) VALUES ($1, $2, $3, $4) ON CONFLICT (system, delivery) DO NOTHING RETURNING id',
      [id, delivery.slice(0, 500), JSON.stringify({ 'content-type': req.get('content-type') ?? null }), text],
    );
    res.status(kept.length > 0 ? 202 : 200).json({ kept: kept.length > 0 });
    await events.waitingChanged();
  });
  return router;
}
const refusedDelivery = (): Problem => new Problem(401, 'Not signed', 'The delivery is not signed as it should be.');
