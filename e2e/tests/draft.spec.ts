import { expect, test } from '@playwright/test';
import ExcelJS from 'exceljs';
import { begin, choose, stored } from '../mapping.ts';

test('a draft is tried on real records, and a failing line is mended from there', async ({ page }) => {
  const id = await begin(page, 'On trial');
  for (const text of [
    's.code',
    's.name',
    's.district',
    's.latitude',
    's.docks',
    "parse_date(s.opened, 'YYYY-MM-DD')",
  ]) {
    await page.keyboard.type(text, { delay: 0 });
    await page.keyboard.press('Enter');
  }
  await stored(page, id);
  await page.getByRole('link', { name: 'Trial', exact: true }).click();
  await choose(page, 'How many records', 'all records');
  await page.getByRole('button', { name: 'Try it' }).click();
  const outcome = page.getByRole('region', { name: 'What a run would do' });
  await expect(outcome).toContainText('24 read');
  await expect(outcome).toContainText('24 failed');
  // Peeking: what goes no further at the lines, and why.
  await page.getByRole('button', { name: '24 fail on a line' }).click();
  await expect(page.getByRole('region', { name: 'Records at the stage' })).toContainText('wants four');
  await page
    .getByRole('button', { name: /^Row 1 on the sheet$/ })
    .first()
    .click();
  await expect(page.getByText('Values in and out')).toBeVisible();
  const rule = page.getByRole('textbox', { name: 'Rule' });
  await rule.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type("parse_date(s.opened, 'DD.MM.YYYY')");
  await stored(page, id);
  await page.getByRole('link', { name: 'Trial', exact: true }).click();
  await expect(page.getByText('the draft has been changed since')).toBeVisible();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(outcome).toContainText(/2\d would be delivered/);
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Records as CSV' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe('on-trial-mapped.csv');
});

test('a trial of a draft with errors is refused with all of them', async ({ page }) => {
  const id = await begin(page, 'Not to be tried');
  await page.keyboard.type('uper(s.code)');
  await page.keyboard.press('Enter');
  await stored(page, id);
  await page.getByRole('link', { name: 'Trial', exact: true }).click();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('alert')).toContainText('Did you mean upper');
});

test('a sample record is kept as an example; an edit that breaks it is said so, and can’t be published', async ({
  page,
}) => {
  const id = await begin(page, 'By example', ['code', 'name']);
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.keyboard.type('trim(s.name)');
  await page.keyboard.press('Enter');
  await page.keyboard.press('Alt+ArrowDown');
  await page.getByRole('button', { name: 'Keep as example' }).click();
  expect(await stored(page, id)).toMatchObject({ examples: [{ id: 'e01', expect: { outcome: 'written' } }] });
  await page.getByRole('link', { name: 'Examples' }).click();
  await expect(page.getByText('All come out as expected.')).toBeVisible();
  await page.getByRole('button', { name: /^e01/ }).click();
  await page.getByLabel('What it is an example of').fill('The second station');
  await page.getByRole('link', { name: 'Sheet', exact: true }).click();
  await page.getByRole('gridcell', { name: 'rule trim(s.name)' }).click();
  await page.keyboard.type('upper(s.name)');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: /^Examples 1$/ }).click();
  await expect(page.getByRole('region', { name: 'Example e01' })).toContainText('name should be');
  await stored(page, id);
  await page.getByRole('button', { name: 'Publish …' }).click();
  await page.getByRole('button', { name: /^Publish revision/ }).click();
  await expect(page.getByRole('alert').first()).toContainText('The second station (e01): name should be');
  // What comes out now is right after all.
  await page.getByRole('button', { name: 'Expect what comes out of e01 now' }).click();
  await expect(page.getByText('All come out as expected.')).toBeVisible();
  // It is stepped through on the sheet like any sample record.
  await page.getByRole('button', { name: 'Show e01 on the sheet' }).click();
  await expect(page.getByText('1 of 1 · The second station')).toBeVisible();
});

test('a rule is made by a form, edited as SQL, and shown in the form again where it fits', async ({ page }) => {
  const id = await begin(page, 'By form', ['code', 'name']);
  await page.keyboard.type('s.name');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Control+Enter');
  await choose(page, 'Form', 'part of a text');
  await page.getByLabel('Split at').fill(' ');
  await page.getByLabel('Part', { exact: true }).fill('2');
  await page.getByLabel('Part', { exact: true }).press('Tab');
  const rule = page.getByRole('textbox', { name: 'Rule' });
  await expect(rule).toHaveText("trim(split_part(s.name, ' ', 2))");
  await rule.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type("upper(split_part(s.name, ' ', 3))");
  await expect(page.getByText('This rule says more than a form can; it stays SQL.')).toBeVisible();
  await page.keyboard.press('Control+a');
  await page.keyboard.type("split_part(s.name, ' ', 3)");
  await expect(page.getByLabel('Part', { exact: true })).toHaveValue('3');
  await expect(page.getByLabel('without blanks around it')).not.toBeChecked();
  await choose(page, 'Form', 'translate codes');
  await choose(page, 'Code table of the form', 'district');
  expect((await stored(page, id)).lines[0]).toMatchObject({ kind: 'lookup', source: 's.name', codeTable: 'district' });
});

test('a question is asked on a line, answered among all questions, and the line is a draft again', async ({ page }) => {
  const id = await begin(page, 'With a question', ['code', 'name']);
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Control+Enter');
  await page.getByRole('button', { name: 'Ask a question on this line' }).click();
  await page.getByLabel('Question', { exact: true }).fill('Which code is it?');
  await page.getByLabel('To whom').fill('Oda Fenn');
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  await expect(page.getByText('not answered yet')).toBeVisible();
  expect((await stored(page, id)).lines[0]).toMatchObject({ state: 'question' });
  await page.getByRole('link', { name: 'Questions 1' }).click();
  await page.getByRole('button', { name: 'Answer' }).click();
  await page.getByRole('textbox', { name: 'Answer' }).fill('The one on the pole.');
  await page.getByRole('button', { name: 'Keep the answer' }).click();
  await expect(page.getByText('The one on the pole.')).toBeVisible();
  expect((await stored(page, id)).lines[0]).toMatchObject({ state: 'drafted' });
  await page.getByRole('button', { name: 'Line 1, code' }).click();
  await expect(page.getByText('Values in and out')).toBeVisible();
});

test('two revisions are compared, and an older one is taken up again', async ({ page }) => {
  const id = await begin(page, 'Gone back', ['code', 'name']);
  const publish = async (rule: string): Promise<void> => {
    await page.keyboard.press('Control+Home');
    await page.keyboard.type(rule);
    await page.keyboard.press('Enter');
    await stored(page, id);
    await page.getByRole('button', { name: 'Publish …' }).click();
    await page.getByRole('button', { name: /^Publish revision/ }).click();
    await expect(page.getByText(/^revision \d$/)).toBeVisible();
    await page.getByLabel(/^Line \d, /).focus();
  };
  await publish('s.code');
  await publish('upper(s.code)');
  await publish('lower(s.code)');
  await page.goto(`/mappings/${id}/revisions?from=1&to=3`);
  await expect(page.getByText('lower(s.code)')).toBeVisible();
  await choose(page, 'From', 'revision 3');
  await choose(page, 'To', 'revision 2');
  await expect(page.getByText('upper(s.code)')).toBeVisible();
  await page.getByRole('button', { name: 'Go back to it …' }).click();
  await page.getByRole('button', { name: 'Replace the draft by revision 2' }).click();
  await expect(page.getByText('The draft says again what revision 2 says.')).toBeVisible();
  await expect(page.getByRole('gridcell', { name: 'rule upper(s.code)' })).toBeVisible();
});

test('a workbook goes out, is changed by somebody, and comes back with its differences shown', async ({ page }) => {
  const id = await begin(page, 'By workbook', ['code', 'name']);
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await stored(page, id);
  await page.getByRole('button', { name: 'Workbook' }).click();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download it (.xlsx)' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe('by-workbook.xlsx');
  const path = await download.path();
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(path);
  const sheet = book.getWorksheet('Mapping')!;
  const column = (name: string): number => (sheet.getRow(1).values as string[]).indexOf(name);
  sheet.getCell(3, column('Kind')).value = 'rule';
  sheet.getCell(3, column('Rule')).value = 'trim(s.name)';
  sheet.getCell(3, column('State')).value = 'agreed';
  const content = Buffer.from(await book.xlsx.writeBuffer());
  const give = async (name: string, buffer: Buffer): Promise<void> => {
    await page
      .getByLabel('Workbook to read back')
      .setInputFiles({ name, mimeType: 'application/octet-stream', buffer });
  };
  await give('answered.xlsx', content);
  const panel = page.getByRole('region', { name: 'The workbook against the draft' });
  await expect(panel).toContainText('One line changed');
  await expect(panel).toContainText('trim(s.name)');
  await panel.getByRole('button', { name: 'Take it over' }).click();
  await expect(page.getByRole('gridcell', { name: 'rule trim(s.name)' })).toBeVisible();
  expect((await stored(page, id)).lines[1]).toMatchObject({ rule: 'trim(s.name)', state: 'agreed' });

  await test.step('a word that is not understood keeps nothing else out', async () => {
    sheet.getCell(2, column('State')).value = 'approved';
    sheet.getCell(2, column('Note')).value = 'as Hanno said';
    await give('odd.xlsx', Buffer.from(await book.xlsx.writeBuffer()));
    await expect(panel.getByRole('alert')).toContainText('One cell can’t be taken');
    await expect(panel.getByRole('listitem').first()).toContainText(
      'Mapping, row 2, State: “approved” is none of the words that are possible here: to map, question, drafted, agreed.',
    );
    if (process.env['SHOT']) await page.screenshot({ path: process.env['SHOT'] });
    await panel.getByRole('button', { name: 'Take it over' }).click();
    expect((await stored(page, id)).lines[0]).toMatchObject({ note: 'as Hanno said', state: 'drafted' });
  });
  await give('cut.xlsx', content.subarray(0, 3000));
  await expect(page.getByText(/cut.xlsx.*not a sound ZIP archive/)).toBeVisible();
});

test('columns are chosen and made wider, also by keys, and stay so', async ({ page }) => {
  const id = await begin(page, 'By column', ['code', 'name']);
  await page.getByRole('button', { name: 'Columns' }).click();
  await page.getByLabel('Only when').check();
  await page.getByLabel('Note', { exact: true }).check();
  await page.keyboard.press('Escape');
  const header = page.getByRole('columnheader', { name: 'Only when' });
  await page.getByRole('gridcell', { name: '1', exact: true }).click();
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
  await page.keyboard.type("s.code <> ''");
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  const width = async (): Promise<number> => (await header.boundingBox())!.width;
  const before = await width();
  await page.keyboard.press('Alt+Shift+ArrowRight');
  // The page draws when it has come to it, not with the key.
  await expect.poll(width).toBeGreaterThan(before + 20);
  expect((await stored(page, id)).lines[0]).toMatchObject({ condition: "s.code <> ''" });
  await page.reload();
  await expect(header).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Note' })).toBeVisible();
});
