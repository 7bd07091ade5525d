import type { Tell } from './runs/run-log.ts';
import { Fault, isFault } from '@versicle/core';
import { keepFileThreadsAwake } from '@versicle/files';
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
import { Runs } from './runs/runs.ts';
import { Filters } from './filters/filters.ts';
import { Foreign } from './foreign/foreign.ts';
import { Failures } from './failures/failures.ts';
import type { Database, ServerAddress } from '@versicle/postgres';
import { makeApp, makeHealthApp, makeHooksApp } from './http/app.ts';
import { Events } from './http/events.ts';
import { publicAddress } from './http/public-address.ts';
import { Codes } from './codes/codes.ts';
import { Looks } from './looks/looks.ts';
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
import { SourceSets } from './source-sets/source-sets.ts';
import type { SetHome } from '@versicle/source-sets';
import { folderPlace, installationId, LEASE, lockDirectory, openStore, requireNoOthers } from '@versicle/store';
import { keepHouse } from './store/retention.ts';
import { Secrets } from './store/secrets.ts';
import { keepLookSchedules, lookAtAll } from './structures/look-schedule.ts';
import { Structures } from './structures/structures.ts';
import { Readings } from './sources/readings.ts';
import { Starters } from './starters/starters.ts';
import { kinds } from './systems/kinds/index.ts';
import { Listening } from './systems/listening.ts';
import { SignIn } from './systems/sign-in.ts';
import { Systems } from './systems/systems.ts';
import { watchConnections } from './systems/watch.ts';
import { EmbeddedHere, EmbeddedOnServer, type EmbeddedDatabases } from './systems/embedded-databases.ts';
import { EmbeddedHome } from './systems/embedded-home.ts';
import { Trials } from './trials/trials.ts';
import { Duties } from './workers/duties.ts';
import { Peers } from './workers/peers.ts';
import { sessionsOf, THIS_PROCESS } from './workers/this-process.ts';
import { Workers, type ThisWorker, type Work } from './workers/workers.ts';
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
  keepFileThreadsAwake();
  const work = workOf(process.env['VERSICLE_WORK'] ?? 'all');
  const port = portNumber(process.env['VERSICLE_PORT'] ?? '4170');
  requireThisMachine(host);
  const proxy = publicAddress(process.env['VERSICLE_ADDRESS']);
  requireDirectory(data);
  await lockDirectory(data);
  // The port is taken before the store is open; what is asked meanwhile waits for its answer.
  let ready: (app: Express) => void = () => undefined;
  const app = new Promise<Express>((resolve) => (ready = resolve));
  const server = await listen(
    createServer((req, res) => void app.then((answer) => answer(req, res))),
    port,
  );
  const store = await openStore(
    { url: process.env['DATABASE_URL'] || undefined, directory: join(data, 'store'), template },
    fail,
  );
  const { db, alone } = store;
  if (alone) await findUses(db);
  // What all processes on a store have to reach: the records that one of them fetched, and the key of the secrets.
  const shared = process.env['VERSICLE_SHARED'] || data;
  requireDirectory(shared);
  const installation = await installationId(db);
  if (shared !== data) requireNoOthers(shared, installation);
  const home = folderPlace(data);
  const me: ThisWorker = { id: THIS_PROCESS, work, version: VERSION, place: folderPlace(shared), home };
  const works = work !== 'pages';
  const peers = await Peers.join(me.id, db, store.address);
  const workers = new Workers(db, me, LEASE, () => addressOf(server));
  const events = new Events(() => waitingNow({ db }), peers);
  const secrets = Secrets.open(join(shared, 'key'), process.env['VERSICLE_KEY']);
  await requireSameKey(db, secrets, alone);
  await workers.begin();
  const embedded = await embeddedDatabases(db, store.address, home);
  // Runs look it up themselves.
  secondsOf('VERSICLE_GONE_SECONDS', 300);
  const looks = new Looks({ seconds: secondsOf('VERSICLE_LOOK_SECONDS', 60), megabytes: 300 });
  const systems = new Systems(db, embedded, secrets, kinds, peers, looks);
  const failures = new Failures(db);
  const structures = new Structures(db, systems);
  const landed = join(shared, 'landed');
  const profiles = new Profiles(db, systems, structures, events, landed, me, LEASE, peers, works);
  const sourceSets = new SourceSets(systems, structures, setHome(store.address));
  const keyMaps = new KeyMaps(db, looks);
  const readings = new Readings(db, systems);
  const mappings = new Mappings(db, systems, failures, structures, sourceSets, keyMaps, readings);
  const runs = new Runs(db, events, me, peers);
  const outbox = new Outbox(db, LEASE, me.id);
  const answers = new Answers(db);
  const announce = (run: number): void => {
    runs
      .announceNow(run)
      .catch((error: Error) => log.warn({ error: error.message }, 'pages could not be told of a run'));
  };
  const senders = new Senders({ outbox, runs, systems, answers, leaseSeconds: LEASE }, announce, peers, works);
  const queueHouse = { db, outbox, senders, outageSeconds: OUTAGE_SECONDS };
  const tell: Tell = (run, message, level) => runs.log(run, message, level);
  const otherSteps = new OtherSteps(runs, systems);
  const changes = new Changes(db, systems, tell);
  const carryOut = new CarryOut(
    db,
    runs,
    systems,
    sourceSets,
    readings,
    keyMaps,
    otherSteps,
    changes,
    new CapturedChanges(db, installation, tell),
    new Keep(db, systems),
    landed,
    queueHouse,
    installation,
  );
  const engine = new Engine(runs, systems, carryOut, landed, peers, works);
  const calendars = new Calendars(db);
  const plans = new Plans(db, calendars, systems);
  const notifications = new Notifications(
    db,
    new NotificationSettings(db, secrets, () => proxy?.origin ?? addressOf(server)),
    failures,
  );
  const shareOut = new ShareOut(db, systems, readings, landed, tell);
  const starter: Starter = new Starter(db, plans, runs, engine, () => conductor);
  const over = (run: number): void => {
    followed(run).catch((error: Error) =>
      log.warn({ run, error: error.message }, 'what follows from a run could not be seen to'),
    );
  };
  const conductor: Conductor = new Conductor(db, runs, engine, plans, systems, shareOut, over, peers, works);
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
    storeOnServer: Boolean(process.env['DATABASE_URL']),
    waitingRecords,
    waitingChanges: new WaitingChanges(db, outbox, senders, runs, waitingRecords),
    systems,
    failures,
    structures,
    signIn: new SignIn(db, systems, secrets),
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
    trials: new Trials(db, workers, peers, mappings, systems, sourceSets, keyMaps, events, join(shared, 'trials')),
    peers,
    workers,
    apiKeys: new ApiKeys(db),
    calendars,
    notifications,
    plans,
    starter,
    conductor,
    engine,
    senders,
  };
  services.trials.begin(alone);
  await services.engine.resume(alone);
  // What an earlier process left is removed: others may begin to work beside this one.
  await store.share();
  const options = { version: VERSION, host, publicHost: proxy?.host ?? null, pages, log };
  ready(work === 'runs' ? makeHealthApp(services, options) : makeApp(services, options));
  const hooksServer = work === 'runs' ? null : await listenForHooks(services, log);
  profiles.resume();
  const duties = new Duties(db, me.id, LEASE);
  const isQuiet = quietOf([server, hooksServer], services);
  const stopWork = works ? keepWork(services, duties, followed, isQuiet, me.id) : () => Promise.resolve();
  closeOnSignals(server, services, () => {
    hooksServer?.close();
    return stopWork();
  });
  process.stdout.write(`Versicle is at ${addressOf(server)}\n`);
}

/** Milliseconds after a request or a run in which more is likely to follow. */
const QUIET_AFTER = 10_000;
/** Whether nothing goes on, as far as this process knows: where others may work on the store, it doesn't. */
function quietOf(servers: readonly (Server | null)[], { engine, storeOnServer }: Services): () => boolean {
  let last = performance.now();
  for (const server of servers) server?.on('request', () => (last = performance.now()));
  return () => {
    if (engine.isBusy) last = performance.now();
    return !storeOnServer && performance.now() - last > QUIET_AFTER;
  };
}

/** What is seen to again and again without anybody asking. Gives the way to stop it. */
function keepWork(
  services: Services,
  duties: Duties,
  followed: (run: number) => Promise<void>,
  isQuiet: () => boolean,
  me: string,
): () => Promise<unknown> {
  const { db, systems, events, engine, structures, profiles } = services;
  const systemsAreMine = (): Promise<boolean> => duties.holds('systems');
  // An embedded database is seen to by the process that has it.
  const seesTo = async (system: string): Promise<boolean> => {
    const standing = await systems.standing(system);
    return standing === 'here' || (standing === 'anywhere' && (await systemsAreMine()));
  };
  const listening = new Listening(db, systems, events, log, me);
  const stopPlans = keepPlans(services, () => duties.holds('plans'), followed, isQuiet, log);
  const stopKeeping = keepHouse(db, log, () => duties.holds('house'));
  const minutes = Number(process.env['VERSICLE_CHECK_MINUTES'] ?? 5);
  const stopWatching = minutes > 0 ? watchConnections(systems, events, log, minutes * 60_000, seesTo) : () => undefined;
  const every = (ms: number, work: () => Promise<void>, complaint: string): NodeJS.Timeout => {
    const round = async (): Promise<void> => {
      if (await systemsAreMine()) await work();
    };
    const timer = setInterval(() => {
      round().catch((error: Error) => log.warn({ error: error.message }, complaint));
    }, ms);
    timer.unref();
    return timer;
  };
  const takeUp = every(30_000, () => engine.takeUpAfterOutage(), 'runs could not be taken up');
  const tidying = every(
    TIDY_CAPTURES,
    () => tidyCaptures(db, (dataset) => systems.openDataset(dataset)),
    'what systems write down could not be looked after',
  );
  const stopLooking = keepLookSchedules(
    db,
    (system) => lookAtAll(structures, profiles, system, true),
    log,
    Number(process.env['VERSICLE_SCHEDULE_SECONDS'] ?? 30) * 1000,
    seesTo,
  );
  return async () => {
    clearInterval(takeUp);
    clearInterval(tidying);
    stopKeeping();
    stopWatching();
    stopLooking();
    await Promise.all([listening.close(), stopPlans()]);
    // Where the store is away, they are free when their time is over.
    await duties.release().catch(() => undefined);
  };
}

/** Milliseconds between looks after what systems write down of their changes. */
const TIDY_CAPTURES = Number(process.env['VERSICLE_TIDY_SECONDS'] ?? 60) * 1000;

const addressOf = (server: Server): string => `http://${host}:${(server.address() as { port: number }).port}`;

/** Where the databases lie that Versicle keeps itself. */
/** Where source sets are composed: where the embedded databases lie. */
function setHome(server: ServerAddress | null): SetHome {
  return server !== null && process.env['VERSICLE_EMBEDDED'] === 'server'
    ? { kind: 'server', address: server, sessions: sessionsOf(THIS_PROCESS) }
    : { kind: 'here', template: template ?? null };
}
async function embeddedDatabases(db: Database, server: ServerAddress | null, home: string): Promise<EmbeddedDatabases> {
  const directory = join(data, 'databases');
  const where = process.env['VERSICLE_EMBEDDED'] || 'here';
  if (where !== 'here' && where !== 'server')
    throw new Fault('start', `VERSICLE_EMBEDDED is here or server, not “${where}”.`);
  if (where === 'server') {
    if (server !== null) return EmbeddedOnServer.begin(db, server, directory);
    throw new Fault('start', 'VERSICLE_EMBEDDED=server needs a store on a server: say which one with DATABASE_URL.');
  }
  await EmbeddedHome.requireHere(db);
  if (server === null) return new EmbeddedHere(directory, template);
  const owned = new EmbeddedHome(db, home, directory);
  await owned.begin();
  return new EmbeddedHere(directory, template, owned);
}

/** What this process does of all that there is to do. */
/** A setting in seconds. Throws a fault. */
function secondsOf(name: string, usual: number): number {
  const text = process.env[name];
  if (text === undefined || text === '') return usual;
  const seconds = Number(text);
  if (seconds > 0 && seconds <= 86_400) return seconds;
  throw new Fault('start', `${name} is a number of seconds, up to a day, not “${text}”.`);
}

function workOf(text: string): Work {
  if (text === 'pages' || text === 'runs' || text === 'all') return text;
  throw new Fault('start', `VERSICLE_WORK is pages, runs or all, not “${text}”.`);
}

/** Secrets are kept once for all processes: one with another key could read none of them, and would keep its own. */
async function requireSameKey(db: Database, secrets: Secrets, alone: boolean): Promise<void> {
  const [row] = await db.query<{ value: string }>("SELECT value FROM house WHERE name = 'key'");
  if (row && secrets.opens(row.value, 'key')) return;
  if (row && !alone)
    throw new Fault(
      'start',
      'This process has another key than the others that work on the store, so it could not read what they keep under lock. Give all of them the same VERSICLE_KEY, or one folder with the key in it (VERSICLE_SHARED).',
    );
  // A key that was lost: what it locked up has to be given anew, as the systems' pages say.
  await db.query(
    "INSERT INTO house (name, value) VALUES ('key', $1) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value",
    [secrets.seal('this is the key', 'key')],
  );
}

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
  { engine, conductor, senders, profiles, trials, events, systems, peers, workers, db }: Services,
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
    await systems.looks.close();
    await workers.end().catch(() => undefined);
    await peers.close();
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
