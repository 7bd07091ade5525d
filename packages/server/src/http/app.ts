import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { openApi } from '@versicle/contract';
import { Fault, isFault, notFound } from '@versicle/core';
import express, { type ErrorRequestHandler, type Express } from 'express';
import { rateLimit } from 'express-rate-limit';
import expressStaticGzip from 'express-static-gzip';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { keyGuard } from '../api-keys/guard.ts';
import { apiKeyRoutes } from '../api-keys/routes.ts';
import { calendarRoutes } from '../calendars/routes.ts';
import { notificationRoutes } from '../notifications/routes.ts';
import { failureRoutes } from '../failures/routes.ts';
import { mappingRoutes, workbookFiles } from '../mappings/routes.ts';
import { planRoutes } from '../plans/routes.ts';
import { filterRoutes } from '../filters/routes.ts';
import { profileRoutes } from '../profiles/routes.ts';
import { finderRoutes } from '../finder/routes.ts';
import { runRoutes } from '../runs/routes.ts';
import type { Services } from '../services.ts';
import { backupFile, storeRoutes } from '../store/routes.ts';
import { structureRoutes } from '../structures/routes.ts';
import { hooks } from './hooks.ts';
import { signInRoutes } from '../systems/sign-in.ts';
import { systemRoutes } from '../systems/routes.ts';
import { todayRoutes } from '../today/routes.ts';
import { codeFiles, codeRoutes } from '../codes/routes.ts';
import { keyMapRoutes } from '../key-maps/routes.ts';
import { foreignRoutes } from '../foreign/routes.ts';
import { starterRoutes } from '../starters/routes.ts';
import { sourceSetRoutes } from '../source-sets/routes.ts';
import { logFiles } from '../runs/run-log.ts';
import { workerRoutes } from '../workers/routes.ts';
import { trialFiles, trialRoutes } from '../trials/routes.ts';
import { waitingRoutes } from '../waiting/routes.ts';
import { Api } from './api.ts';
import { PROBLEMS } from './problem.ts';
import { gate } from './who.ts';

export interface AppOptions {
  readonly version: string;
  readonly host: string;
  /** The host of the proxy before it, with its port where it is not the usual one. */
  readonly publicHost: string | null;
  /** The built page. */
  readonly pages: string;
  readonly log: Logger;
}

export function makeApp(services: Services, { version, host, publicHost, pages, log }: AppOptions): Express {
  const app = express();
  app.disable('x-powered-by');
  // What the API answers is kept by nobody; pages have marks of their own.
  app.disable('etag');
  app.use(contentPolicy());
  // Whoever may send is told by the signature, not by where they are.
  app.use(hooks(services));
  app.use(gate(host, publicHost));
  app.use(
    '/api',
    rateLimit({
      windowMs: 10_000,
      limit: 3000,
      standardHeaders: 'draft-8',
      legacyHeaders: false,
      // Of a proxy's headers none is believed: people behind one share what may be asked.
      // Who is gone before being looked at (ip) is answered by nobody, and no fault.
      validate: { xForwardedForHeader: false, forwardedHeader: false, ip: false },
      handler: (_req, _res, next) =>
        next(new Fault('too often', 'More than 3,000 requests in ten seconds; wait a moment.')),
    }),
  );
  app.use('/api', keyGuard(services.apiKeys));
  app.use('/api', express.json({ limit: '32mb' }));
  const api = new Api();
  api.on('health', async () => {
    await services.db.query('SELECT 1');
    return { ok: true, version };
  });
  api.on('session', (_asked, who) => ({
    person: who.person,
    workspace: process.env['VERSICLE_WORKSPACE'] ?? 'My workspace',
    environment: process.env['VERSICLE_ENVIRONMENT'] ?? 'Local',
  }));
  for (const register of [
    todayRoutes,
    systemRoutes,
    structureRoutes,
    filterRoutes,
    profileRoutes,
    mappingRoutes,
    trialRoutes,
    sourceSetRoutes,
    codeRoutes,
    keyMapRoutes,
    starterRoutes,
    foreignRoutes,
    planRoutes,
    apiKeyRoutes,
    calendarRoutes,
    notificationRoutes,
    runRoutes,
    failureRoutes,
    waitingRoutes,
    storeRoutes,
    workerRoutes,
    finderRoutes,
  ])
    register(api, services);
  api.requireComplete();
  app.get('/api/openapi.json', (_req, res) => void res.json(openApi(version)));
  app.get('/api/events', (_req, res) => services.events.add(res));
  app.use('/api', trialFiles(services.trials));
  app.use('/api', workbookFiles(services));
  app.use('/api', codeFiles(services));
  app.use('/api', logFiles(services.db));
  app.use('/api', backupFile(services));
  app.use('/api', api.router);
  app.use('/api', (req) => {
    throw notFound(`There is nothing at ${req.method} /api${req.path}; /api/openapi.json lists what there is.`);
  });
  app.use(signInRoutes(services.signIn));
  servePages(app, pages);
  app.use(problems(log));
  return app;
}

/** Nothing but whether it is well: who only carries runs out serves no pages. */
export function makeHealthApp(
  { db }: Pick<Services, 'db'>,
  { version, log }: Pick<AppOptions, 'version' | 'log'>,
): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(contentPolicy());
  app.get('/api/health', async (_req, res) => {
    await db.query('SELECT 1');
    res.json({ ok: true, version });
  });
  app.use(() => {
    throw notFound('This process carries runs out and serves no pages (VERSICLE_WORK=runs); ask one that does.');
  });
  app.use(problems(log));
  return app;
}

/** Nothing but the addresses of webhooks. */
export function makeHooksApp(services: Services, log: Logger): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(contentPolicy());
  app.use(hooks(services));
  app.use(() => {
    throw notFound('Only deliveries to webhooks are taken here.');
  });
  app.use(problems(log));
  return app;
}

function contentPolicy(): express.RequestHandler {
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'self'"],
        scriptSrc: ["'self'"],
        workerSrc: ["'self'"],
        // Angular and the editor put their components' styles into the page as it goes; scripts never.
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:'],
        fontSrc: ["'self'"],
        connectSrc: ["'self'"],
        objectSrc: ["'none'"],
        baseUri: ["'self'"],
        formAction: ["'self'"],
        frameAncestors: ["'none'"],
      },
    },
    strictTransportSecurity: false,
  });
}

/** The built page; unknown addresses outside /api get its index, so that every view can be opened by its link. */
function servePages(app: Express, pages: string): void {
  const index = join(pages, 'index.html');
  const ofToday = preloadsOfToday(pages);
  app.use((req, _res, next) => {
    if (!isDecodable(req.path))
      throw new Fault(
        'not understood',
        'The address is not well written: a % stands without the character that it should encode.',
      );
    next();
  });
  app.use(
    // What was compressed when it was built is sent so.
    expressStaticGzip(pages, {
      enableBrotli: true,
      orderPreference: ['br', 'gz'],
      index: false,
      serveStatic: {
        setHeaders: (res, path) =>
          void res.setHeader(
            'Cache-Control',
            /-[A-Z0-9]{8}\.|\.woff2$/.test(path) ? 'public, max-age=31536000, immutable' : 'no-cache',
          ),
      },
    }),
  );
  app.get(/.*/, (req, res, next) => {
    if (/\.\w{1,5}$/.test(req.path)) return next(notFound('There is no such file.'));
    if (!existsSync(index)) return next(new Fault('unavailable', 'The page has not been built; run npm run build.'));
    if (/^\/(today)?$/.test(req.path)) res.set('Link', ofToday);
    res.set('Cache-Control', 'no-cache').sendFile(index);
  });
}

/** Today's code and figures come with the first script instead of after it. Which files that are, the build has written down. */
function preloadsOfToday(pages: string): string {
  const path = join(pages, 'today.json');
  const names = existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as string[]) : [];
  return [
    '</api/today>; rel=preload; as=fetch; crossorigin',
    ...names.map((name) => `</${name}>; rel=modulepreload`),
  ].join(', ');
}

function isDecodable(path: string): boolean {
  try {
    decodeURIComponent(path);
    return true;
  } catch {
    return false;
  }
}

function problems(log: Logger): ErrorRequestHandler {
  return (error: unknown, req, res, next) => {
    if (res.headersSent) return next(error);
    // Nobody waits for it any more, and so it was given up.
    if (res.closed && (error as Error).name === 'AbortError') return;
    const fault = asFault(error);
    const [status, title] = fault === null ? OURS : PROBLEMS[fault.code];
    if (status >= 500) log.error({ err: error, method: req.method, path: req.path }, 'request failed');
    res
      .status(status)
      .type('application/problem+json')
      .send(
        JSON.stringify({
          type: 'about:blank',
          title,
          status,
          detail: fault?.message ?? UNEXPECTED,
          ...(fault && fault.details.length > 0 ? { faults: fault.details } : {}),
        }),
      );
  };
}

const OURS = [500, 'A fault of Versicle'] as const;
const UNEXPECTED =
  'Something went wrong inside Versicle; the server’s log says what. What you were doing was not carried out.';

/** What people may see of an error; null for what nobody expected. */
function asFault(error: unknown): Fault | null {
  if (isFault(error)) return error;
  const { type, status } = error as { type?: string; status?: number };
  if (type === 'entity.too.large') return new Fault('too large', 'The request is larger than 32 MB.');
  if (type === 'entity.parse.failed') return new Fault('not understood', 'The body of the request is not JSON.');
  if (status !== undefined && status >= 400 && status < 500)
    return new Fault('not understood', (error as Error).message);
  return null;
}
