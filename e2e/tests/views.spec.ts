import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { VIEWS } from '../views.ts';

/** Without the way through frames, of which there are none: it takes three times as long. */
const axe = (page: Page): AxeBuilder => new AxeBuilder({ page }).setLegacyMode(true);

/** Each view shows what it should, says nothing to the console, and axe has nothing serious against it. */
for (const [name, path, sees] of VIEWS)
  test(`view: ${name}`, async ({ page }) => {
    // axe looks at every cell; on a busy machine that takes its time.
    test.slow();
    const complaints: string[] = [];
    page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
    page.on('pageerror', (error) => complaints.push(error.message));
    await page.goto(path);
    // Some wait for PostgreSQL to compose records first, beside another view.
    await expect(page.locator('main')).toContainText(sees, { timeout: 60_000 });
    if (name === 'a new system') await page.getByRole('button', { name: 'Connect a system' }).click();
    // Of many rows those in front show all that the others can have.
    const many = (builder: AxeBuilder): AxeBuilder =>
      builder.exclude('tbody tr:nth-child(n + 9)').exclude('[role=grid] .line:not(.open):nth-child(n + 9)');
    const { violations } = await many(axe(page)).analyze();
    const serious = violations.filter((v) => v.impact === 'serious' || v.impact === 'critical');
    expect(serious.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`)).toEqual([]);
    expect(complaints).toEqual([]);
    // By night all that is read must stand out as well, and what is pressed must be large enough.
    await page.emulateMedia({ colorScheme: 'dark' });
    const night = await many(axe(page))
      .withRules(['color-contrast', 'target-size'])
      // Runs on the strip of the day are as narrow as they were short; the list of runs has all of them.
      .exclude('vs-day-strip a')
      .analyze();
    expect(night.violations.flatMap((v) => v.nodes.map((n) => `${n.html.slice(0, 160)} ${n.failureSummary}`))).toEqual(
      [],
    );
    // At 200 % of a laptop's screen, nobody scrolls the page sideways to read it; wide tables scroll by themselves.
    await page.setViewportSize({ width: 640, height: 400 });
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(640);
  });

test('the contents page says where one is and how much waits', async ({ page }) => {
  await page.goto('/today');
  await expect(page.getByRole('link', { name: 'Failed records, 55 waiting' })).toBeVisible();
  await page.getByRole('link', { name: 'Failed records, 55 waiting' }).click();
  await expect(page).toHaveURL(/\/failures/);
  await expect(page.getByText('55 open, twelve causes.')).toBeVisible();
});

test('every figure of Today opens the records behind it', async ({ page }) => {
  await page.goto('/today');
  await page
    .getByRole('row', { name: /Trips, by the month/ })
    .getByRole('link', { name: '52' })
    .last()
    .click();
  await expect(page.getByText('52 open, nine causes.')).toBeVisible();
  await page.goBack();
  await page.getByRole('link', { name: 'Look at line 11' }).click();
  await expect(page.getByText('1 of 14 with this cause')).toBeVisible();
});

test('Ctrl+K finds a mapping, a dataset and a run; ? shows the keys', async ({ page }) => {
  await page.goto('/today');
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find anything' }).fill('stations ware');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/mappings\/stations-to-warehouse/);
  await expect(page.getByRole('grid')).toBeVisible();
  await page.keyboard.press('?');
  const help = page.getByRole('complementary', { name: 'Help on this page' });
  await expect(help).toContainText('the next sample record');
  await expect(help.getByRole('heading', { name: 'The mapping sheet' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(help).toBeHidden();
});

test('Enter in the finder waits for lists that come late', async ({ page }) => {
  await page.goto('/today');
  await page.route('**/api/find?*', async (route) => {
    await new Promise((r) => setTimeout(r, 1500));
    await route.continue();
  });
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'Find anything' }).fill('stations ware');
  await expect(page.getByRole('option', { name: 'Looking …' })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/mappings\/stations-to-warehouse/);
});

test('a filter is in the address, and a wrong one is said where it stands', async ({ page }) => {
  await page.goto(`/systems/tidebridge/dataset?name=trips-*.csv&filter=${encodeURIComponent("tariff = 'Z'")}`);
  await expect(page.getByText('7 of 4,000 records meet the filter')).toBeVisible();
  await page.getByLabel('Only rows where').fill('tarif = 1');
  await page.getByRole('button', { name: 'Filter', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('There is no field');
  await expect(page.getByRole('alert')).toContainText('Did you mean');
});

test('what is not there is said, with what to do', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=tripz.csv');
  await expect(page.getByRole('alert').first()).toContainText('tripz.csv');
  await page.goto('/mappings/nothing');
  await expect(page.getByRole('alert')).toContainText('There is no mapping “nothing”');
  await page.goto('/runs/999');
  await expect(page.getByRole('alert')).toContainText('There is no run 999');
  await page.goto('/systems/nothing');
  await expect(page.getByRole('heading', { name: 'There is no system “nothing”' })).toBeVisible();
});

test('it stays usable at 1024 and at 200 % zoom', async ({ page }) => {
  for (const [width, height] of [
    [1024, 700],
    [640, 400],
  ] as const) {
    await page.setViewportSize({ width, height });
    await page.goto('/failures');
    await expect(page.getByRole('heading', { name: 'Failed records' })).toBeVisible();
    await page.getByRole('link', { name: 'Change the rule on line 11' }).click();
    await expect(page.getByRole('textbox', { name: 'Rule', exact: true })).toBeVisible();
  }
});
