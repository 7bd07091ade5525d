import type { Tell } from './runs/run-log.ts';
import { Fault, isFault } from '@versicle/core';
import { accessSync, constants, existsSync, mkdirSync, statSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Express } from 'express';
import { pino } from 'pino';
import { ApiKeys } from './api-keys/api-keys.ts';
import { Calendars } from './calendars/calendars.ts';
import { Notifications } from './notifications/notifications.ts';
import { NotificationSettings } from './notifications/setting.ts';
import { CapturedChanges, tidyCaptures } from './engine/changes/captured.ts';
import { Changes } from './engine/changes/changes.ts';
import { CarryOut, OUTAGE_SECONDS } from './engine/carry-out.ts';
import { Engine } from './engine/engine.ts';
import { Keep } from './engine/keep.ts';
import { OtherSteps } from './engine/other-steps.ts';
import { Answers } from './engine/lanes/queue/answers.ts';
import { Outbox } from './engine/lanes/queue/outbox.ts';
import { Senders } from './engine/lanes/queue/senders.ts';
import { LEASE, Runs } from './runs/runs.ts';
import { Filters } from './filters/filters.ts';
import { Foreign } from './foreign/foreign.ts';
import { Failures } from './failures/failures.ts';
import { makeApp, makeHooksApp } from './http/app.ts';
import { Events } from './http/events.ts';
import { Codes } from './codes/codes.ts';
import { KeyMaps } from './key-maps/key-maps.ts';
import { Mappings } from './mappings/mappings.ts';
import { findUses } from './mappings/uses.ts';
import { Workbooks } from './mappings/workbooks.ts';
import { settleArrived } from './plans/arrivals.ts';
import { keepPlans } from './plans/clock.ts';
import { Conductor } from './plans/conductor.ts';
import { follow } from './plans/follow.ts';
import { Plans } from './plans/plan-store.ts';
import { ShareOut } from './plans/share-out.ts';
import { Starter } from './plans/starter.ts';
import { Profiles } from './profiles/profiles.ts';
import type { Services } from './services.ts';
import { lockDirectory } from './store/lock.ts';
import { migrate } from './store/migrate.ts';
import { SourceSets } from './source-sets/source-sets.ts';
import { PgliteDatabase } from '@versicle/postgres';
import { installationId } from './store/house.ts';
import { keepHouse } from './store/retention.ts';
import { Secrets } from './store/secrets.ts';
import { makeStore } from './store/store-template.ts';
import { keepLookSchedules, lookAtAll } from './structures/look-schedule.ts';
import { Structures } from './structures/structures.ts';
import { Starters } from './starters/starters.ts';
import { kinds } from './systems/kinds/index.ts';
import { Listening } from './systems/listening.ts';
import { SignIn } from './systems/sign-in.ts';
import { Systems } from './systems/systems.ts';
import { watchConnections } from './systems/watch.ts';
import { Trials } from './trials/trials.ts';
import { WaitingChanges } from './waiting/change-waiting.ts';
import { WaitingRecords } from './waiting/waiting-records.ts';
import { waitingNow } from './today/today.ts';

const VERSION = '0.1.0';
const here = fileURLToPath(new URL('.', import.meta.url));
const host = process.env['VERSICLE_HOST'] ?? '127.0.0.1';
const data = process.env['VERSICLE_DATA'] ?? join(process.cwd(), 'data');
const pages = process.env['VERSICLE_PAGES'] ?? join(here, '../../web/dist/browser');
const template = process.env['VERSICLE_TEMPLATE'];
const log = pino({ level: process.env['VERSICLE_LOG'] ?? 'warn' });

async function start(): Promise<void> {
  const port = portNumber(process.env['VERSICLE_PORT'] ?? '4170');
  requireThisMachine(host);
  requireDirectory(data);
  await lockDirectory(data);
  // The port is taken before the store is open; what is asked meanwhile waits for its answer.
  let ready: (app: Express) => void = () => undefined;
  const app = new Promise<Express>((resolve) => (ready = resolve));
  const server = await listen(
    createServer((req, res) => void app.then((answer) => answer(req, res))),
    port,
  );
  const store = join(data, 'store');
  if (template !== undefined) await makeStore(store, template);
  const db = await PgliteDatabase.open(store, { template, trigrams: true });
  db.died = () =>
    fail(
      new Fault(
        'start',
        'The store’s own thread ended unexpectedly; start Versicle again. Runs go on where they were.',
      ),
    );
  await migrate(db);
  await findUses(db);
  const events = new Events(() => waitingNow({ db }));
  const secrets = Secrets.open(join(data, 'key'), process.env['VERSICLE_KEY']);
  const systems = new Systems(db, join(data, 'databases'), template, secrets, kinds);
  const failures = new Failures(db);
  const structures = new Structures(db, systems);
  const profiles = new Profiles(db, systems, structures, events, join(data, 'landed'));
  const sourceSets = new SourceSets(systems, structures, template ?? null);
  const keyMaps = new KeyMaps(db);
  const mappings = new Mappings(db, systems, failures, structures, sourceSets, keyMaps);
  const runs = new Runs(db, events);
  const landed = join(data, 'landed');
  const outbox = new Outbox(db, LEASE);
  await outbox.inherit();
  const answers = new Answers(db);
  const senders = new Senders({ outbox, runs, systems, answers, leaseSeconds: LEASE }, (run) => {
    runs
      .announceNow(run)
      .catch((error: Error) => log.warn({ error: error.message }, 'pages could not be told of a run'));
  });
  const queueHouse = { db, outbox, senders, outageSeconds: OUTAGE_SECONDS };
  const installation = await installationId(db);
  const tell: Tell = (run, message, level) => runs.log(run, message, level);
  const otherSteps = new OtherSteps(runs, systems);
  const changes = new Changes(db, systems, tell);
  const carryOut = new CarryOut(
    db,
    runs,
    systems,
    sourceSets,
    keyMaps,
    otherSteps,
    changes,
    new CapturedChanges(db, installation, tell),
    new Keep(db, systems),
    landed,
    queueHouse,
    installation,
  );
  const engine = new Engine(runs, systems, carryOut, landed);
  const calendars = new Calendars(db);
  const plans = new Plans(db, calendars, systems);
  const notifications = new Notifications(db, new NotificationSettings(db, secrets, () => addressOf(server)), failures);
  const shareOut = new ShareOut(db, systems, landed, tell);
  const starter: Starter = new Starter(db, plans, runs, engine, () => conductor);
  const conductor: Conductor = new Conductor(db, runs, engine, plans, systems, shareOut, (run) => {
    followed(run).catch((error: Error) =>
      log.warn({ run, error: error.message }, 'what follows from a run could not be seen to'),
    );
  });
  const followed = (run: number): Promise<void> =>
    follow(
      db,
      starter,
      (id) => conductor.look(id),
      // What can't be moved is told in the run; what follows from its end does not wait for that.
      // What can't be told is logged; what follows from the end of a run does not wait for that.
      (id) =>
        notifications
          .ended(id)
          .catch((error: Error) => log.warn({ run: id, error: error.message }, 'nobody could be told of a run')),
      (id) =>
        settleArrived(db, systems, id, (message) => runs.log(id, message, 'warning')).catch((error: Error) =>
          runs.log(id, `what had arrived could not be settled: ${error.message}`, 'warning'),
        ),
      run,
    );
  runs.moved = (run) => conductor.moved(run);
  const waitingRecords = new WaitingRecords(db);
  const services: Services = {
    db,
    waitingRecords,
    waitingChanges: new WaitingChanges(db, outbox, senders, runs, waitingRecords),
    systems,
    failures,
    structures,
    signIn: new SignIn(systems),
    profiles,
    events,
    sourceSets,
    codes: new Codes(db, systems, mappings),
    keyMaps,
    filters: new Filters(db, systems),
    foreign: new Foreign(db, systems, structures),
    starters: new Starters(db, systems, structures, mappings),
    mappings,
    workbooks: new Workbooks(mappings, systems),
    trials: new Trials(mappings, systems, sourceSets, keyMaps, events, join(data, 'trials')),
    apiKeys: new ApiKeys(db),
    calendars,
    notifications,
    plans,
    starter,
    conductor,
    engine,
    senders,
  };
  ready(makeApp(services, { version: VERSION, host, pages, log }));
  const hooksServer = await listenForHooks(services, log);
  await services.engine.resume();
  const listening = new Listening(db, systems, events, log);
  const stopPlans = keepPlans(services, followed, log);
  await profiles.resume();
  const stopKeeping = keepHouse(db, log);
  const minutes = Number(process.env['VERSICLE_CHECK_MINUTES'] ?? 5);
  const stopWatching = minutes > 0 ? watchConnections(systems, events, log, minutes * 60_000) : () => undefined;
  const takeUp = setInterval(() => {
    services.engine
      .takeUpAfterOutage()
      .catch((error: Error) => log.warn({ error: error.message }, 'runs could not be taken up'));
  }, 30_000);
  takeUp.unref();
  const tidying = setInterval(() => {
    tidyCaptures(db, (dataset) => systems.openDataset(dataset)).catch((error: Error) =>
      log.warn({ error: error.message }, 'what systems write down could not be looked after'),
    );
  }, TIDY_CAPTURES);
  tidying.unref();
  const stopLooking = keepLookSchedules(
    db,
    (system) => lookAtAll(structures, profiles, system, true),
    log,
    Number(process.env['VERSICLE_SCHEDULE_SECONDS'] ?? 30) * 1000,
  );
  closeOnSignals(server, services, () => {
    hooksServer?.close();
    clearInterval(takeUp);
    clearInterval(tidying);
    stopKeeping();
    stopWatching();
    stopLooking();
    return Promise.all([listening.close(), stopPlans()]);
  });
  process.stdout.write(`Versicle is at ${addressOf(server)}\n`);
}

/** Milliseconds between looks after what systems write down of their changes. */
const TIDY_CAPTURES = Number(process.env['VERSICLE_TIDY_SECONDS'] ?? 60) * 1000;

const addressOf = (server: Server): string => `http://${host}:${(server.address() as { port: number }).port}`;

/** Whoever reaches the server may do everything, since nobody signs in yet: it is for this machine only. */
function requireThisMachine(address: string): void {
  if (/^(localhost|127\.\d+\.\d+\.\d+|::1)$/i.test(address)) return;
  throw new Fault(
    'start',
    `Versicle does not listen on “${address}”: nobody signs in yet, so it answers on this machine only. Leave VERSICLE_HOST out, or set it to 127.0.0.1; webhooks can be taken from elsewhere with VERSICLE_HOOKS_PORT and VERSICLE_HOOKS_HOST.`,
  );
}

/** A port of their own for webhooks, which are told by their signature and may come from anywhere. */
async function listenForHooks(services: Services, logger: typeof log): Promise<Server | null> {
  const port = process.env['VERSICLE_HOOKS_PORT'];
  if (port === undefined || port === '') return null;
  const server = createServer(makeHooksApp(services, logger));
  return listen(server, portNumber(port), process.env['VERSICLE_HOOKS_HOST'] ?? '127.0.0.1');
}

function portNumber(text: string): number {
  const port = Number(text);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new Fault('start', `“${text}” is not a port; VERSICLE_PORT must be a number from 0 to 65535.`);
  return port;
}

function requireDirectory(directory: string): void {
  try {
    makeDirectories(resolve(directory));
    accessSync(directory, constants.R_OK | constants.W_OK | constants.X_OK);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    const why =
      code === 'EEXIST' || code === 'ENOTDIR'
        ? 'it is not a directory'
        : code === 'EACCES' || code === 'EROFS' || code === 'EPERM'
          ? 'it can’t be written to'
          : (error as Error).message;
    throw new Fault(
      'start',
      `Versicle keeps its data in ${directory}, but ${why}. Choose another directory with VERSICLE_DATA.`,
    );
  }
}

/** Level by level: mkdirSync's own recursion never ends below /proc. */
function makeDirectories(directory: string): void {
  if (existsSync(directory)) {
    if (!statSync(directory).isDirectory()) throw Object.assign(new Error(directory), { code: 'ENOTDIR' });
    return;
  }
  makeDirectories(dirname(directory));
  mkdirSync(directory, { mode: 0o700 });
}

/** The port is taken first, so that a second start says so before it waits for the database. */
function listen(server: Server, port: number, address = host): Promise<Server> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      if (error.code === 'EADDRINUSE')
        reject(
          new Fault(
            'start',
            `Port ${port} on ${address} is taken by another program. Stop that one, or choose another port with VERSICLE_PORT.`,
          ),
        );
      else if (error.code === 'EACCES')
        reject(
          new Fault('start', `This user may not listen on port ${port}; choose one above 1023 with VERSICLE_PORT.`),
        );
      else if (error.code === 'EADDRNOTAVAIL' || error.code === 'ENOTFOUND')
        reject(
          new Fault(
            'start',
            `“${address}” is not an address of this machine; set VERSICLE_HOST to one that is, such as 127.0.0.1.`,
          ),
        );
      else reject(error);
    });
    server.listen(port, address, () => resolve(server));
  });
}

function closeOnSignals(
  server: Server,
  { engine, conductor, senders, profiles, trials, events, systems, db }: Services,
  stopWatching: () => Promise<unknown>,
): void {
  let closing = false;
  const close = async (): Promise<void> => {
    if (closing) return;
    closing = true;
    const watched = stopWatching();
    events.close();
    server.close();
    server.closeIdleConnections();
    await watched;
    await conductor.close();
    await Promise.all([engine.close(), senders.close()]);
    await profiles.close();
    await trials.close();
    await systems.close();
    await db.close();
    process.exit(0);
  };
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.on(signal, () => void close().catch((error: Error) => fail(error)));
}

function fail(error: Error): never {
  process.stderr.write(
    isFault(error, 'start') ? `${error.message}\n` : `Versicle can't start: ${error.stack ?? error.message}\n`,
  );
  process.exit(1);
}

// No system that we talk to may end the server, whatever its connection does behind our back.
for (const event of ['unhandledRejection', 'uncaughtException'] as const)
  process.on(event, (error: unknown) => {
    if (isFault(error, 'start')) fail(error);
    log.error({ err: error }, 'something went wrong that nobody waited for');
  });
start().catch(fail);
