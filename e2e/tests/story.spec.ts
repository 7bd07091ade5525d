import { expect, test, type Page } from '@playwright/test';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** The whole way, by mouse and keyboard: from a folder of files to records that arrive after a replay. */

const folder = (): string => join(dirname(process.env['E2E_FOLDER']!), 'parts');
const ROWS = [
  'part_no;name;price;since',
  '00417;Chain, nine links;12,50;03.04.2019',
  '00418;"Seat ""comfort""";31,00;17.11.2020',
  '1E5;Bell;4,20;01.02.2021',
  '00420;Refund of a lock;7,90-;28.02.2022',
  '00421;Basket;18.40;09.09.2022',
  '00422;Lamp;22.10;10.09.2022',
];

async function pick(page: Page, label: string, option: string): Promise<void> {
  await page.getByLabel(label, { exact: true }).first().click({ force: true });
  // Typing finds it, however many there are.
  await page.keyboard.type(option);
  await page.locator('.ant-select-item-option').getByText(option, { exact: true }).click();
}

test('a messy file becomes rows in a target, and every failed record lies under its line', async ({ page }) => {
  mkdirSync(folder(), { recursive: true });
  writeFileSync(join(folder(), 'parts.csv'), `${ROWS.join('\n')}\n`);

  await test.step('a folder of files is connected', async () => {
    await page.goto('/systems');
    await page.getByRole('button', { name: 'Connect a system' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Parts folder');
    await page.getByLabel('Folder', { exact: true }).fill(folder());
    await page.getByRole('button', { name: 'Connect and test' }).click();
    await expect(page.getByRole('heading', { name: 'Parts folder' })).toBeVisible();
    await expect(page.getByText('The folder holds 1 file, 1 of which can be read as records.')).toBeVisible();
  });

  await test.step('a file is looked at', async () => {
    await page.getByRole('link', { name: 'parts.csv' }).click();
    await expect(page.getByText('all 6 rows')).toBeVisible();
    await expect(page.getByRole('cell', { name: '00417' })).toBeVisible();
    await expect(page.getByRole('cell', { name: '1E5' })).toBeVisible();
    await expect(page.getByRole('cell', { name: 'Seat "comfort"' })).toBeVisible();
    await page.getByLabel('Only rows where').fill("price LIKE '%.%'");
    await page.getByRole('button', { name: 'Filter' }).click();
    await expect(page.getByText('2 of 6 records meet the filter')).toBeVisible();
  });

  await test.step('a mapping is begun', async () => {
    await page.getByRole('link', { name: 'Map this dataset' }).click();
    await expect(page.getByLabel('Name of the mapping')).toHaveValue('Parts to warehouse');
    await page.getByLabel('Table', { exact: true }).fill('part');
    await page.getByRole('button', { name: 'Begin the mapping' }).click();
    await expect(page.getByRole('heading', { name: 'Parts to warehouse' })).toBeVisible();
    await expect(page.getByText('0 of 4 agreed')).toBeVisible();
  });

  await test.step('the document is edited on the sheet, with live results', async () => {
    // The chosen cell is “How” of the first line: the keys alone write the rules.
    await expect(page.getByLabel('Line 1, part_no, How')).toBeFocused();
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('ArrowDown');
    await page.keyboard.type("parse_number(p.price, ',')");
    await page.keyboard.press('Enter');
    await page.keyboard.type("parse_date(p.since, 'DD.MM.YYYY')");
    await page.keyboard.press('Enter');
    await expect(page.getByRole('gridcell', { name: '12.50', exact: true })).toBeVisible();
    await expect(page.getByRole('gridcell', { name: '2019-04-03' })).toBeVisible();
    // The next sample records; the fourth has its minus behind the number.
    for (let i = 0; i < 3; i++) await page.keyboard.press('Alt+ArrowDown');
    await expect(page.getByRole('gridcell', { name: '-7.90' })).toBeVisible();

    // Types and key are set where the line opens below itself.
    await page.keyboard.press('Control+Enter');
    await page.getByLabel('Type', { exact: true }).fill('date');
    await page.getByLabel('Type', { exact: true }).press('Tab');
    await page.keyboard.press('Escape');
    await page.getByRole('gridcell', { name: '1', exact: true }).dblclick();
    await page.getByLabel('key', { exact: true }).check();
    await page.getByLabel('required', { exact: true }).check();
    await page.getByRole('gridcell', { name: '3', exact: true }).dblclick();
    await page.getByLabel('Type', { exact: true }).fill('numeric(8,2)');
    await page.getByLabel('Type', { exact: true }).press('Tab');
    await expect(page.getByText('2 of 6 sample records fail here.')).toBeVisible();
    await page.getByRole('link', { name: 'Document' }).click();
    await pick(page, 'How they are written', 'upsert: changed where the key exists, added where not');
    await expect(page.getByText('saved', { exact: true })).toBeVisible();
    await page.getByRole('link', { name: 'Sheet', exact: true }).click();
  });

  await test.step('it is published and run', async () => {
    await page.getByRole('button', { name: 'Publish …' }).click();
    await page.getByLabel('Note, for those who read it later').fill('First version');
    await page.getByRole('button', { name: 'Publish revision 1' }).click();
    await expect(page.getByText('Revision 1 is published.')).toBeVisible();
    await page.getByRole('link', { name: 'Make a plan of it' }).click();
    // The form is filled in; what was made can be run at once.
    await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Parts to warehouse');
    await page.getByLabel('Name', { exact: true }).fill('Parts, once');
    await page.getByRole('button', { name: 'Make the plan' }).click();
    await expect(page.getByText('upsert into warehouse/part.')).toBeVisible();
    await page.getByRole('button', { name: 'Run all' }).click();
    await expect(page.getByText('finished: 4 records delivered, 2 records failed')).toBeVisible();
    await expect(page.getByText('it adds up')).toBeVisible();
  });

  await test.step('its failed records are found under the line, and the rule is mended there', async () => {
    await page.getByRole('link', { name: /Line 3 price/ }).click();
    await expect(page.getByRole('heading', { name: '00421, Basket' })).toBeVisible();
    await page.getByRole('link', { name: 'Change the rule on line 3' }).click();
    await expect(page.getByText('the failed record, row 5 · 00421 · Basket')).toBeVisible();
    const rule = page.getByRole('textbox', { name: 'Rule', exact: true });
    await expect(rule).toContainText("parse_number(p.price, ',')");
    await expect(page.getByText('18.40 is not a number with the decimal mark').first()).toBeVisible();
    await rule.click();
    await page.keyboard.press('Control+A');
    await page.keyboard.insertText("parse_number(replace(p.price, '.', ','), ',')");
    await expect(page.getByRole('gridcell', { name: '18.40', exact: true })).toHaveCount(2);
    await expect(page.getByText('sample records fail here.')).toHaveCount(0);
    await page.getByRole('button', { name: 'Publish …' }).click();
    await expect(page.getByText('What changes since revision 1')).toBeVisible();
    await expect(
      page.locator('vs-difference').getByText("parse_number(replace(p.price, '.', ','), ',')"),
    ).toBeVisible();
    await page.getByRole('button', { name: 'Publish revision 2' }).click();
    await page.getByRole('link', { name: 'Back to the failed record' }).click();
  });

  await test.step('only the failed records are replayed, and arrive', async () => {
    await page.getByRole('link', { name: /Line 3 price/ }).click();
    await page.getByRole('button', { name: 'Replay all 2' }).click();
    await expect(page.getByText(/Sends 2 records again, as they were read, through revision 2/)).toBeVisible();
    await page.getByRole('button', { name: 'Replay 2', exact: true }).click();
    await expect(page.getByText('Sent 2 records again through revision 2: 2 delivered.')).toBeVisible();
    await expect(page.getByText(/delivered in run \d+, revision 2/)).toBeVisible();
    const answer = await page.request.get('/api/systems/warehouse/rows?dataset=part');
    const { fields, rows } = (await answer.json()) as { fields: string[]; rows: { values: string[] }[] };
    expect(fields).toEqual(['part_no', 'name', 'price', 'since']);
    expect(rows.map((r) => r.values).sort()).toEqual([
      ['00417', 'Chain, nine links', '12.50', '2019-04-03'],
      ['00418', 'Seat "comfort"', '31.00', '2020-11-17'],
      ['00420', 'Refund of a lock', '-7.90', '2022-02-28'],
      ['00421', 'Basket', '18.40', '2022-09-09'],
      ['00422', 'Lamp', '22.10', '2022-09-10'],
      ['1E5', 'Bell', '4.20', '2021-02-01'],
    ]);
  });
});
