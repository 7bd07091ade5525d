import { expect, test, type Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { begin, choose, stored } from '../mapping.ts';

/** An entry of a select that is searched by typing. */
async function pick(page: Page, label: string, text: string): Promise<void> {
  await page.getByRole('combobox', { name: label }).click({ force: true });
  await page.keyboard.type(text);
  await page.locator('.ant-select-item-option').getByText(text).first().click();
}

test('a dataset is joined by proposed keys, its matches are counted, and a line uses it', async ({ page }) => {
  test.slow();
  const id = await begin(page, 'Joined stations');
  await page.getByRole('link', { name: 'Source set' }).click();
  await pick(page, 'Add a dataset', 'tidebridge/trips-*.csv');
  await page.getByRole('button', { name: 'Join where from_station = s.code' }).click();
  await expect(page.getByRole('textbox', { name: 'Condition of t' })).toHaveText('t.from_station = s.code');
  await stored(page, id);
  await page.getByRole('button', { name: 'Count the matches' }).click();
  await expect(page.getByText(/All 24 records find a partner; 24 find several/)).toBeVisible({ timeout: 90_000 });
  await expect(page.getByRole('table', { name: 'Asked for by nobody' })).toContainText('S-077');
  // Grouped, it is one record for each station again.
  await page.getByRole('button', { name: 'Group by: add a field' }).click();
  await expect(page.getByRole('textbox', { name: 'Group by 1' })).toHaveText('s.code');
  await stored(page, id);
  await page.getByRole('link', { name: 'Sheet', exact: true }).click();
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.keyboard.type('count(*)');
  await page.keyboard.press('Enter');
  await stored(page, id);
  await expect(page.getByRole('row', { name: /count\(\*\)/ })).toContainText(/\b\d{2,}\b/, { timeout: 30_000 });
  await page.getByRole('link', { name: 'SQL', exact: true }).click();
  await expect(page.getByRole('region', { name: 'The statement' })).toContainText(
    'LEFT JOIN "tidebridge/trips-*.csv" AS t',
  );
});

test('a missing code is filled in one place, and the mapping takes it over', async ({ page }) => {
  await page.goto('/codes');
  await page.getByRole('link', { name: 'tariff', exact: true }).click();
  const missing = page.getByRole('region', { name: 'Codes that records lack' });
  await expect(missing).toContainText('seven records went on without');
  await missing.getByLabel('What Z becomes').fill('CASUAL');
  await missing.getByRole('button', { name: 'Add it' }).click();
  await expect(missing).toContainText('in the table by now');
  const used = page.getByRole('region', { name: 'Where it is used' });
  await expect(used).toContainText(/Trips to warehouse\s*line 6; its copy lacks one code/);
  await used.getByRole('paragraph').filter({ hasText: 'Trips to warehouse' }).getByRole('button').click();
  await expect(used).toContainText(/Trips to warehouse\s*line 6; its copy is the same/);
  const { document } = await (await page.request.get('/api/mappings/trips-to-warehouse')).json();
  expect(document.codeTables.tariff).toContainEqual({ from: 'Z', to: 'CASUAL' });
});

test('a code table is read from a file, beside what it has', async ({ page }) => {
  await page.goto('/codes');
  await page.getByLabel('Name of a new code table').fill('colours');
  await page.getByRole('button', { name: 'Add a table' }).click();
  await page.getByLabel('From code').fill('R');
  await page.getByLabel('To code', { exact: true }).fill('red');
  await page.getByRole('button', { name: 'Add the code' }).click();
  await expect(page.getByLabel('To code of R')).toHaveValue('red');
  const buffer = Buffer.from('from;to;meaning\nR;rouge;\nB;blue;like the sea\nB;again;\n');
  await page.getByLabel('File of codes').setInputFiles({ name: 'colours.csv', mimeType: 'text/csv', buffer });
  await expect(page.getByText('one new, one changed').or(page.getByText('1 new'))).toBeVisible();
  await expect(page.getByText('Twice in the file, the first one counts: B')).toBeVisible();
  await page.getByRole('button', { name: 'Add and change' }).click();
  await expect(page.getByLabel('To code of R')).toHaveValue('rouge');
  await expect(page.getByLabel('Meaning of B')).toHaveValue('like the sea');
});

test('a foreign sheet is matched, read, and becomes a mapping', async ({ page }) => {
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet('Felder');
  sheet.addRows([
    ['Stations of Tidebridge'],
    ['Zielfeld', 'Quellfeld', 'Regel', 'Zuständig'],
    ['station_code', 'code', 'übernehmen', 'Fenn'],
    ['covered', 'sheltered', "wenn sheltered = 'yes' dann 'Y' sonst 'N'", null],
    ['mood', 'name', 'how it feels there', null],
  ]);
  await page.goto('/mappings/new');
  await page.getByRole('link', { name: 'from a spreadsheet' }).click();
  await page.getByLabel('Spreadsheet to read').setInputFiles({
    name: 'theirs.xlsx',
    mimeType: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    buffer: Buffer.from(await book.xlsx.writeBuffer()),
  });
  await expect(page.getByLabel('Row of the headings')).toHaveValue('2');
  await expect(page.getByText('3 of 4 columns matched')).toBeVisible();
  await pick(page, 'Source dataset', 'tidebridge/stations.csv');
  await page.getByLabel('Target, as system/dataset').fill('warehouse/theirs');
  await page.getByRole('button', { name: 'Read it' }).click();
  await expect(page.getByRole('heading', { name: /two lines understood, one line is to map/ })).toBeVisible();
  await page.getByRole('button', { name: 'Begin the mapping with it' }).click();
  await expect(page).toHaveURL(/\/mappings\/theirs/);
  await expect(page.getByRole('row', { name: /covered/ })).toContainText("CASE WHEN s.sheltered = 'yes'");
  await expect(page.getByRole('row', { name: /mood/ })).toContainText('to map');
});

test('a starter is used, and what does not fit is to map', async ({ page }) => {
  await page.goto('/mappings/new?source=tidebridge%2Fstations.csv');
  await page.locator('nz-select[aria-label="Begin with"]').click();
  await page.locator('.ant-select-item-option').getByText('Places: stations, sites, shops').click();
  await page.locator('#table').fill('places_by_starter');
  await page.getByLabel('Name of the mapping').fill('Places by starter');
  await page.getByRole('button', { name: 'Begin the mapping' }).click();
  await expect(page).toHaveURL(/\/mappings\/places-by-starter/);
  await expect(page.getByRole('row', { name: /parse_number\(s\.latitude/ })).toContainText(/47\.\d+/);
  await expect(page.getByText('0 of 8 agreed')).toBeVisible();
});

test('what people say and do about a line stands in its history; an agreed line that is edited is a draft again', async ({
  page,
}) => {
  const id = await begin(page, 'With a history');
  await page.getByRole('button', { name: 'Ines Marlowe' }).click();
  await page.getByLabel('Who you are').fill('Oda Fenn');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Oda Fenn' })).toBeVisible();
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await stored(page, id);
  await page.goto(`/mappings/${id}?line=l01`);
  await choose(page, 'State of the line', 'agreed');
  await stored(page, id);
  await page.getByLabel('Comment on this line').fill('Checked at the depot');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  const history = page.locator('vs-line-history');
  await expect(history).toContainText('Oda Fenn says: Checked at the depot');
  await expect(history).toContainText('Oda Fenn agreed to it');
  await page.getByRole('textbox', { name: 'Rule', exact: true }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('s.name');
  await expect(page.getByText('Line 1 was agreed; edited, it is a draft again.')).toBeVisible();
  const document = await stored(page, id);
  expect(document.lines[0]).toMatchObject({ rule: 's.name', state: 'drafted' });
  await page.getByLabel('Why this was done').fill('The code is no name');
  await page.keyboard.press('Enter');
  await expect(history).toContainText('because: The code is no name');
});

test('all lines are printed as a document: without what is only for the screen', async ({ page }) => {
  await page.goto('/mappings/all/lines');
  await expect(page.getByRole('button', { name: 'Print' })).toBeVisible();
  await page.emulateMedia({ media: 'print' });
  await expect(page.getByRole('navigation', { name: 'Contents' })).toBeHidden();
  await expect(page.getByRole('button', { name: 'Print' })).toBeHidden();
  await expect(page.getByRole('link', { name: 'Trips to warehouse, 16' })).toBeVisible();
  // Nothing is cut off at the right of the sheet, and it is more than one.
  const width = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  expect(width).toBe(0);
  const pages = (await page.pdf({ preferCSSPageSize: true })).toString('latin1').match(/\/Type \/Page\b/g);
  expect(pages!.length).toBeGreaterThan(1);
});

test('what awaits whom is listed, and leads there', async ({ page }) => {
  await page.goto('/mappings');
  await page.getByRole('link', { name: 'What awaits whom' }).click();
  const oda = page.getByRole('region', { name: 'Questions to Oda Fenn' });
  await expect(oda).toContainText('Trips to warehouse');
  await oda.getByRole('link', { name: /line 6 Tariff/ }).click();
  await expect(page).toHaveURL(/line=l06/);
});
