import AxeBuilder from '@axe-core/playwright';
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';

const call = async (page: Page, method: 'get' | 'post' | 'put', path: string, data?: object): Promise<unknown> => {
  const answer = await page.request[method](`/api${path}`, data === undefined ? {} : { data });
  expect(answer.status(), `${method} ${path}: ${await answer.text()}`).toBe(200);
  return answer.json();
};
const runs = async (page: Page, plan: string): Promise<{ id: number; state: string }[]> =>
  (await call(page, 'get', `/runs?plan=${plan}`)) as { id: number; state: string }[];

test('a plan is written from nothing by keyboard, scheduled, started and watched', async ({ page }) => {
  await page.goto('/plans');
  await page.getByRole('button', { name: 'New plan' }).focus();
  await page.keyboard.press('Enter');
  await page.getByLabel('Name', { exact: true }).focus();
  await page.keyboard.type('Stations, by keyboard');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Stations');
  // The list of mappings may still be on its way.
  await expect(page.locator('.ant-select-item-option-active')).toContainText('Stations to warehouse');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Make the plan' })).toBeEnabled();
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Stations, by keyboard' })).toBeVisible();
  await expect(page.getByText('Carries out revision 2 of Stations to warehouse')).toBeVisible();

  // The first gap says that nothing starts it; Enter opens its choices, and the sentence changes.
  await page.getByRole('button', { name: 'When somebody starts it' }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'at set times' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Each day at 06:00' })).toBeVisible();
  await expect(page.getByText(/^Next: \w+ \d+ \w+ at 06:00/)).toBeVisible();
  await page.getByLabel('At', { exact: true }).fill('07:30');
  await page.getByLabel('At', { exact: true }).press('Tab');
  await expect(page.getByRole('button', { name: 'Each day at 07:30' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.locator('.editor')).toHaveCount(0);

  // A second step, and the condition on which it goes.
  await page.getByRole('button', { name: 'add a step' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('combobox', { name: 'What the new step does' }).click();
  await page.keyboard.type('a statement in Ware');
  await page.keyboard.press('Enter');
  const only = page.getByLabel('Only if');
  await only.fill('stations_to_warehouse.failed = 0');
  await only.press('Tab');
  await expect(page.getByText('There is no earlier step called')).toBeVisible();
  await only.fill('load.failed = 0');
  await only.press('Tab');
  await expect(page.getByText('Not kept')).toHaveCount(0);
  await expect(page.getByRole('button', { name: 'load.failed = 0' })).toBeVisible();
  await expect(page.getByText(/version \d+, saved/)).toBeVisible();

  // Undo takes it back, step by step; the versions keep all of it.
  const saved = page.getByText(/version \d+, saved/);
  const before = (await saved.textContent())!;
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: 'load.failed = 0' })).toHaveCount(0);
  // The list of versions has what was undone once that is kept.
  await expect(saved).not.toHaveText(before);
  await page.getByRole('button', { name: 'Versions' }).click();
  await page
    .getByRole('button', { name: /^Bring back version/ })
    .first()
    .click();
  await expect(page.getByRole('button', { name: 'load.failed = 0' })).toBeVisible();

  await page.getByRole('button', { name: 'Run …' }).click();
  await page.getByRole('button', { name: /^Run (all|it)/ }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  const steps = page.getByRole('table', { name: 'Steps' });
  await expect(steps.getByRole('row', { name: /Stations to warehouse.*finished.*24/ })).toBeVisible();
  await expect(steps.getByRole('row', { name: /statement in Warehouse.*left out/ })).toBeVisible();
  await expect(page.getByText('it adds up')).toBeVisible();
  await page.getByRole('link', { name: 'the plan', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'The last run' })).toContainText('run');
  await page.getByRole('button', { name: 'Hold it' }).click();
  await expect(page.getByText('Held.', { exact: true })).toBeVisible();
});

test('what was changed in a plan is kept when somebody leaves at once', async ({ page }) => {
  const { id } = (await call(page, 'post', '/plans', { name: 'Left', mapping: 'stations-to-warehouse' })) as {
    id: string;
  };
  await page.route(`**/api/plans/${id}`, async (route) => {
    if (route.request().method() === 'PUT') await new Promise((resolve) => setTimeout(resolve, 1200));
    await route.continue();
  });
  await page.goto(`/plans/${id}`);
  await page.getByRole('button', { name: 'Name, purpose, variables' }).click();
  await page.getByLabel('Purpose').fill('Each night');
  await page.getByLabel('Name', { exact: true }).fill('Left in a hurry');
  // The first change is on its way, the second is not even committed.
  await page.getByRole('link', { name: /^Runs/ }).click();
  await expect(page).toHaveURL(/\/runs/);
  expect(await call(page, 'get', `/plans/${id}`)).toMatchObject({
    name: 'Left in a hurry',
    document: { purpose: 'Each night' },
  });
  // What can't be kept is not left behind without a word.
  await page.goto(`/plans/${id}`);
  await page.getByRole('button', { name: 'Stations to warehouse' }).click();
  await page.getByLabel('Only if').fill('nothing.failed = 0');
  await page.getByRole('link', { name: /^Runs/ }).click();
  await expect(page.getByText(/so the plan stays open/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('link', { name: /^Runs/ }).click();
  await expect(page).toHaveURL(/\/runs/);
});

test('a run of several steps is paused, goes on, and is cancelled', async ({ page }) => {
  const steps = [1, 2, 3].map((n) => ({
    id: `s${n}`,
    kind: 'sql',
    system: 'warehouse',
    sql: 'SELECT pg_sleep(1)',
    after: n === 1 ? [] : [`s${n - 1}`],
  }));
  const document = { versicle: 1, kind: 'plan', name: 'Slow steps', steps };
  const { id } = (await call(page, 'post', '/plans', { document })) as { id: string };
  const { run } = (await call(page, 'post', `/plans/${id}/start`, {})) as { run: number };
  await page.goto(`/runs/${run}`);
  await page.getByRole('button', { name: 'Pause' }).click();
  await expect(page.locator('.top').getByText('paused')).toBeVisible();
  await page.getByRole('button', { name: 'Let it go on' }).click();
  await expect(page.locator('.top').getByText(/running|finished/)).toBeVisible();
  await expect.poll(async () => (await runs(page, id))[0]!.state).toBe('finished');
  const again = (await call(page, 'post', `/plans/${id}/start`, {})) as { run: number };
  await page.goto(`/runs/${again.run}`);
  await page.getByRole('button', { name: 'Cancel the run' }).click();
  await expect(page.locator('.top').getByText('cancelled')).toBeVisible();
  await expect(page.getByRole('table', { name: 'Steps' })).toContainText('not begun');
});

test('a plan goes out as a file and comes in again, and one that is none says why', async ({ page }) => {
  await page.goto('/plans/tidebridge-each-night');
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Download' }).click();
  const file = await (await download).path();
  const document = JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>;
  expect(document['kind']).toBe('plan');
  await page.goto('/plans');
  const read = page.locator('input[type=file]');
  const give = (value: unknown): Promise<void> =>
    read.setInputFiles({
      name: 'again.plan.versicle.json',
      mimeType: 'application/json',
      buffer: Buffer.from(typeof value === 'string' ? value : JSON.stringify(value)),
    });
  await give('{');
  await expect(page.getByText('again.plan.versicle.json is not JSON')).toBeVisible();
  await give({
    ...document,
    name: 'Night again',
    steps: [{ id: 'a', kind: 'mapping', mapping: 'stations-to-warehous' }],
  });
  await expect(page.getByText('Did you mean “stations-to-warehouse”?')).toBeVisible();
  await give({ ...document, name: 'Night again', triggers: [] });
  await expect(page.getByRole('heading', { name: 'Night again' })).toBeVisible();
  await expect(page.getByText('Stop when')).toBeVisible();
});

test('a key is made, shown once, starts a plan from outside, and is taken back', async ({ page, request }) => {
  await page.goto('/settings');
  await page.getByRole('button', { name: 'New key' }).click();
  await page.getByLabel('Name', { exact: true }).fill('the nightly script');
  await page.getByRole('button', { name: 'Make the key' }).click();
  const key = await page.locator('.made code').innerText();
  const headers = { authorization: `Bearer ${key}` };
  const start = () => request.post('/api/plans/stations-once/start', { headers, data: { rowLimit: 3 } });
  const answer = await start();
  expect(answer.status()).toBe(200);
  const { run } = (await answer.json()) as { run: number };
  await page.goto(`/runs/${run}`);
  await expect(page.getByText('Started by the key the nightly script')).toBeVisible();
  await page.goto('/settings');
  await expect(page.locator('.made')).toHaveCount(0);
  await page.getByRole('button', { name: 'Take back the nightly script' }).click();
  await page.getByRole('button', { name: 'Take it back' }).click();
  await expect(page.getByRole('row', { name: /the nightly script/ })).toHaveCount(0);
  expect((await start()).status()).toBe(401);
});

/** Chooses by keyboard in a list that is not typed into. */
async function choose(page: Page, name: string, words: string): Promise<void> {
  await page.getByRole('combobox', { name }).focus();
  await page.keyboard.press('Enter');
  const chosen = page.locator('.ant-select-item-option-active');
  for (let i = 0; i < 6; i++) {
    const now = (await chosen.textContent())!.trim();
    if (now === words) break;
    await page.keyboard.press('ArrowDown');
    // The list moves on before it is asked again.
    await expect(chosen).not.toHaveText(now);
  }
  await expect(chosen).toHaveText(words);
  await page.keyboard.press('Enter');
}
test('somebody is told by mail of what failed, once; the next run sends only what changed', async ({ page }) => {
  const { id } = (await call(page, 'post', '/plans', { name: 'Told', mapping: 'stations-to-warehouse' })) as {
    id: string;
  };
  await page.goto(`/plans/${id}`);
  await page.getByRole('button', { name: 'who is told of it' }).click();
  await page.getByRole('button', { name: 'Tell somebody' }).click();
  await choose(page, 'Told by', 'mail');
  const to = page.getByLabel('To', { exact: true });
  await to.fill('docks@example.org');
  await to.press('Tab');
  await expect(page.getByRole('button', { name: 'docks@example.org' })).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Stations to warehouse' }).click();
  await choose(page, 'Records', 'only what changed');
  await expect(page.getByRole('button', { name: 'only what changed' })).toBeVisible();
  await expect(page.getByText(/version \d+, saved/)).toBeVisible();
  await page.getByRole('button', { name: 'Run …' }).click();
  await expect(page.getByRole('radio', { name: 'only what changed' })).toBeChecked();
  await page.getByRole('button', { name: 'Run it' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  const run = Number(/\/runs\/(\d+)/.exec(page.url())![1]);

  const ports = JSON.parse(process.env['E2E_PORTS']!) as { inbox: number };
  const mails = async (): Promise<string[]> => {
    const all = (await (await page.request.get(`http://127.0.0.1:${ports.inbox}/mails`)).json()) as {
      to: string[];
      text: string;
    }[];
    return all.filter((m) => m.to.includes('docks@example.org')).map((m) => m.text.replaceAll('=\r\n', ''));
  };
  await expect.poll(mails, { timeout: 20_000 }).toHaveLength(1);
  expect((await mails())[0]).toContain('Subject: Told: 3 records failed');
  expect((await mails())[0]).toContain(`/runs/${run}`);

  const again = (await call(page, 'post', `/plans/${id}/start`, {})) as { run: number };
  await page.goto(`/runs/${again.run}`);
  await expect
    .poll(async () => ((await call(page, 'get', `/runs/${again.run}`)) as { counts: object }).counts)
    .toMatchObject({ read: 24, unchanged: 21, failed: 3, delivered: 0 });
  await expect(page.getByText('only what changed')).toBeVisible();
  await page.goto('/settings');
  await expect(page.getByRole('row', { name: /Told: 3 records failed.*docks@example.org.*sent/ })).toBeVisible();
  expect(await mails()).toHaveLength(1);
});

test('records are shared out by what they are; what none takes is shared out once somebody does', async ({ page }) => {
  const document = {
    versicle: 1,
    kind: 'plan',
    name: 'Shared stations',
    steps: [
      {
        id: 'kinds',
        kind: 'share',
        dataset: 'tidebridge/stations.csv',
        by: [{ when: "s.district = 'Harbour'", mapping: 'stations-to-warehouse' }],
      },
    ],
  };
  const { id } = (await call(page, 'post', '/plans', { document })) as { id: string };
  const { run } = (await call(page, 'post', `/plans/${id}/start`, {})) as { run: number };
  await page.goto(`/runs/${run}`);
  await page.getByRole('link', { name: /the records of tidebridge\/stations.csv/ }).click();
  const untaken = page.getByRole('region', { name: 'Records taken by none' });
  await expect(untaken.getByRole('row', { name: /Tollhouse.*None of the conditions/ })).toBeVisible();
  const button = page.getByRole('button', { name: /Share \d+ out again/ });
  await expect(button).toBeEnabled();
  const { violations } = await new AxeBuilder({ page }).setLegacyMode(true).analyze();
  expect(violations.filter((v) => v.impact === 'serious' || v.impact === 'critical').map((v) => v.id)).toEqual([]);
  const share = page.url();

  await page.goto(`/plans/${id}`);
  await page.getByRole('button', { name: "s.district = 'Harbour'" }).click();
  const takes = page.getByLabel('Takes records where');
  await takes.fill("s.district <> 'Marsh'");
  await takes.press('Tab');
  await expect(page.getByRole('button', { name: "s.district <> 'Marsh'" })).toBeVisible();
  await expect(page.getByText('version 2, saved')).toBeVisible();
  await page.goto(share);
  await button.click();
  await expect(page).not.toHaveURL(share);
  await expect(untaken.getByRole('row', { name: /Lanternfield/ })).toBeVisible();
  await expect(untaken.getByRole('row', { name: /Tollhouse/ })).toHaveCount(0);
  await page.goto(share);
  await expect(page.getByText(/shared out again by run \d+/).first()).toBeVisible();
  await expect(button).toHaveCount(0);
});

test('a plan is run as it is seen: what is not kept yet is waited for', async ({ page }) => {
  const { id } = (await call(page, 'post', '/plans', { name: 'Kept first', mapping: 'stations-to-warehouse' })) as {
    id: string;
  };
  let letGo = (): void => undefined;
  const held = new Promise<void>((resolve) => (letGo = resolve));
  await page.route(`**/api/plans/${id}`, async (route) => {
    if (route.request().method() === 'PUT') await held;
    await route.continue();
  });
  await page.goto(`/plans/${id}`);
  await page.getByRole('button', { name: 'Name, purpose, variables' }).click();
  const purpose = page.getByLabel('Purpose', { exact: true });
  await purpose.fill('Looked at first');
  await purpose.press('Tab');
  await page.getByRole('button', { name: 'Run …' }).click();
  const run = page.getByRole('button', { name: /^Run (all|it)/ });
  await expect(page.getByText('What you see is not kept yet')).toBeVisible();
  await expect(run).toBeDisabled();
  letGo();
  await expect(run).toBeEnabled();
});

test('a target takes records in its window only; the run says when that opens, and goes on', async ({ page }) => {
  const { id } = (await call(page, 'post', '/plans', { name: 'In its hours', mapping: 'stations-to-warehouse' })) as {
    id: string;
  };
  const clock = (hours: number): string => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 16);
  const only = page.getByLabel('Records are sent only', { exact: true });
  const say = async (text: string): Promise<void> => {
    await page.goto('/systems/warehouse');
    await page.getByRole('button', { name: 'Change the connection …' }).click();
    await only.fill(text);
    await page.getByRole('button', { name: 'Save and test' }).click();
  };
  await say('at night');
  await expect(page.getByRole('alert')).toContainText('“at night” is no window');
  await only.fill(`${clock(3)}–${clock(4)} UTC`);
  await page.getByRole('button', { name: 'Save and test' }).click();
  await expect(only).toHaveCount(0);
  const { run } = (await call(page, 'post', `/plans/${id}/start`, {})) as { run: number };
  await page.goto(`/runs/${run}`);
  await expect(page.getByText(/The window of the target is closed.*in \d h \d+ min/)).toBeVisible();
  await expect(page.getByRole('log')).toContainText('the window of the target is closed');
  await say('');
  await expect(only).toHaveCount(0);
  await page.goto(`/runs/${run}`);
  await expect(page.getByText(/it adds up/)).toBeVisible();
  await expect(page.getByText('finished', { exact: true }).first()).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe(`run-${run}.log.txt`);
  expect(readFileSync(await download.path(), 'utf8')).toContain('is open; goes on');
});
