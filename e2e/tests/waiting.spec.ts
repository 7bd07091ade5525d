import AxeBuilder from '@axe-core/playwright';
import { expect, test, type APIRequestContext } from '@playwright/test';

interface Connection {
  readonly name: string;
  readonly connection: Record<string, unknown>;
}
const membership = async (request: APIRequestContext): Promise<Connection> =>
  (await (await request.get('/api/systems/membership')).json()) as Connection;
async function setWindows(request: APIRequestContext, windows: string): Promise<void> {
  const { name, connection } = await membership(request);
  const changed = await request.put('/api/systems/membership', {
    data: { name, connection: { ...connection, windows } },
  });
  expect(changed.ok()).toBe(true);
}

test('what waits for a target is held, sent first and skipped, and the rest goes when its window opens', async ({
  page,
  request,
}) => {
  test.slow();
  const clock = (hours: number): string => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 16);
  await setWindows(request, `${clock(3)}–${clock(4)} UTC`);
  const document = {
    versicle: 1,
    kind: 'plan',
    name: 'Members, when they may',
    sort: 'sync',
    steps: [{ id: 'members', kind: 'mapping', mapping: 'members-to-membership-service' }],
  };
  const plan = (await (await request.post('/api/plans', { data: { document } })).json()) as { id: string };
  const { run } = (await (await request.post(`/api/plans/${plan.id}/start`, { data: {} })).json()) as { run: number };
  const row = (words: string): ReturnType<typeof page.locator> => page.locator('tr[data-row]', { hasText: words });

  // From the run to what waits of it.
  await page.goto(`/runs/${run}`);
  await page.getByRole('link', { name: 'See them' }).click();
  await expect(page.getByRole('heading', { name: 'Waiting for Membership service' })).toBeVisible();
  await expect(page.getByText(/5,149 records wait\. Its window opens (today|tomorrow)/)).toBeVisible({
    timeout: 60_000,
  });
  const { violations } = await new AxeBuilder({ page })
    .setLegacyMode(true)
    .exclude('tbody tr:nth-child(n + 15)')
    .analyze();
  expect(violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')).toEqual([]);

  // By keyboard: to the list, the second and the fourth record, hold.
  await page.getByRole('searchbox', { name: 'Find in the records' }).press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('x');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('x');
  await page.locator('.bulk').getByRole('button', { name: 'Hold' }).click();
  await expect(page.getByText(/two of them held/)).toBeVisible();
  await expect(row('004001').getByText('held')).toBeVisible();

  // Those of one plan are skipped, by a rule and with a reason.
  await page.getByLabel('Only those where').fill("plan = 'nothing such'");
  await page.getByRole('button', { name: 'Filter' }).click();
  await expect(page.getByText('Nothing here is like that.')).toBeVisible();
  await page.getByLabel('Only those where').fill('plann = 1');
  await page.getByRole('button', { name: 'Filter' }).click();
  await expect(page.getByText(/The rule can't be used: .*plann/)).toBeVisible();
  await page.getByLabel('Only those where').fill("joined_on < DATE '2016-01-01' AND active");
  await page.getByRole('button', { name: 'Filter' }).click();
  await expect(row('004000')).toBeVisible();
  await page.getByRole('button', { name: 'Skip …' }).click();
  await page.getByRole('button', { name: 'Skip all that are asked for' }).click();
  await expect(page.getByText('A reason must stand here.')).toBeVisible();
  await page.getByLabel('Why they are not to be sent').fill('the founders are looked at by hand');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/records are skipped; the reason is kept with them/)).toBeVisible({ timeout: 60_000 });
  await page.getByLabel('Only those where').fill('');
  await page.getByRole('button', { name: 'Filter' }).click();

  // The last one goes first.
  await page.getByRole('searchbox', { name: 'Find in the records' }).fill('T009149');
  await row('009149').getByRole('checkbox').check();
  await page.locator('.bulk').getByRole('button', { name: 'Send first' }).click();
  await expect(row('009149').getByText('goes first')).toBeVisible();
  await page.getByRole('searchbox', { name: 'Find in the records' }).fill('');

  // The window opens: all go but what is held (one of the two was skipped), until that is let go.
  await setWindows(request, '');
  await expect(page.getByText('One record waits, held.')).toBeVisible({ timeout: 90_000 });
  await expect(page.locator('vs-answers li').first()).toContainText('POST /members/batch');
  await page.getByRole('button', { name: 'Let go' }).first().click();
  await expect(page.getByText('Nothing waits.')).toBeVisible({ timeout: 60_000 });
  await page.goto(`/runs/${run}`);
  await expect(page.getByRole('log')).toContainText('the founders are looked at by hand');
  await expect(page.getByText('it adds up')).toBeVisible();
});
