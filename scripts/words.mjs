import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/**
 * `npm run words`: all words of the pages into packages/web/words/en, a file for each feature, as `{id: words}`. A translation is
 * a folder beside it (`de`) with the same ids; what it lacks is shown in English, and is said here.
 */
export const WORDS = 'packages/web/words';
export const WRITTEN_IN = 'en';

const folder = (language) => join(root, WORDS, language);
export const languagesOf = () =>
  readdirSync(join(root, WORDS), { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && entry.name !== WRITTEN_IN)
    .map((entry) => entry.name)
    .sort();
/** All of a language, whatever feature they belong to. */
export const wordsOf = (language) =>
  Object.assign(
    {},
    ...readdirSync(folder(language))
      .filter((name) => name.endsWith('.json'))
      .map((name) => JSON.parse(readFileSync(join(folder(language), name), 'utf8'))),
  );

/** The feature that words belong to: the folder of the pages that they stand in; `shared` where several say the same. */
function featureOf(files) {
  const features = new Set(files.map((file) => /src\/app\/([^/]+)\//.exec(file)?.[1] ?? 'shared'));
  return features.size === 1 ? [...features][0] : 'shared';
}

function extract() {
  const directory = mkdtempSync(join(tmpdir(), 'versicle-words-'));
  const result = spawnSync('npx', ['ng', 'extract-i18n', '--format', 'arb', '--output-path', directory], {
    cwd: join(root, 'packages/web'),
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
    encoding: 'utf8',
  });
  if (result.status !== 0) {
    process.stderr.write(`${result.stdout}${result.stderr}`);
    fail('The words could not be gathered; see the messages above.');
  }
  const { '@@locale': _, ...found } = JSON.parse(readFileSync(join(directory, 'messages.arb'), 'utf8'));
  rmSync(directory, { recursive: true });
  const byFeature = new Map();
  for (const [id, words] of Object.entries(found)) {
    if (id.startsWith('@')) continue;
    const places = (found[`@${id}`]?.['x-locations'] ?? []).map(({ file, start }) => ({ file, line: start.line }));
    const feature = featureOf(places.map((place) => place.file));
    if (!byFeature.has(feature)) byFeature.set(feature, []);
    byFeature.get(feature).push({ id, words, ...places[0] });
  }
  return byFeature;
}

/** As they come on the pages, so that a translator reads what belongs together. */
const inOrder = (a, b) => a.file.localeCompare(b.file) || a.line - b.line || a.id.localeCompare(b.id);

if (process.argv[1] === join(root, 'scripts/words.mjs')) {
  ensureInstalled();
  const byFeature = extract();
  rmSync(folder(WRITTEN_IN), { recursive: true, force: true });
  mkdirSync(folder(WRITTEN_IN), { recursive: true });
  for (const [feature, entries] of byFeature) {
    const words = Object.fromEntries(entries.sort(inOrder).map((entry) => [entry.id, entry.words]));
    writeFileSync(join(folder(WRITTEN_IN), `${feature}.json`), `${JSON.stringify(words, null, 2)}\n`);
  }
  const written = wordsOf(WRITTEN_IN);
  process.stdout.write(`${Object.keys(written).length} pieces of text in ${byFeature.size} features.\n`);
  for (const language of languagesOf()) {
    const translated = wordsOf(language);
    const lacks = Object.keys(written).filter((id) => !(id in translated)).length;
    const left = Object.keys(translated).filter((id) => !(id in written)).length;
    process.stdout.write(`${language}: ${lacks} are not translated yet; ${left} are not said any more.\n`);
  }
}
