import { Fault, unkeptIn } from '@versicle/core';
import { routes, type Answer, type Request as Asked, type Route, type RouteName } from '@versicle/contract';
import { Router, type Request, type Response } from 'express';
import type * as z from 'zod';
import { Gathered } from './gathered.ts';
import { write, Written } from './written.ts';
import { whoAsks, type Who } from './who.ts';

type Given<N extends RouteName> = Answer<N> | Written<Answer<N>>;
export type Handler<N extends RouteName> = (request: Asked<N>, who: Who) => Given<N> | Promise<Given<N>>;

/** Puts handlers behind the contract's routes: what arrives is validated, what leaves is the contract's answer. */
export class Api {
  readonly router = Router();
  private readonly served = new Set<RouteName>();
  private readonly gathered = new Gathered<string>();
  /** Tests let every answer be checked against the contract. */
  private readonly checkAnswers = process.env['VERSICLE_CHECK_ANSWERS'] === '1';

  on<N extends RouteName>(name: N, handler: Handler<N>): void {
    this.serve(name, handler, false);
  }
  /**
   * A look at the store that says the same to whoever asks: what many ask at a time is answered once for all of them. Not for
   * what asks a system, which may keep its answer for long.
   */
  forAll<N extends RouteName>(name: N, handler: (request: Asked<N>) => Answer<N> | Promise<Answer<N>>): void {
    this.serve(name, handler, true);
  }
  private serve<N extends RouteName>(name: N, handler: Handler<N>, isForAll: boolean): void {
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
      // Told before anything is made for all: one who can't say who they are spoils nobody else's answer.
      const who = whoAsks(req, gone.signal);
      const make = async (): Promise<string> => {
        const answer = await handler(asked, who);
        const json = answer instanceof Written ? answer.json : await write(answer);
        return this.checkAnswers ? JSON.stringify(route.response.parse(JSON.parse(json))) : json;
      };
      const text = await (isForAll ? this.gathered.ask(req.originalUrl, make) : make());
      if (!gone.signal.aborted) res.set('Cache-Control', 'no-store').type('json').send(text);
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
