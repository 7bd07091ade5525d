import { expect, test } from '@playwright/test';
import { begin, paste, stored } from '../mapping.ts';

test('a mapping is written with the keyboard alone, and no key is lost', async ({ page }) => {
  const id = await begin(page, 'By keyboard');
  // Typed without a pause between choosing a cell and writing into it.
  for (const text of [
    's.code',
    'trim(s.name)',
    'lookup district',
    "parse_number(s.latitude, ',')",
    's.docks::integer',
    "parse_date(s.opened, 'DD.MM.YYYY')",
  ]) {
    await page.keyboard.type(text, { delay: 0 });
    await page.keyboard.press('Enter');
  }
  await page.getByRole('gridcell', { name: '3', exact: true }).click();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.type('s.district');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('gridcell', { name: '47.14450' })).toBeVisible();
  await expect(page.getByRole('gridcell', { name: '2014-06-02' })).toBeVisible();
  const { lines } = await stored(page, id);
  expect(lines.map((l) => [l['kind'], l['rule'] ?? l['source']])).toEqual([
    ['rule', 's.code'],
    ['rule', 'trim(s.name)'],
    ['lookup', 's.district'],
    ['rule', "parse_number(s.latitude, ',')"],
    ['rule', 's.docks::integer'],
    ['rule', "parse_date(s.opened, 'DD.MM.YYYY')"],
  ]);
});

test('cells from a spreadsheet program are pasted, undone and redone', async ({ page }) => {
  const id = await begin(page, 'By paste');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByLabel('Line 1, code, Source field')).toBeFocused();
  await paste(
    page,
    's.code\tstraight\tThe code\tagreed\r\n\t"trim(s.name)"\t"Name, ""official"""\tagreed\r\ns.district\tlookup district\tDistrict\tnonsense\r\n',
  );
  await expect(page.getByRole('alert')).toContainText('“nonsense” is none of these');
  let lines = (await stored(page, id)).lines;
  expect(lines.slice(0, 3).map((l) => [l['kind'], l['source'] ?? l['rule'], l['state']])).toEqual([
    ['straight', 's.code', 'agreed'],
    ['rule', 'trim(s.name)', 'agreed'],
    ['lookup', 's.district', 'drafted'],
  ]);
  await expect(page.getByRole('gridcell', { name: 'Name, "official"' })).toBeVisible();
  await page.getByLabel(/^Line 1/).focus();
  await page.keyboard.press('Control+z');
  lines = (await stored(page, id)).lines;
  expect(lines.every((l) => l['kind'] === undefined)).toBe(true);
  await page.keyboard.press('Control+y');
  lines = (await stored(page, id)).lines;
  expect(lines[2]!['codeTable']).toBe('district');
});

test('a cell can be edited, given up and cleared', async ({ page }) => {
  await begin(page, 'By cell');
  await page.keyboard.type('upper(s.code)');
  await page.keyboard.press('Escape');
  await expect(page.getByLabel('Line 1, code, How')).toHaveValue('');
  await page.keyboard.type('upper(s.code)');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('F2');
  await page.keyboard.type(" || '!'");
  await page.keyboard.press('Enter');
  await expect(page.getByRole('gridcell', { name: 'S-001!' })).toBeVisible();
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Delete');
  await expect(page.getByLabel('Line 1, code, How')).toHaveValue('');
});

test('a wrong rule is marked at its place, with a proposal that mends it', async ({ page }) => {
  await begin(page, 'By mistake');
  await page.keyboard.type('uper(s.code)');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('gridcell', { name: 'can’t run' })).toBeVisible();
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Control+Enter');
  await expect(page.locator('.cm-lintRange-error')).toHaveText('uper');
  await expect(page.getByRole('alert')).toContainText('Did you mean upper');
  await page.getByRole('button', { name: 'Use upper' }).click();
  await expect(page.getByRole('gridcell', { name: 'S-001', exact: true }).last()).toBeVisible();
  await expect(page.locator('.cm-lintRange-error')).toHaveCount(0);
});

test('the rule editor completes functions and fields', async ({ page }) => {
  await begin(page, 'By completion');
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Control+Enter');
  const rule = page.getByRole('textbox', { name: 'Rule', exact: true });
  await rule.click();
  await page.keyboard.press('Control+A');
  await page.keyboard.type('parse_nu');
  await expect(page.getByRole('option', { name: /parse_number/ })).toBeVisible();
  await expect(page.locator('.cm-completionInfo')).toContainText('1.204,50-');
  await page.keyboard.press('Enter');
  await page.keyboard.type('lati');
  await expect(page.getByRole('option', { name: /s\.latitude/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(rule).toContainText('parse_number(s.latitude)');
});

test('results that can’t be computed are said, and none of before is shown', async ({ page }) => {
  await page.route(/worker-[\w-]+\.js/, (route) =>
    route.fulfill({ status: 200, body: 'broken(', contentType: 'text/javascript' }),
  );
  await page.goto('/mappings/stations-to-warehouse');
  await expect(page.getByRole('alert')).toContainText('What computes the results broke');
  await page.unroute(/worker-[\w-]+\.js/);
  // The next step asks a new one.
  await page.getByRole('button', { name: 'Next sample record' }).click();
  await expect(page.getByText('What computes the results broke')).toBeHidden();
  await expect(page.getByRole('gridcell', { name: /Pier|S-0/ }).first()).toBeVisible();
});

test('publishing is refused on an error, and done after mending', async ({ page }) => {
  await begin(page, 'By refusal');
  await page.getByRole('button', { name: 'Publish …' }).click();
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByRole('alert').first()).toContainText('code is required');
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
});

test('a field that the table lacks is said before publishing, and added there', async ({ page }) => {
  const { document } = await (await page.request.get('/api/mappings/stations-to-warehouse')).json();
  document.name = 'Wider stations';
  document.target.fields.push({ name: 'mayor', type: 'varchar(40)' });
  document.lines.push({ id: 'l99', target: 'mayor', kind: 'constant', value: 'Oda Fenn', state: 'drafted' });
  const { id } = await (await page.request.post('/api/mappings', { data: { document } })).json();
  await page.goto(`/mappings/${id}`);
  await page.getByRole('button', { name: 'Publish …' }).click();
  const panel = page.getByRole('region', { name: 'Publish' });
  await expect(panel.getByText('mayor varchar(40)')).toBeVisible();
  await panel.getByRole('button', { name: 'Add it to the table' }).click();
  await expect(panel.getByText('warehouse/station has mayor now.')).toBeVisible();
  await panel.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
});

test('a missing code is added to the code table of the document', async ({ page }) => {
  await page.goto('/mappings/stations-to-warehouse?view=codes');
  await page.getByLabel('Name of a new code table').fill('district');
  await page.getByRole('button', { name: 'Add a table' }).click();
  await page.getByLabel('From code').fill('Marsh');
  await page.getByLabel('To code', { exact: true }).fill('M');
  await page.getByRole('button', { name: 'Add the code' }).click();
  await expect(page.getByText('1 codes, not used')).toBeVisible();
  await page.getByLabel('From code').fill('Marsh');
  await page.getByRole('button', { name: 'Add the code' }).click();
  await expect(page.getByRole('alert')).toContainText('in the table already');
  // It may stand twice, one time after the other.
  await page.getByLabel('Valid to of Marsh').fill('2026-02-30');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('alert')).toContainText('“2026-02-30” is no day');
  await expect(page.getByLabel('Valid to of Marsh')).toHaveValue('');
  await page.getByLabel('Valid to of Marsh').fill('2026-06-30');
  await page.keyboard.press('Tab');
  await page.getByLabel('From code').fill('Marsh');
  await page.getByLabel('To code', { exact: true }).fill('W');
  await page.getByRole('button', { name: 'Add the code' }).click();
  await expect(page.getByLabel('Valid from of Marsh').first()).toHaveValue('2026-07-01');
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
});

test('a range of cells is chosen, copied, filled down and emptied, each one step of undo', async ({
  page,
  context,
}) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  const id = await begin(page, 'Ranges');
  await page.keyboard.type('trim(s.name)');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  for (let i = 0; i < 3; i++) await page.keyboard.press('Shift+ArrowDown');
  await expect(page.getByLabel('Line 4, latitude, How, 4 cells chosen')).toBeFocused();
  await page.keyboard.press('Control+d');
  expect((await stored(page, id)).lines.slice(0, 5).map((l) => l['rule'])).toEqual([
    ...Array.from({ length: 4 }, () => 'trim(s.name)'),
    undefined,
  ]);
  // Copied as spreadsheet programs take it, with the columns beside.
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Control+c');
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe(
    ['code', 'name', 'district', 'latitude'].map((target) => `trim(s.name)\t${target}`).join('\n'),
  );
  await page.keyboard.press('Escape');
  await page.getByRole('gridcell', { name: '2', exact: true }).click();
  await page.getByRole('gridcell', { name: '4', exact: true }).click({ modifiers: ['Shift'] });
  for (let i = 0; i < 3; i++) await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Delete');
  expect((await stored(page, id)).lines.map((l) => l['rule'])).toEqual(['trim(s.name)', ...Array.from({ length: 5 })]);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  expect((await stored(page, id)).lines.map((l) => l['rule'])).toEqual(['trim(s.name)', ...Array.from({ length: 5 })]);
});

test('a text is replaced in all rules at once', async ({ page }) => {
  const id = await begin(page, 'Replacing');
  for (const text of ['trim(s.name)', 'upper(s.name)', 's.code']) {
    await page.keyboard.type(text);
    await page.keyboard.press('Enter');
  }
  await page.keyboard.press('/');
  await page.keyboard.type('s.name');
  await expect(page.getByText('stands, written just so, 2 times in the rules of 2 lines')).toBeVisible();
  await page.getByLabel('Replace by').fill('s.district');
  await page.getByRole('button', { name: 'Replace all' }).click();
  await expect(page.getByText('Replaced two places in two lines')).toBeVisible();
  expect((await stored(page, id)).lines.slice(0, 3).map((l) => l['rule'])).toEqual([
    'trim(s.district)',
    'upper(s.district)',
    's.code',
  ]);
  await page.keyboard.press('Control+z');
  expect((await stored(page, id)).lines[0]!['rule']).toBe('trim(s.name)');
  // Case decides what is replaced, and the page says so.
  await page.keyboard.press('/');
  await page.keyboard.type('S.NAME');
  await expect(page.getByText('No rule has “S.NAME” written just so')).toBeVisible();
  await expect(page.getByRole('row', { name: /upper\(s\.name\)/ })).toBeVisible();
});

test('the cells are one stop for Tab; what a cell takes is gone to by arrows; an open line is entered and left by keys', async ({
  page,
}) => {
  const id = await begin(page, 'By keys alone');
  const cell = page.locator('input.box');
  const choices = page.getByRole('listbox', { name: 'What this cell takes' });

  await test.step('a code table is taken from the list', async () => {
    await page.keyboard.type('look');
    await expect(choices.getByRole('option')).toHaveText([/lookup district/]);
    await expect(cell).toHaveAttribute('aria-expanded', 'true');
    await page.keyboard.press('ArrowDown');
    await expect(cell).toHaveAttribute('aria-activedescendant', 'cell-choice-0');
    await page.keyboard.press('Enter');
    await expect(choices).toBeHidden();
    expect((await stored(page, id)).lines[0]).toMatchObject({ kind: 'lookup', codeTable: 'district' });
  });
  await test.step('a state is one of four, shown at once', async () => {
    for (const column of ['Target field', 'Result', 'State']) {
      await page.keyboard.press('ArrowRight');
      await expect(page.getByLabel(`Line 1, code, ${column}`)).toBeFocused();
    }
    await page.keyboard.press('Enter');
    await expect(choices.getByRole('option')).toHaveCount(4);
    for (let i = 0; i < 4; i++) await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    expect((await stored(page, id)).lines[0]).toMatchObject({ state: 'agreed' });
  });
  await test.step('what can’t be written has its value in its name', async () => {
    await page.keyboard.press('ArrowLeft');
    await expect(page.getByLabel(/^Line 1, code, Result: /)).toBeFocused();
    await expect(cell).toHaveAttribute('readonly');
  });
  await test.step('Tab goes into an open line, Escape back to its cells; Tab leaves the cells', async () => {
    await page.keyboard.press('Control+Enter');
    const leaf = page.locator('.leaf');
    await expect(leaf).toBeVisible();
    await page.keyboard.press('Tab');
    await expect(leaf.locator(':focus')).toHaveCount(1);
    await page.keyboard.press('Escape');
    await expect(cell).toBeFocused();
    await expect(leaf).toBeVisible();
    await page.keyboard.press('Escape');
    await expect(leaf).toBeHidden();
    await page.keyboard.press('Tab');
    await expect(cell).not.toBeFocused();
    await page.keyboard.press('Shift+Tab');
    await expect(cell).toBeFocused();
    await page.keyboard.press('Shift+Tab');
    await expect(cell).not.toBeFocused();
  });
  await test.step('the tree that screen readers have', async () => {
    await expect(page.getByRole('grid', { name: 'Lines of the mapping' })).toMatchAriaSnapshot(`
      - grid "Lines of the mapping":
        - row:
          - columnheader "Line"
          - columnheader /Source field/
          - columnheader "Value"
          - columnheader "How"
          - columnheader /Target field/
          - columnheader "Result"
          - columnheader "State"
          - columnheader "Failed"
        - row:
          - gridcell "1"
    `);
  });
});

test('Escape in the box that finds lines shows all of them again', async ({ page }) => {
  await begin(page, 'Finding');
  await page.keyboard.press('/');
  await page.keyboard.type('district');
  await expect(page).toHaveURL(/find=district/);
  await expect(page.getByRole('row', { name: /latitude/ })).toHaveCount(0);
  await page.keyboard.press('Escape');
  await expect(page).not.toHaveURL(/find=/);
  await expect(page.getByLabel('Find in the lines')).toHaveValue('');
  await expect(page.getByRole('row', { name: /latitude/ })).not.toHaveCount(0);
});

test('suggestions are read with their reasons, and taken as drafts', async ({ page }) => {
  const id = await begin(page, 'Suggested');
  await page.getByRole('button', { name: 'Suggest for 6 to map' }).click();
  const panel = page.getByRole('region', { name: 'Suggestions' });
  await expect(panel.getByText('the name is the same (district)')).toBeVisible();
  await panel.getByRole('button', { name: 'Take the suggestion for opened' }).click();
  await expect(panel.getByRole('button', { name: 'Take the suggestion for opened' })).toHaveCount(0);
  await panel.getByRole('button', { name: /Take the \d of at least 80 %/ }).click();
  await expect(page.getByText('drafted from suggestions')).toBeVisible();
  const { lines } = await stored(page, id);
  expect(lines.every((l) => l['state'] === 'drafted')).toBe(true);
  expect(lines.map((l) => l['source'])).toEqual(
    ['code', 'name', 'district', 'latitude', 'docks', 'opened'].map((f) => `s.${f}`),
  );
  await expect(panel.getByText('No line is left to map.')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(panel.getByText('the name is the same (district)')).toBeVisible();
});

test('a reader that reads over damage is remarked on, and the strict one is a click away', async ({ page }) => {
  const id = await begin(page, 'Strictly');
  await page.keyboard.type("to_date(s.opened, 'DD.MM.YYYY')");
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('to_date reads over what does not fit')).toBeVisible();
  await page.getByRole('button', { name: 'Use parse_date' }).click();
  await expect(page.getByText('to_date reads over what does not fit')).toHaveCount(0);
  expect((await stored(page, id)).lines[0]!['rule']).toBe("parse_date(s.opened, 'DD.MM.YYYY')");
});

test('a mapping of twenty lines is written from nothing by keyboard alone', async ({ page }) => {
  const columns = Array.from({ length: 20 }, (_, i) => `field_${i + 1}`);
  const id = await begin(page, 'Twenty lines', columns);
  const rules = [
    's.code',
    'trim(s.name)',
    "parse_number(s.latitude, ',')",
    "parse_date(s.opened, 'DD.MM.YYYY')",
    'constant GB',
    'upper(s.district)',
    'not loaded',
    'generated uuid',
    'length(s.name)',
    "COALESCE(s.docks, '0')",
  ];
  for (let i = 0; i < 20; i++) {
    await page.keyboard.type(rules[i % 10]!, { delay: 0 });
    await page.keyboard.press('Enter');
  }
  // The condition of the first line, in the line that opens below itself.
  await page.keyboard.press('Control+Home');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('textbox', { name: 'Only when' })).toBeVisible();
  await page.keyboard.press('Escape');
  const { lines } = await stored(page, id);
  expect(lines).toHaveLength(20);
  expect(lines.map((l) => l['rule'] ?? l['value'] ?? l['generate'] ?? l['kind'])).toEqual(
    Array.from({ length: 20 }, (_, i) => rules[i % 10]!.replace(/^(constant|generated) /, '')),
  );
  await expect(page.getByRole('gridcell', { name: '47.14450' }).first()).toBeVisible();
  for (let i = 0; i < 20; i++) await page.keyboard.press('Control+z');
  expect((await stored(page, id)).lines.every((l) => l['kind'] === undefined)).toBe(true);
});

test('200 lines are pasted, filled down and undone in one step each; the sheet draws those in sight', async ({
  page,
}) => {
  const columns = Array.from({ length: 200 }, (_, i) => `field_${i + 1}`);
  const id = await begin(page, 'Two hundred', columns);
  await page.keyboard.press('Home');
  await page.keyboard.press('ArrowRight');
  const pasted = columns.map((_, i) =>
    i % 2 === 0
      ? `s.name\tstraight\t"Label ""${i + 1}""\nof two lines"\tagreed`
      : `\tupper(s.code) || '${i}'\tLabel ${i + 1}\tdrafted`,
  );
  await paste(page, `${pasted.join('\r\n')}\r\n`);
  let { lines } = await stored(page, id);
  expect(lines).toHaveLength(200);
  expect(lines.filter((l) => l['kind'] === 'straight')).toHaveLength(100);
  expect(lines[199]).toMatchObject({ kind: 'rule', rule: "upper(s.code) || '199'" });
  // Far fewer rows than lines are drawn, and the last one is a key away.
  expect(await page.getByRole('row').count()).toBeLessThan(80);
  await page.keyboard.press('Control+End');
  await expect(page.getByRole('gridcell', { name: "rule upper(s.code) || '199'" })).toBeInViewport();
  await page.keyboard.press('Control+Home');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Control+Shift+End');
  await page.keyboard.press('Control+d');
  ({ lines } = await stored(page, id));
  expect(lines.every((l) => l['kind'] === 'straight')).toBe(true);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  expect((await stored(page, id)).lines.every((l) => l['kind'] === undefined)).toBe(true);
});
