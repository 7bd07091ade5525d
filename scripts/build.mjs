import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';
import { bundle, bundleCompiled, sourcesOf, whenChanged } from './bundle.mjs';
import { ensureInstalled, fail, root } from './setup.mjs';
import { copyTranslations, WORDS } from './words.mjs';

/** The server and its worker threads. */
export async function buildServer() {
  const output = join(root, 'packages/server/dist/main.js');
  const sources = sourcesOf(
    'packages/core/src',
    'packages/contract/src',
    'packages/files/src',
    'packages/postgres/src',
    'packages/source-sets/src',
    'packages/store/src',
    'packages/server/src',
    // How they are put together.
    'scripts',
  );
  await whenChanged('server', sources, output, () =>
    bundleCompiled(
      {
        main: 'packages/server/src/main.ts',
        'pglite-worker': 'packages/postgres/src/pglite/pglite-worker.ts',
        'look-worker': 'packages/server/src/looks/look-worker.ts',
        'map-worker': 'packages/server/src/engine/map-worker.ts',
        'share-worker': 'packages/server/src/engine/share-worker.ts',
        'profile-worker': 'packages/server/src/profiles/profile-worker.ts',
        'trial-worker': 'packages/server/src/trials/trial-worker.ts',
        'share-out-worker': 'packages/server/src/plans/share-out-worker.ts',
        'profile-part-worker': 'packages/server/src/profiles/profile-part-worker.ts',
        'source-set-worker': 'packages/server/src/source-sets/source-set-worker.ts',
      },
      'packages/server/dist',
    ),
  );
}

export async function buildStandins() {
  const output = join(root, 'packages/standins/dist/standins.mjs');
  await whenChanged('standins', sourcesOf('packages/standins/src'), output, () =>
    bundle({ entry: 'packages/standins/src/bin.ts', outfile: 'packages/standins/dist/standins.mjs' }),
  );
}

export async function buildWeb() {
  const output = join(root, 'packages/web/dist/browser/index.html');
  const settings = [
    'packages/web/angular.json',
    'packages/web/tsconfig.json',
    'packages/web/tsconfig.app.json',
    'packages/web/package.json',
    'scripts/build.mjs',
  ].map((f) => join(root, f));
  const sources = [
    ...sourcesOf(
      'packages/core/src',
      'packages/contract/src',
      'packages/web/src',
      'packages/web/public',
      WORDS,
      'docs/guide',
      'docs/screenshots',
    ),
    ...settings,
  ];
  await whenChanged('web', sources, output, async () => {
    process.stderr.write('Building the pages (half a minute, once) …\n');
    const env = { ...process.env, NG_CLI_ANALYTICS: 'false' };
    const result = spawnSync('npx', ['ng', 'build', '--configuration', 'production'], {
      cwd: join(root, 'packages/web'),
      stdio: ['ignore', 'pipe', 'inherit'],
      env,
      encoding: 'utf8',
    });
    if (result.status !== 0) {
      process.stderr.write(result.stdout ?? '');
      fail('The pages could not be built; see the messages above.');
    }
    preloadAll(output);
    copyGuide(dirname(output));
    copyTranslations(output);
    await compress(dirname(output));
  });
}

/**
 * All that the first script imports is asked for at once, not only the ten files that the builder names; and what Today imports
 * besides is kept for the server (today.json), which tells whoever opens that page.
 */
function preloadAll(index) {
  const directory = dirname(index);
  let wanted = new Set();
  const follow = (name) => {
    if (wanted.has(name)) return;
    wanted.add(name);
    const code = readFileSync(join(directory, name), 'utf8');
    for (const [, from] of code.matchAll(/\bimport(?:\{[^}]*\}from)?"\.\/([\w-]+\.js)"/g)) follow(from);
  };
  const html = readFileSync(index, 'utf8');
  for (const [, name] of html.matchAll(/<script src="([\w-]+\.js)" type="module">/g)) follow(name);
  const links = [...wanted]
    .filter((name) => !html.includes(`"${name}"`))
    .map((name) => `<link rel="modulepreload" href="${name}">`);
  if (wanted.size === 0) fail('The first page has no script; the builder writes it otherwise than before.');
  writeFileSync(index, html.replace(/(?=<script src=)/, links.join('')));
  const first = wanted;
  const [main] = [...first].filter((name) => name.startsWith('main-'));
  const today = /\bimport\("\.\/([\w-]+\.js)"\)\.then\(\w+=>\w+\.todayRoutes\)/.exec(
    readFileSync(join(directory, main), 'utf8'),
  );
  if (today === null) fail('Today is not opened by the first script; the builder writes it otherwise than before.');
  wanted = new Set(first);
  follow(today[1]);
  writeFileSync(join(directory, 'today.json'), JSON.stringify([...wanted].filter((name) => !first.has(name))));
}

/** Help shows the guide as it stands in docs, with its pictures. */
function copyGuide(directory) {
  for (const [from, to] of [
    ['docs/guide', 'guide'],
    ['docs/screenshots', 'guide/pictures'],
  ]) {
    mkdirSync(join(directory, to), { recursive: true });
    for (const name of readdirSync(join(root, from))) copyFileSync(join(root, from, name), join(directory, to, name));
  }
}

/** Beside each file that gets smaller by it, the same compressed: browsers are sent that one. */
async function compress(directory) {
  for (const name of readdirSync(directory, { recursive: true })) {
    if (!/\.(js|css|html|svg|json|md)$/.test(name)) continue;
    const path = join(directory, name);
    const content = readFileSync(path);
    if (content.length < 1024) continue;
    const params = { [constants.BROTLI_PARAM_SIZE_HINT]: content.length };
    writeFileSync(`${path}.br`, await promisify(brotliCompress)(content, { params }));
    writeFileSync(`${path}.gz`, await promisify(gzip)(content, { level: 9 }));
  }
}

/** What the tests of servers start. */
async function buildServers() {
  await buildServer();
  await buildStandins();
}

export async function buildAll() {
  await buildServers();
  await buildWeb();
}

if (process.argv[1] === join(root, 'scripts/build.mjs')) {
  ensureInstalled();
  // All of it, or only what is named.
  const build = { undefined: buildAll, server: buildServers, pages: buildWeb }[process.argv[2]];
  await (build ?? fail('Say `server`, `pages`, or nothing for all.'))();
}
