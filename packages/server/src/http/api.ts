import { Fault, unkeptIn } from '@versicle/core';
import { routes, type Answer, type Request as Asked, type Route, type RouteName } from '@versicle/contract';
import { Router, type Request, type Response } from 'express';
import type * as z from 'zod';
import { whoAsks, type Who } from './who.ts';

export type Handler<N extends RouteName> = (request: Asked<N>, who: Who) => Answer<N> | Promise<Answer<N>>;

/** Puts handlers behind the contract's routes: what arrives is validated, what leaves is the contract's answer. */
export class Api {
  readonly router = Router();
  private readonly served = new Set<RouteName>();
  /** Tests let every answer be checked against the contract. */
  private readonly checkAnswers = process.env['VERSICLE_CHECK_ANSWERS'] === '1';

  on<N extends RouteName>(name: N, handler: Handler<N>): void {
    const route: Route = routes[name];
    this.served.add(name);
    this.router[route.method](route.path, async (req: Request, res: Response) => {
      const asked = {
        params: valid(route.params, req.params, 'address'),
        query: valid(route.query, req.query, 'query'),
        body: valid(route.body, req.body ?? {}, 'body'),
      } as Asked<N>;
      const gone = new AbortController();
      res.on('close', () => gone.abort());
      const answer = await handler(asked, whoAsks(req, gone.signal));
      if (gone.signal.aborted) return;
      res.set('Cache-Control', 'no-store').json(this.checkAnswers ? route.response.parse(answer) : answer);
    });
  }

  /** A route of the contract without a handler is a mistake of ours, found at the start. */
  requireComplete(): void {
    const missing = (Object.keys(routes) as RouteName[]).filter((name) => !this.served.has(name));
    if (missing.length > 0) throw new Error(`No handler for ${missing.join(', ')}`);
  }
}

function valid(schema: z.ZodType | undefined, value: unknown, part: string): unknown {
  if (!schema) return undefined;
  const unkept = unkeptIn(value);
  if (unkept !== null)
    throw new Fault('not understood', `The ${part} of the request can’t be taken. ${unkept.path}: ${unkept.message}`, [
      unkept,
    ]);
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  const faults = result.error.issues.map((issue) => ({ path: issue.path.join('.'), message: issue.message }));
  const [first] = faults;
  throw new Fault(
    'not understood',
    `The ${part} of the request is not as expected: ${first!.path ? `${first!.path}: ` : ''}${first!.message}.`,
    faults,
  );
}
