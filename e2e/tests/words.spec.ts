import { expect, test, type Page } from '@playwright/test';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { NodeJSFileSystem } from '@angular/compiler-cli';
import { MessageExtractor } from '@angular/localize/tools';
import { copyTranslations, wordsOf, WRITTEN_IN } from '../../scripts/words.mjs';
import { VIEWS } from '../views.ts';

const web = join(dirname(fileURLToPath(import.meta.url)), '../../packages/web');
const written = wordsOf(WRITTEN_IN) as Readonly<Record<string, string>>;

test('all words of the pages are gathered, those that are gone are not', () => {
  const browser = join(web, 'dist/browser');
  const silent = { level: 4, debug: () => {}, info: () => {}, warn: () => {}, error: () => {} };
  const extractor = new MessageExtractor(new NodeJSFileSystem(), silent, {
    basePath: browser as never,
    useSourceMaps: false,
  });
  const said = new Set<string>();
  for (const name of readdirSync(browser))
    if (name.endsWith('.js') && readFileSync(join(browser, name), 'utf8').includes('$localize'))
      for (const message of extractor.extractMessages(name)) said.add(message.id);
  // `npm run words` gathers them anew.
  expect([...said].filter((id) => !(id in written))).toEqual([]);
  expect(Object.keys(written).filter((id) => !said.has(id))).toEqual([]);
  expect(said.size).toBeGreaterThan(1500);
});

test('a translation is a folder: the build makes one file of it, and the page says so', async ({ page, baseURL }) => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-words-'));
  const write = (name: string, text: string): void => {
    mkdirSync(dirname(join(home, name)), { recursive: true });
    writeFileSync(join(home, name), text);
  };
  const systems = Object.entries(written).find(([, text]) => text === 'Systems')![0];
  write('words/en/frame.json', '{}');
  write('words/de/frame.json', JSON.stringify({ [systems]: 'Systeme' }));
  write('words/de/later/notes.txt', 'not of it');
  write('words/de/plans.json', '{"1":"eins"}');
  write('pages/index.html', await (await page.request.get(`${baseURL}/`)).text());
  copyTranslations(join(home, 'pages/index.html'), join(home, 'words'));
  const [index, words] = ['index.html', 'words/de.json'].map((name) => readFileSync(join(home, 'pages', name), 'utf8'));
  rmSync(home, { recursive: true });
  expect(JSON.parse(words!)).toEqual({ [systems]: 'Systeme', '1': 'eins' });

  await page.route(
    ({ pathname }) => pathname === '/systems',
    (route) => route.fulfill({ body: index!, contentType: 'text/html' }),
  );
  await page.route('**/words/de.json', (route) => route.fulfill({ body: words!, contentType: 'application/json' }));
  await page.goto('/systems');
  const spoken = page.getByRole('combobox', { name: 'Language' });
  await expect(spoken.getByRole('option')).toHaveText(['English', 'Deutsch']);
  await expect(spoken).toHaveValue('en');
  await spoken.selectOption('de');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Systeme');
  // What it lacks is said as it is written.
  await expect(page.getByRole('link', { name: 'Mappings' })).toBeVisible();
  await spoken.selectOption('en');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Systems');
});

/** A language in which everything that was translated stands between brackets. */
async function inBrackets(page: Page): Promise<void> {
  const words = Object.fromEntries(Object.entries(written).map(([id, text]) => [id, `⟦${text}⟧`]));
  await page.route('**/words/xx.json', (route) => route.fulfill({ json: words }));
  await page.addInitScript(() => localStorage.setItem('versicle.language', 'xx'));
}

const filesOf = (directory: string): string[] =>
  readdirSync(directory, { recursive: true, encoding: 'utf8' })
    .filter((name) => /(?<!\.spec)\.(ts|html)$/.test(name) && !/help|rule-editor/.test(name))
    .map((name) => readFileSync(join(directory, name), 'utf8'));
const source = filesOf(join(web, 'src/app')).join('\n');
/** What stands in the source as a text of its own. */
const isWritten = (text: string): boolean =>
  [`'${text}'`, `>${text}<`, `"${text}"`].some((literal) => source.includes(literal)) ||
  (text.includes(' ') && source.includes(` ${text} `));

/** Texts of the page, and what is said of its parts, that stand outside of any brackets. */
const outside = (page: Page): Promise<string[]> =>
  page.evaluate(() => {
    const found: string[] = [];
    let depth = 0;
    const outer = (text: string): string => {
      let rest = '';
      for (const c of text)
        if (c === '⟦') depth++;
        else if (c === '⟧') depth--;
        else if (depth === 0) rest += c;
      return rest.replace(/\s+/g, ' ').trim();
    };
    const walk = (node: Node): void => {
      if (node.nodeType === Node.TEXT_NODE) found.push(outer(node.textContent ?? ''));
      if (!(node instanceof Element) || /^(STYLE|SCRIPT|CODE|PRE|NOSCRIPT)$/.test(node.tagName)) return;
      const before = depth;
      for (const name of ['title', 'aria-label', 'placeholder', 'alt']) {
        depth = 0;
        found.push(outer(node.getAttribute(name) ?? ''));
      }
      depth = before;
      node.childNodes.forEach(walk);
    };
    walk(document.body);
    return [...new Set(found)].filter((text) => /\p{L}{2}/u.test(text));
  });

/** Words of the mapping document and of SQL, which are the same in all languages, and the names of chapters of the guide. */
const OWN = /^(SQL|JSON|XML|agreed|drafted|question|to map|rule|lookup|straight|saved|Looking at data|Rules by task)$/;

for (const [name, path] of VIEWS.filter(([view]) =>
  /^(Today|Systems|a folder|rows|structure|values|quality|format|what waits|Mappings|all lines|a new map|the trial|an open line|questions|the document|a source set|code tables|a code table|Plans|a plan|Settings|Runs|the volume|a run|two runs|Failed)/.test(
    view,
  ),
))
  test(`in another language: ${name}`, async ({ page }) => {
    // What the server says, data and sentences of its own, is shown as it is.
    let data = '';
    await page.route(
      ({ pathname }) => pathname.startsWith('/api/') && !/\/(events|here)$/.test(pathname),
      async (route) => {
        const response = await route.fetch();
        const text = await response.text();
        data += text;
        await route.fulfill({ response });
      },
    );
    const complaints: string[] = [];
    page.on('console', (m) => /warn|error/.test(m.type()) && complaints.push(m.text()));
    await inBrackets(page);
    await page.goto(path);
    await expect(page.locator('main')).toContainText('⟦');
    await page.waitForLoadState('load');
    await expect(page.locator('main [role=progressbar], main .loading')).toHaveCount(0);
    expect(await page.locator('html').getAttribute('lang')).toBe('xx');
    await expect
      .poll(async () => (await outside(page)).filter((t) => isWritten(t) && !data.includes(t) && !OWN.test(t)))
      .toEqual([]);
    expect(complaints).toEqual([]);
    // What is still asked for is of no interest any more.
    await page.unrouteAll({ behavior: 'ignoreErrors' });
  });

test('a language that is not there leaves the pages as they are written', async ({ page }) => {
  await page.addInitScript(() => localStorage.setItem('versicle.language', 'yy'));
  await page.goto('/systems');
  await expect(page.getByRole('heading', { name: 'Systems', level: 1 })).toBeVisible();
});
