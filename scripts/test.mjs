import { spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statfsSync } from 'node:fs';
import { join, relative } from 'node:path';
import { chromiumHere } from './chromium.mjs';
import { ensureInstalled, fail, root } from './setup.mjs';

/** `npm test`: installs what is missing, then lint, types, unit and integration tests, browser tests; ends with the sum. */
ensureInstalled();
const reports = join(root, '.cache/reports');
rmSync(reports, { recursive: true, force: true });
mkdirSync(reports, { recursive: true });
const bin = (name) => join(root, 'node_modules/.bin', name);
const memory = folderInMemory();
if (memory !== null) process.env.TMPDIR = memory;
const sum = { passed: 0, failed: 0 };
/** What failed, by name: told again at the end, where it is looked for. */
const failures = [];
let updated = false;
const started = Date.now();

/** Ends with whether it went well. `say`: what it says is heard at once; otherwise as a whole, when it is over. */
function run(command, args, { say = false, env = {} } = {}) {
  const pieces = [];
  const child = spawn(command, args, {
    cwd: root,
    stdio: ['ignore', ...(say ? ['inherit', 'inherit'] : ['pipe', 'pipe'])],
    env: { ...process.env, ...env },
  });
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (piece) => pieces.push(piece));
  return new Promise((resolve) => {
    child.on('error', (error) => {
      pieces.push(Buffer.from(`${error.message}\n`));
      resolve({ well: false, said: Buffer.concat(pieces) });
    });
    child.on('close', (status) => resolve({ well: status === 0, said: Buffer.concat(pieces) }));
  });
}
async function step(name, command, args, env) {
  process.stdout.write(`\n── ${name}\n`);
  return (await run(command, args, { say: true, env })).well;
}
/** Steps that count as one test each, one after the other. */
async function check(steps) {
  for (const [name, command, args] of steps) {
    const { well, said } = await run(command, args);
    process.stdout.write(`\n── ${name}\n${said}`);
    if (well) sum.passed++;
    else {
      sum.failed++;
      failures.push(name);
      process.stdout.write(`${name}: failed\n`);
    }
  }
}
/** As `check`, with what the tests leave of the cores: those wait now and then, and nobody waits for these. */
const checkMeanwhile = (steps) =>
  check(steps.map(([name, command, args]) => [name, 'nice', ['-n', '19', command, ...args]]));

await ensurePostgres();
// Needed last: found or refused at once, but installed meanwhile.
const chromium = ensureChromium();
const script = (name) => join(root, 'scripts', name);
await check([['build of the server', process.execPath, [script('build.mjs'), 'server']]]);
// Their compiler uses one core for a good part of its time; only browser tests need them.
const pages = check([['build of the pages', process.execPath, [script('build.mjs'), 'pages']]]);
const meanwhile = pages.then(() =>
  checkMeanwhile([
    ['lint', bin('eslint'), ['.']],
    ['no promise that nobody waits for', bin('oxlint'), ['--type-aware', '.']],
    ['types', process.execPath, [script('typecheck.mjs')]],
    ['format', bin('prettier'), ['--check', '--log-level', 'warn', '.']],
    ['no circles of imports', process.execPath, [script('circles.mjs')]],
    ['JSON Schema of the document is current', process.execPath, [script('schema.mjs'), '--check']],
  ]),
);
const unit = join(reports, 'unit.json');
const homes = process.env.VERSICLE_HOMES ?? String(Math.floor(Math.random() * 2 ** 31));
process.stdout.write(`\nWhere the stores of tests are was drawn by VERSICLE_HOMES=${homes}.\n`);
const unitRan = await step(
  'unit and integration tests',
  process.execPath,
  [
    // Databases of tests live for seconds, too short to gain by being compiled better.
    '--wasm-tiering-budget=30000000',
    bin('jest'),
    '--json',
    `--outputFile=${unit}`,
    // More than there are cores: tests wait for their servers a good part of the time.
    '--maxWorkers=3',
  ],
  { VERSICLE_HOMES: homes },
);
count(existsSync(unit) ? JSON.parse(readFileSync(unit, 'utf8')) : null, unitRan, (r) => [
  r.numPassedTests,
  r.numFailedTests + r.numRuntimeErrorTestSuites,
  r.testResults.flatMap(failedOfSuite),
]);
await pages;
const program = await chromium;
if (program) {
  const browser = join(reports, 'browser.json');
  const browserRan = await step(
    'browser tests',
    bin('playwright'),
    ['test', '--config', join(root, 'e2e/playwright.config.ts')],
    { E2E_REPORT: browser, CHROMIUM: program },
  );
  count(existsSync(browser) ? JSON.parse(readFileSync(browser, 'utf8')) : null, browserRan, (r) => [
    r.stats.expected,
    r.stats.unexpected + r.errors.length,
    r.suites.flatMap(failedInBrowser),
  ]);
} else count(null, false, null, 'browser tests: Chromium could not be installed with apt-get; see the message above');

await meanwhile;
if (failures.length > 0) process.stdout.write(`\nFailed:\n${failures.map((name) => `  ${name}\n`).join('')}`);
process.stdout.write(
  `\ntook ${Math.round((Date.now() - started) / 1000)} s\n${sum.passed} passed, ${sum.failed} failed\n`,
);
if (memory !== null) rmSync(memory, { recursive: true, force: true });
process.exit(sum.failed === 0 ? 0 : 1);

/** Hundreds of data directories are made and removed: where there is room, in memory. Null: where temporary files lie otherwise. */
function folderInMemory() {
  try {
    const { bavail, bsize } = statfsSync('/dev/shm');
    // What a run left that was killed.
    for (const name of readdirSync('/dev/shm')) {
      const pid = /^versicle-tests-(\d+)-/.exec(name)?.[1];
      if (pid && !existsSync(`/proc/${pid}`)) rmSync(join('/dev/shm', name), { recursive: true, force: true });
    }
    if (bavail * bsize < 6e9) return null;
    const folder = mkdtempSync(`/dev/shm/versicle-tests-${process.pid}-`);
    // Debian's PostgreSQL server runs as a user of its own.
    chmodSync(folder, 0o1777);
    return folder;
  } catch {
    return null;
  }
}

function count(report, ran, read, missing = 'a report that was not written') {
  const [passed, failed, names] = report === null ? [0, 1, [missing]] : read(report);
  failures.push(...names);
  sum.passed += passed;
  // A runner that fails without a failed test (no test found, a crash) is a failure all the same.
  sum.failed += ran || failed > 0 ? failed : 1;
}

function failedOfSuite({ name, status, assertionResults }) {
  const place = relative(root, name);
  const failed = assertionResults.filter((test) => test.status === 'failed').map((test) => test.fullName);
  if (failed.length === 0 && status === 'failed') return [place];
  return failed.map((test) => `${place}: ${test}`);
}
function failedInBrowser({ file, suites = [], specs = [] }) {
  const failed = specs.filter((spec) => !spec.ok).map((spec) => `e2e/${file}: ${spec.title}`);
  return [...failed, ...suites.flatMap(failedInBrowser)];
}

/** Debian's PostgreSQL server, for the tests of that kind of system; without it they are left out, and that is said. */
async function ensurePostgres() {
  if (existsSync('/usr/lib/postgresql')) return;
  if (canInstall()) {
    process.stdout.write('Installing the PostgreSQL server …\n');
    if (await apt('install', '--no-install-recommends', 'postgresql')) return;
  }
  process.stdout.write(
    'There is no PostgreSQL server here (on Debian: apt-get install postgresql); its tests are left out.\n',
  );
}

function canInstall() {
  return process.getuid?.() === 0 && existsSync('/usr/bin/apt-get');
}
async function apt(...args) {
  const well = async (...all) => {
    const env = { DEBIAN_FRONTEND: 'noninteractive' };
    const ended = await run('apt-get', ['-qq', '-y', '-o', 'DPkg::Lock::Timeout=120', ...all], { env });
    if (!ended.well) process.stderr.write(ended.said);
    return ended.well;
  };
  if (!updated) await well('update');
  updated = true;
  return well(...args);
}

async function ensureChromium() {
  const found = () => {
    const known = chromiumHere();
    return known !== undefined && existsSync(known) ? known : undefined;
  };
  if (found()) return found();
  if (!canInstall() || process.env.CHROMIUM)
    fail(
      'The browser tests need Chromium: install it (on Debian: apt-get install chromium), or name its program with CHROMIUM=/path.',
    );
  process.stdout.write('Installing Chromium …\n');
  // Older Debians have only the whole one.
  if (!(await apt('install', '--no-install-recommends', 'chromium-headless-shell'))) await apt('install', 'chromium');
  return found();
}
