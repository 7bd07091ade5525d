import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/**
 * `npm run words`: all words of the pages into packages/web/words/en, a file for each feature, as `{id: words}`. A translation is
 * a folder beside it (`de`) with the same ids; what it lacks is shown in English, and is said here.
 */
export const WORDS = 'packages/web/words';
export const WRITTEN_IN = 'en';

const written = join(root, WORDS);
/** The languages that there are translations into. */
export const languagesOf = (words = written) =>
  readdirSync(words, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && entry.name !== WRITTEN_IN)
    .map((entry) => entry.name)
    .sort();
/** All of a language, whatever feature they belong to. */
export const wordsOf = (language, words = written) =>
  Object.assign(
    {},
    ...readdirSync(join(words, language))
      .filter((name) => name.endsWith('.json'))
      .map((name) => JSON.parse(readFileSync(join(words, language, name), 'utf8'))),
  );

/** Each translation as one file beside the built pages; their first page says which there are. */
export function copyTranslations(index, words = written) {
  const languages = languagesOf(words);
  if (languages.length === 0) return;
  const to = join(dirname(index), 'words');
  mkdirSync(to, { recursive: true });
  for (const language of languages)
    writeFileSync(join(to, `${language}.json`), JSON.stringify(wordsOf(language, words)));
  const page = readFileSync(index, 'utf8');
  const told = page.replace('<html lang="en"', `$& data-languages="${languages.join(',')}"`);
  if (told === page) fail('The first page does not begin as it did; it could not be told which languages there are.');
  writeFileSync(index, told);
}

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
  const folder = join(written, WRITTEN_IN);
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  for (const [feature, entries] of byFeature) {
    const words = Object.fromEntries(entries.sort(inOrder).map((entry) => [entry.id, entry.words]));
    writeFileSync(join(folder, `${feature}.json`), `${JSON.stringify(words, null, 2)}\n`);
  }
  const pieces = wordsOf(WRITTEN_IN);
  process.stdout.write(`${Object.keys(pieces).length} pieces of text in ${byFeature.size} features.\n`);
  for (const language of languagesOf()) {
    const translated = wordsOf(language);
    const lacks = Object.keys(pieces).filter((id) => !(id in translated)).length;
    const left = Object.keys(translated).filter((id) => !(id in pieces)).length;
    process.stdout.write(`${language}: ${lacks} are not translated yet; ${left} are not said any more.\n`);
  }
}
