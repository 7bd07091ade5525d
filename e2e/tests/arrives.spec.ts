import { createHmac } from 'node:crypto';
import { appendFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';

/** What starts a plan by coming, and what comes otherwise than it did: watched on the pages. */

const SECRET = 'a secret of the tests, long enough';
const folder = (): string => join(dirname(process.env['E2E_FOLDER']!), 'arrives');

const call = async (page: Page, method: 'get' | 'post' | 'put', path: string, data?: object): Promise<unknown> => {
  const answer = await page.request[method](`/api${path}`, data === undefined ? {} : { data });
  expect(answer.status(), `${method} ${path}: ${await answer.text()}`).toBe(200);
  return answer.json();
};
/** A published mapping of three fields, and a plan of nothing but it; opens the plan's page. */
async function planOf(page: Page, name: string, dataset: string, last = 'i.count'): Promise<string> {
  const document = {
    versicle: 1,
    name,
    source: { primary: { alias: 'i', dataset } },
    target: {
      dataset: `warehouse/${name.toLowerCase().replace(/\W+/g, '_')}`,
      key: ['no'],
      fields: ['no', 'name', 'count'].map((field) => ({ name: field, type: 'text', nullable: field !== 'no' })),
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
      { id: 'l2', target: 'name', kind: 'straight', source: 'i.name' },
      { id: 'l3', target: 'count', kind: 'rule', rule: last },
    ],
    write: { mode: 'upsert' },
  };
  const { id } = (await call(page, 'post', '/mappings', { document })) as { id: string };
  await call(page, 'post', `/mappings/${id}/publish`, {});
  const plan = (await call(page, 'post', '/plans', { name: `Plan: ${name}`, mapping: id })) as { id: string };
  await page.goto(`/plans/${plan.id}`);
  return plan.id;
}
const runs = async (page: Page, plan: string): Promise<{ id: number; counts: { read: number; delivered: number } }[]> =>
  (await call(page, 'get', `/runs?plan=${plan}`)) as never;
const folderSystem = async (page: Page): Promise<void> => {
  mkdirSync(folder(), { recursive: true });
  await page.request.post('/api/systems', {
    data: { id: 'arrives', name: 'What arrives', connection: { kind: 'folder', root: folder() } },
  });
};

test('a file that arrives half and then whole starts its plan once', async ({ page }) => {
  await folderSystem(page);
  writeFileSync(join(folder(), 'part-1.csv'), 'no;name;count\n1;Bell;3\n');
  const plan = await planOf(page, 'Parts that arrive', 'arrives/part-*.csv');
  await page.getByRole('button', { name: 'When somebody starts it' }).click();
  await page.getByRole('button', { name: 'when a file has arrived' }).click();
  const settled = page.getByLabel('Whole when unchanged for');
  await settled.fill('2 s');
  await settled.press('Tab');
  await expect(page.getByText(/version \d+, saved/)).toBeVisible();
  // What lies there when the plan is made counts as arrived.
  await expect.poll(async () => (await runs(page, plan)).map((r) => r.counts.delivered)).toEqual([1]);

  const path = join(folder(), 'part-2.csv');
  writeFileSync(path, 'no;name;count\n2;La');
  await page.waitForTimeout(1000);
  appendFileSync(path, 'mp;5\n3;Rack;1\n');
  await expect.poll(async () => (await runs(page, plan)).map((r) => r.counts.delivered).sort()).toEqual([1, 2]);
  await page.reload();
  await expect(page.getByRole('heading', { name: 'The last run' })).toContainText(
    `run ${Math.max(...(await runs(page, plan)).map((r) => r.id))}`,
  );
});

test('a record that a webhook delivers starts its plan, and is seen on its page', async ({ page }) => {
  await call(page, 'post', '/systems', {
    id: 'gifts',
    name: 'Gift notices',
    connection: { kind: 'webhook', secret: SECRET },
  });
  const deliver = async (no: number): Promise<void> => {
    const body = JSON.stringify({ no: String(no), name: `Gift ${no}`, count: '1' });
    const time = String(Math.floor(Date.now() / 1000));
    const signature = createHmac('sha256', SECRET).update(`${time}.g${no}.${body}`).digest('hex');
    const answer = await page.request.post('/hooks/gifts', {
      data: body,
      headers: {
        'Content-Type': 'application/json',
        'X-Timestamp': time,
        'X-Delivery-Id': `g${no}`,
        'X-Signature': signature,
      },
    });
    expect(answer.status()).toBe(202);
  };
  await deliver(1);
  const plan = await planOf(page, 'Gifts that come', 'gifts/deliveries');
  await page.getByRole('button', { name: 'When somebody starts it' }).click();
  await page.getByRole('button', { name: 'when a record comes by itself' }).click();
  await expect(page.getByText(/version \d+, saved/)).toBeVisible();
  await expect.poll(async () => (await runs(page, plan)).map((r) => r.counts.delivered)).toEqual([1]);
  await deliver(2);
  await expect.poll(async () => (await runs(page, plan)).map((r) => r.counts.delivered)).toEqual([1, 1]);
  const [newest] = await runs(page, plan);
  await page.goto(`/runs/${newest!.id}`);
  await expect(page.getByText('it adds up')).toBeVisible();
});

test('a field that a source has no more stops the run with the line that used it', async ({ page }) => {
  await folderSystem(page);
  writeFileSync(join(folder(), 'list.csv'), 'no;name;count\n1;Bell;3\n');
  const plan = await planOf(page, 'A list that changes', 'arrives/list.csv');
  const start = async (): Promise<void> => {
    await page.getByRole('button', { name: 'Run …' }).click();
    await page.getByRole('button', { name: 'Run all' }).click();
    await expect(page).toHaveURL(/\/runs\/\d+/);
  };
  await start();
  await expect(page.getByText('it adds up')).toBeVisible();
  writeFileSync(join(folder(), 'list.csv'), 'no;name;counts\n1;Bell;3\n');
  await page.goto(`/plans/${plan}`);
  await start();
  await expect(page.getByText(/Line 3 count uses “count”/).first()).toBeVisible();
  await expect(page.getByText(/Did you mean “counts”\?/).first()).toBeVisible();
});

test('a plan whose mappings ask for a variable says so, and asks for it at the start', async ({ page }) => {
  await folderSystem(page);
  writeFileSync(join(folder(), 'asked.csv'), 'no;name;count\n1;Bell;3\n');
  const plan = await planOf(page, 'Asked for', 'arrives/asked.csv', "i.count || ' ' || :region");
  await expect(page.getByText('ask for :region')).toBeVisible();
  await page.getByRole('button', { name: 'Run …' }).click();
  await expect(page.getByRole('button', { name: 'Run all' })).toBeDisabled();
  await page.getByLabel('region').fill('north');
  await page.getByRole('button', { name: 'Run all' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  await expect.poll(async () => (await runs(page, plan)).map((r) => r.counts.delivered)).toEqual([1]);
});
