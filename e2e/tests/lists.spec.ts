import { expect, test } from '@playwright/test';
import { begin, stored } from '../mapping.ts';

test('a list is found in, sorted and worked with keys alone, and its address says what is shown', async ({ page }) => {
  await page.goto('/mappings');
  await expect(page.getByRole('row', { name: /Trips to warehouse/ })).toBeVisible();
  await page.keyboard.press('/');
  await page.keyboard.type('warehouse');
  await expect(page).toHaveURL(/search=warehouse/);
  await expect(page.getByRole('row', { name: /Members to membership/ })).toBeHidden();
  await page.getByRole('button', { name: 'Failed' }).press('Enter');
  await expect(page).toHaveURL(/sort=-failed/);
  await expect(page.getByRole('columnheader', { name: 'Failed' })).toHaveAttribute('aria-sort', 'descending');
  await expect(page.locator('tbody tr').first()).toContainText('Trips to warehouse');
  await page.getByRole('searchbox', { name: 'Find a mapping' }).press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Trips to warehouse' })).toBeVisible();
  await page.goBack();
  await expect(page.getByRole('searchbox', { name: 'Find a mapping' })).toHaveValue('warehouse');
  // A column that is not wanted goes, and the address can be sent.
  await page.getByText('Columns', { exact: true }).click();
  await page.getByRole('checkbox', { name: 'Edited' }).uncheck();
  await expect(page).toHaveURL(/without=edited/);
  await page.reload();
  await expect(page.getByRole('columnheader', { name: 'Failed' })).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Edited' })).toBeHidden();
});

test('runs are found, filtered and sorted by the server', async ({ page }) => {
  await page.goto('/runs?sort=read&search=trips');
  const first = page.locator('tbody tr').first();
  await expect(first).toContainText('first 1,000');
  await page.goto('/runs?sort=-read');
  await expect(first).toContainText('all records');
  await page.goto('/runs?search=no+such+run');
  await expect(page.getByText('Nothing here has “no such run” in it.')).toBeVisible();
});

test('failed records are chosen with x and closed together, with a reason', async ({ page }) => {
  await page.goto('/failures?mapping=trips-to-warehouse&search=rear+light');
  const list = page.getByRole('region', { name: 'Records with this cause' });
  const rows = list.locator('tr[data-row]');
  await expect(rows.first()).toBeVisible();
  const before = await rows.count();
  await rows.first().focus();
  await page.keyboard.press('x');
  await expect(list.getByText('1 chosen')).toBeVisible();
  await list.getByRole('button', { name: 'Close them without delivering …' }).click();
  await page.getByRole('button', { name: 'Not now' }).click();
  await expect(rows).toHaveCount(before);
  await list.getByRole('button', { name: 'Close them without delivering …' }).click();
  await page.getByRole('textbox', { name: /^Why it is not delivered/ }).fill('Sold without a light.');
  await page.getByRole('button', { name: 'Close the 1 chosen' }).click();
  await expect(rows).toHaveCount(before - 1);
});

test('help opens beside what one is at, is searched, and leads on', async ({ page }) => {
  await page.goto('/mappings/trips-to-warehouse?line=l11');
  await page.getByRole('button', { name: 'Help: Rules by task' }).click();
  const help = page.getByRole('complementary', { name: 'Help on this page' });
  await expect(help.getByRole('heading', { name: 'A sign at the end' })).toBeVisible();
  await help.getByRole('link', { name: 'Functions' }).click();
  await expect(help.getByText('parse_number').first()).toBeVisible();
  await help.getByRole('link', { name: 'Open in Help' }).click();
  await expect(page).toHaveURL(/\/help\/functions/);
  await page.getByRole('searchbox', { name: 'Find in the guide' }).fill('leading zeros');
  await page.getByRole('link', { name: /Leading zeros/ }).click();
  await expect(page).toHaveURL(/\/help\/rules\?search=leading%20zeros#leading-zeros/);
  await expect(page.getByText("lpad(bike_no, 6, '0')")).toBeInViewport();
});

test('the finder forgives misspellings, finds lines and records, and knows what was open lately', async ({ page }) => {
  await page.goto('/mappings/stations-to-warehouse');
  await expect(page.getByRole('heading', { name: 'Stations to warehouse' })).toBeVisible();
  await page.waitForFunction(() => localStorage.getItem('versicle.lately')?.includes('Stations'));
  await page.goto('/today');
  await page.keyboard.press('Control+k');
  const box = page.getByRole('combobox', { name: 'Find anything' });
  const options = page.getByRole('listbox', { name: 'Found' }).getByRole('option');
  await expect(options.first()).toContainText('Stations to warehouse');
  await box.fill('statoins to warehose');
  await expect(options.filter({ hasText: 'Stations to warehouse' }).first()).toBeVisible();
  await box.fill('distance trips');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/mappings\/trips-to-warehouse\?line=l11/);
  await page.keyboard.press('Control+k');
  const failed = await (await page.request.get('/api/failures?mapping=trips-to-warehouse&limit=1')).json();
  const [{ label }] = failed as [{ label: string }];
  await box.fill(label);
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/failures\?.*record=\d+/);
  await expect(page.getByRole('heading', { name: label })).toBeVisible();
});

test('colours by night are a choice that this browser keeps', async ({ page }) => {
  await page.goto('/today');
  const ground = (): Promise<string> => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const day = await ground();
  await page.getByRole('combobox', { name: 'Colours of the application' }).selectOption('by night');
  await expect.poll(ground).not.toBe(day);
  await page.reload();
  await expect(page.getByRole('combobox', { name: 'Colours of the application' })).toHaveValue('night');
  await expect.poll(ground).not.toBe(day);
});

test('a field is named and typed where it stands; a code table is made on its line', async ({ page }) => {
  test.slow();
  const id = await begin(page, 'Fields by name');
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.press('Control+Enter');
  await page.getByLabel('Type', { exact: true }).fill('dtae');
  await page.getByLabel('Type', { exact: true }).press('Tab');
  await expect(page.getByText('“dtae” is no type of a field.')).toBeVisible();
  await page.getByRole('textbox', { name: 'Name in the target' }).fill('station_code');
  await page.getByRole('textbox', { name: 'Name in the target' }).press('Tab');
  const named = await stored(page, id);
  expect(named.lines[0]).toMatchObject({ target: 'station_code' });
  expect(named).toMatchObject({ target: { key: ['station_code'] } });
  await page.getByRole('button', { name: 'Move down' }).click();
  await expect.poll(async () => (await stored(page, id)).lines[1]!['target']).toBe('station_code');
  // A look-up in a table that is not there yet.
  await page.goto(`/mappings/${id}?line=l03`);
  await page.getByLabel('Line 3, district, How').focus();
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.type('s.district');
  await page.keyboard.press('Tab');
  await page.keyboard.press('Tab');
  await page.keyboard.type('lookup wards');
  await page.keyboard.press('Enter');
  await expect(page.getByText('There is no code table of that name yet.')).toBeVisible();
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByText(/codes of the sample records are not in wards/)).toBeVisible();
  const code = page.getByLabel(/^What Harbour becomes$/);
  await code.fill('HB');
  await code.press('Tab');
  await expect(code).toBeHidden();
  await page.getByText('Paste codes, or read them from a file').click();
  await page.getByLabel('Codes from a spreadsheet: from, to, meaning').fill('Old town,OT,the old town\nnonsense');
  await page.getByRole('button', { name: 'Take these codes' }).click();
  await expect(page.getByText('One code was taken. No codes are in: nonsense.')).toBeVisible();
  expect(await stored(page, id)).toMatchObject({
    codeTables: {
      wards: [
        { from: 'Harbour', to: 'HB' },
        { from: 'Old town', to: 'OT', meaning: 'the old town' },
      ],
    },
  });
});
