import { expect, test, type Page } from '@playwright/test';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { stored } from '../mapping.ts';

/** What should not happen, on the sheet: it says so, and goes on answering the keys. */

const folder = (): string => join(dirname(process.env['E2E_FOLDER']!), 'hostile');

async function sheetOver(page: Page, name: string, file: string, content: string): Promise<string> {
  mkdirSync(folder(), { recursive: true });
  writeFileSync(join(folder(), file), content);
  const systems = (await (await page.request.get('/api/systems')).json()) as { id: string }[];
  if (!systems.some((s) => s.id === 'hostile'))
    await page.request.post('/api/systems', {
      data: { id: 'hostile', name: 'Hostile files', connection: { kind: 'folder', root: folder() } },
    });
  const document = {
    versicle: 1,
    name,
    source: { primary: { alias: 'h', dataset: `hostile/${file}` } },
    target: {
      dataset: 'hostile/out.csv',
      fields: [
        { name: 'a', type: 'text' },
        { name: 'b', type: 'text' },
      ],
    },
    lines: [],
    write: { mode: 'insert' },
  };
  const answer = await page.request.post('/api/mappings', { data: { document } });
  const { id } = (await answer.json()) as { id: string };
  await page.goto(`/mappings/${id}`);
  await expect(page.getByLabel('Line 1, a, How')).toBeFocused();
  return id;
}
async function write(page: Page, text: string): Promise<void> {
  await page.keyboard.insertText(text);
  await page.keyboard.press('Enter');
}

test('a sample dataset that is empty, and one that is gone', async ({ page }) => {
  await sheetOver(page, 'Over nothing', 'empty.csv', 'x;y\n');
  await expect(page.getByText('The source has no records to try the lines on.')).toBeVisible();
  await write(page, 'upper(h.x)');
  await page.getByRole('link', { name: 'Trial', exact: true }).click();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('region', { name: 'What a run would do' })).toContainText('0 read');
  const id = await sheetOver(page, 'Over what is gone', 'gone.csv', 'x;y\n1;2\n');
  rmSync(join(folder(), 'gone.csv'));
  await page.reload();
  await expect(page.getByRole('alert')).toContainText('gone.csv');
  await page.getByRole('gridcell', { name: '1', exact: true }).click();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await write(page, 'upper(h.x)');
  expect((await stored(page, id)).lines[0]).toMatchObject({ rule: 'upper(h.x)' });
});

test('control characters and text from right to left stay in their cells', async ({ page }) => {
  await sheetOver(page, 'Odd letters', 'odd.csv', 'x;y\nשלום \u202etxet\u0007;a\u0001b\n');
  await write(page, 'h.x');
  await write(page, 'h.y');
  await expect(page.getByRole('gridcell', { name: /שלום/ }).first()).toBeVisible();
  const grid = page.getByRole('grid');
  const wide = await grid.evaluate((e) => e.scrollWidth <= e.parentElement!.scrollWidth);
  expect(wide).toBe(true);
  // The cell beside it reads from left to right, and the columns stand as they stood.
  const [value, result] = await Promise.all(
    [1, 2].map((n) =>
      page
        .getByRole('gridcell', { name: /שלום/ })
        .nth(n - 1)
        .boundingBox(),
    ),
  );
  expect(result!.x).toBeGreaterThan(value!.x);
});

test('a rule of 10,000 terms, a catastrophic pattern and a result of 100 MB don’t stop the keys', async ({ page }) => {
  const id = await sheetOver(page, 'Heavy rules', 'heavy.csv', `x;y\n${'a'.repeat(4000)}!;2\n`);
  await write(page, Array.from({ length: 10_000 }, (_, i) => `${i}`).join(' + '));
  await write(page, "regexp_replace(h.x, '(a+)+$', 'b')");
  await page.keyboard.press('Control+Home');
  await expect(page.getByLabel(/^Line 1, a/)).toBeFocused();
  expect((await stored(page, id)).lines[0]!['kind']).toBe('rule');
  await page.keyboard.press('Delete');
  await write(page, 'repeat(h.y, 100000000)');
  await page.keyboard.press('ArrowUp');
  await expect(page.getByLabel('Line 1, a, How')).toHaveValue('repeat(h.y, 100000000)');
  await page.keyboard.press('Delete');
  await write(page, "h.y || '!'");
  await expect(page.getByRole('gridcell', { name: '2!' })).toBeVisible({ timeout: 30_000 });
});
