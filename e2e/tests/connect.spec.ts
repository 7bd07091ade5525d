import { expect, test, type Page } from '@playwright/test';
import { mkdirSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

/** Connecting each kind of system, and knowing what is in it before anything is mapped; by mouse and keyboard. */

const port = (name: string): number => (JSON.parse(process.env['E2E_PORTS']!) as Record<string, number>)[name]!;
const folder = (name: string): string => join(dirname(process.env['E2E_FOLDER']!), name);

async function pick(page: Page, label: string, option: string): Promise<void> {
  const box = page.getByLabel(label, { exact: true }).first();
  await box.click({ force: true });
  await page.locator('.ant-select-item-option').getByText(option, { exact: true }).click();
}
async function begin(page: Page, name: string, kind: string): Promise<void> {
  await page.goto('/systems');
  await page.getByRole('button', { name: 'Connect a system' }).click();
  await page.getByLabel('Name', { exact: true }).fill(name);
  await pick(page, 'Kind', kind);
}
const entry = (page: Page, label: string) => page.getByLabel(label, { exact: true });

test('an API is connected; a wrong secret is said as such, and mended in place', async ({ page }) => {
  await begin(page, 'Members API', 'HTTP API');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await expect(page.getByRole('alert')).toContainText('Base address: something must stand here.');
  await entry(page, 'Base address').fill(`http://127.0.0.1:${port('membership')}/v2`);
  await pick(page, 'Signing in', 'OAuth 2, client credentials');
  await entry(page, 'Token address').fill(`http://127.0.0.1:${port('membership')}/oauth/token`);
  await entry(page, 'Client id').fill('versicle');
  await entry(page, 'Client secret').fill('wrong');
  await entry(page, 'Path to test with').fill('/plans');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await expect(page.getByRole('heading', { name: 'Members API' })).toBeVisible();
  await expect(page.getByText('client id or secret is wrong')).toBeVisible();

  await page.getByRole('button', { name: 'Change the connection …' }).click();
  await expect(entry(page, 'Client secret')).toHaveValue('');
  await expect(page.getByText('One is kept; leave this empty to keep it.')).toBeVisible();
  await entry(page, 'Client secret').fill('larkway-practice');
  await page.getByRole('button', { name: 'Save and test' }).click();
  await expect(page.getByText(/It answers in \d+ ms/)).toBeVisible();

  await test.step('a change that is refused leaves what was typed where it is', async () => {
    await page.getByRole('button', { name: 'Change the connection …' }).click();
    await entry(page, 'Base address').fill('http://169.254.169.254/');
    await entry(page, 'Time-out in seconds').fill('12');
    await page.getByRole('button', { name: 'Save and test' }).click();
    await expect(page.getByRole('alert')).toContainText('link-local or metadata address');
    await expect(entry(page, 'Base address')).toHaveValue('http://169.254.169.254/');
    await entry(page, 'Base address').fill('not an address');
    await page.getByRole('button', { name: 'Save and test' }).click();
    await expect(page.getByRole('alert')).toContainText(
      'Base address: write it in full, with http:// or https:// before it.',
    );
    await expect(entry(page, 'Time-out in seconds')).toHaveValue('12');
    await page.getByRole('button', { name: 'Leave as it was' }).click();
  });

  await test.step('its own description makes its datasets', async () => {
    const description = await (await fetch(`http://127.0.0.1:${port('membership')}/openapi.json`)).text();
    await page
      .getByLabel('The API’s description (OpenAPI) or a data dictionary from this computer')
      .setInputFiles({ name: 'openapi.json', mimeType: 'application/json', buffer: Buffer.from(description) });
    await expect(page.getByText('Brought in from the description of an API, openapi.json')).toBeVisible();
    await page.getByRole('link', { name: 'members', exact: true }).click();
    await expect(page.getByText('the first 100 rows')).toBeVisible();
    await expect(page.getByRole('columnheader', { name: 'external_no' })).toBeVisible();
  });
});

test('a dataset of an API is described by hand, a child of another one', async ({ page }) => {
  await begin(page, 'Docks by hand', 'HTTP API');
  await entry(page, 'Base address').fill(`http://127.0.0.1:${port('docks')}`);
  await pick(page, 'Signing in', 'API key in a header');
  await entry(page, 'Name of the header').fill('X-Api-Key');
  await entry(page, 'API key').fill('dock-practice');
  await entry(page, 'Path to test with').fill('/stations');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await page.getByRole('button', { name: 'Describe a dataset …' }).click();
  await entry(page, 'Name of the dataset').fill('stations');
  await entry(page, 'Path').fill('/station');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByRole('alert')).toContainText('/station answered with status 404');
  await entry(page, 'Path').fill('/stations');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByText('all 23 rows')).toBeVisible();
  await page.getByRole('link', { name: 'Docks by hand' }).click();
  await page.getByRole('button', { name: 'Describe a dataset …' }).click();
  await entry(page, 'Name of the dataset').fill('status');
  await entry(page, 'Path').fill('/stations/{code}/status');
  await entry(page, 'For each record of').fill('stations');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByText('all 23 rows')).toBeVisible();
  await expect(page.getByRole('columnheader', { name: '_parent_key' })).toBeVisible();
  // What was set down is changed in place.
  await page.getByRole('link', { name: 'Format' }).click();
  await page.getByRole('button', { name: 'Change …' }).click();
  await expect(entry(page, 'For each record of')).toHaveValue('stations');
  await entry(page, 'Path').fill('/stations/{cod}/status');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByRole('alert')).toContainText('the parent has no such field');
  await entry(page, 'Path').fill('/stations/{code}/status');
  await entry(page, 'Query parameters').fill('of={{today}}');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByRole('button', { name: 'Change …' })).toBeVisible();
});

test('how an API finds records by key is said where the dataset is described', async ({ page }) => {
  await page.goto('/systems/membership/dataset?name=plans&tab=format');
  await page.getByRole('button', { name: 'Change …' }).click();
  await entry(page, 'Found by the field').fill('code');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByRole('alert')).toContainText('a field, and the path that finds records by it, or neither');
  await entry(page, 'Asked for at').fill('/plans');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByRole('alert')).toContainText('Asked for at: must name {key}');
  await entry(page, 'Asked for at').fill('/plans?code={keys}');
  await entry(page, 'Keys in a request').fill('20');
  await page.getByRole('button', { name: 'Save and look at it' }).click();
  await expect(page.getByText('code, up to 20 a request')).toBeVisible();
});

test('the Ledger is connected over TCP, with another user for writing', async ({ page }) => {
  await begin(page, 'Books', 'PostgreSQL');
  for (const [label, value] of Object.entries({
    Host: '127.0.0.1',
    Port: String(port('ledger')),
    Database: 'ledger',
    User: 'reader',
    'User for writing': 'poster',
  }))
    await entry(page, label).fill(value);
  await entry(page, 'Password').fill('wrong');
  await entry(page, 'Password for writing').fill('posting-practice');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await expect(page.getByText('does not let reader in')).toBeVisible();
  await page.getByRole('button', { name: 'Change the connection …' }).click();
  await entry(page, 'Password').fill('ledger-practice');
  await page.getByRole('button', { name: 'Save and test' }).click();
  await expect(page.getByText('the user sees 5 tables and views')).toBeVisible();
  await page.getByRole('link', { name: 'acct', exact: true }).click();
  await expect(page.getByRole('cell', { name: 'A10000' })).toBeVisible();
});

test('all datasets of a system are looked at on a schedule', async ({ page }) => {
  await page.goto('/systems/docks');
  await pick(page, 'Looked at and profiled', 'every Monday');
  const time = page.getByLabel('Time of day');
  await time.fill('06:30');
  await time.press('Tab');
  await expect(page.getByText(/next .*06:30/)).toBeVisible();
  await page.reload();
  await expect(page.getByLabel('Time of day')).toHaveValue('06:30');
  await pick(page, 'Looked at and profiled', 'on request');
  await expect(page.getByLabel('Time of day')).toHaveCount(0);
});

test('how a file writes numbers is guessed, corrected, and the typed values follow', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=stations.csv&tab=format');
  await expect(page.getByText('numbers have a decimal comma (latitude, longitude)')).toBeVisible();
  const first = page.getByRole('row').nth(1);
  await expect(first).toContainText(/47,14450\s*= 47\.14450/);
  await expect(page.getByText(/Looks damaged in these rows:.*minus behind the number/)).toBeVisible();
  await pick(page, 'Decimal sign', 'point 1204.50');
  await expect(first).not.toContainText('= 47.14450');
  await entry(page, 'Dates are written').fill('QQ');
  await entry(page, 'Dates are written').press('Tab');
  await expect(page.getByRole('alert')).toContainText('can’t be written “QQ”');
  await page.getByRole('button', { name: /guess/i }).click();
  await expect(first).toContainText(/47,14450\s*= 47\.14450/);
});

/** Below what may be read. */
const NOWHERE = join(tmpdir(), 'nowhere/export');
for (const [what, kind, fill, sentence] of [
  [
    'a database whose host is not known',
    'PostgreSQL',
    { Host: 'nowhere.invalid', Database: 'books', User: 'ledger' },
    /There is no host called .*nowhere\.invalid/,
  ],
  [
    'a database that nothing answers for',
    'PostgreSQL',
    { Host: '127.0.0.1', Port: '1', Database: 'books', User: 'ledger' },
    /connection was refused/,
  ],
  ['a metadata address', 'HTTP API', { 'Base address': 'http://169.254.169.254/' }, /link-local or metadata address/],
  ['a folder that is not there', 'Folder of files', { Folder: NOWHERE }, `There is no folder ${NOWHERE}`],
] as const)
  test(`${what} is said as what it is`, async ({ page }) => {
    await begin(page, `Try ${what}`, kind);
    for (const [label, value] of Object.entries(fill)) await entry(page, label).fill(value);
    await page.getByRole('button', { name: 'Connect and test' }).click();
    await expect(page.getByText(sentence)).toBeVisible();
  });

test('a webhook shows its secret once, and what is sent with it', async ({ page }) => {
  await begin(page, 'Notices', 'Incoming webhook');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  const secret = await page.locator('.found code').first().textContent();
  await expect(page.getByText('it is not shown again')).toBeVisible();
  const body = '{"member":"L0000001","plan":"DAY"}';
  const { createHmac } = await import('node:crypto');
  const time = String(Math.floor(Date.now() / 1000));
  const sent = await page.request.post('/hooks/notices', {
    data: Buffer.from(body),
    headers: {
      'X-Signature': createHmac('sha256', secret!).update(`${time}.first.${body}`).digest('hex'),
      'X-Timestamp': time,
      'X-Delivery-Id': 'first',
      'Content-Type': 'application/json',
    },
  });
  expect(sent.status()).toBe(202);
  await page.getByRole('button', { name: 'Test the connection' }).click();
  await expect(page.getByText('one delivery came so far').or(page.getByText('1 delivery came so far'))).toBeVisible();
  await page.getByRole('link', { name: 'deliveries' }).click();
  await expect(page.getByRole('cell', { name: 'L0000001', exact: true })).toBeVisible();
});

test('mail is connected', async ({ page }) => {
  await begin(page, 'Post', 'Mail (SMTP)');
  await entry(page, 'Host').fill('127.0.0.1');
  await entry(page, 'Port').fill(String(port('smtp')));
  await pick(page, 'TLS', 'off');
  await entry(page, 'Sender').fill('versicle@example.org');
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await expect(page.getByText('takes mail from versicle@example.org')).toBeVisible();
});

test('a guessed format is corrected, the rows follow; a ruler is drawn over fixed-width text', async ({ page }) => {
  mkdirSync(folder('odd'), { recursive: true });
  writeFileSync(join(folder('odd'), 'list.csv'), 'made by hand;;\n\nno;name;price\n1;Bell;4,20\n2;Lamp;22,10\n');
  writeFileSync(
    join(folder('odd'), 'people.txt'),
    ['00417Marlowe   03.04.2019', '00418Tarn      17.11.2020', '00419Ode       01.01.2021'].join('\n'),
  );
  await begin(page, 'Odd files', 'Folder of files');
  await entry(page, 'Folder').fill(folder('odd'));
  await page.getByRole('button', { name: 'Connect and test' }).click();
  await page.getByRole('link', { name: 'list.csv' }).click();
  await page.getByRole('link', { name: 'Format', exact: true }).click();
  await entry(page, 'Rows above to leave out').fill('2');
  await entry(page, 'Rows above to leave out').press('Tab');
  await expect(page.getByText('Settled by a person.')).toBeVisible();
  await page.getByLabel('the first row has the names').check();
  await expect(page.getByRole('columnheader', { name: 'price' })).toBeVisible();
  await expect(page.getByRole('cell', { name: '22,10' })).toBeVisible();
  await page.getByRole('button', { name: 'Guess again' }).click();
  await expect(page.getByText('Guessed from the first bytes')).toBeVisible();

  await page.getByRole('link', { name: 'Odd files' }).click();
  await page.getByRole('link', { name: 'people.txt' }).click();
  await page.getByRole('link', { name: 'Format', exact: true }).click();
  // Two columns were seen, as blanks stand between them; the third is drawn.
  await expect(entry(page, 'From, column 2')).toHaveValue('16');
  const text = page.locator('vs-ruler pre').nth(1);
  // Where the sixth character begins: 5 characters in.
  const character = await text.evaluate((pre) => {
    const probe = document.createElement('span');
    probe.textContent = 'x'.repeat(100);
    pre.append(probe);
    const { width } = probe.getBoundingClientRect();
    probe.remove();
    return width / 100;
  });
  await text.click({ position: { x: 5 * character, y: 10 } });
  await expect(entry(page, 'From, column 2')).toHaveValue('6');
  await expect(entry(page, 'From, column 3')).toHaveValue('16');
  await entry(page, 'Name of column 2').fill('surname');
  await entry(page, 'Name of column 2').press('Tab');
  await expect(page.getByRole('columnheader', { name: 'surname' })).toBeVisible();
  await expect(page.getByRole('cell', { name: 'Marlowe', exact: true })).toBeVisible();
  // A beginning is taken away by the same click.
  await text.click({ position: { x: 15 * character, y: 10 } });
  await expect(entry(page, 'From, column 3')).toHaveCount(0);
});

test('nested XML is a dataset for each structure, a workbook one for each sheet', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=repairs.xml');
  await expect(page.getByText('the first 100 rows')).toBeVisible();
  await page.getByRole('link', { name: 'task.part' }).click();
  await expect(page.getByRole('heading', { name: 'repairs.xml/task.part' })).toBeVisible();
  await expect(page.getByRole('columnheader', { name: '_parent_key' })).toBeVisible();
  // Of the first records, or of all of them.
  await page.goto('/systems/tidebridge/dataset?name=repairs.xml&tab=format');
  await expect(page.getByText('Guessed from the first bytes of repairs.xml')).toBeVisible();
  await page.getByRole('button', { name: 'Learn from all records' }).click();
  await expect(page.getByText(/^ *Learned from all \d+ records; nothing in them is new\./)).toBeVisible();
  await page.getByRole('button', { name: 'Guess again' }).click();
  await expect(page.getByText('Guessed from the first bytes of repairs.xml')).toBeVisible();
  await page.goto('/systems/tidebridge/dataset?name=bikes.xlsx');
  await expect(page.getByRole('cell', { name: '0007501' })).toBeVisible();
  await page.getByRole('link', { name: 'Models' }).click();
  await expect(page.getByRole('cell', { name: 'Heron' })).toBeVisible();
  await expect(page.getByText('a hidden sheet')).toBeVisible();
});

test('a schema and a dictionary describe datasets; a field is found over all systems', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=repairs.xml&tab=structure');
  // Brought in beforehand with the demo world.
  await expect(page.getByText('Seven digits, leading zeros count')).toBeVisible();
  await page.goto('/systems/tidebridge/dataset?name=stations.csv&tab=structure');
  const chooser = page.getByLabel('A schema or dictionary from this computer');
  await chooser.setInputFiles({ name: 'wrong.csv', mimeType: 'text/csv', buffer: Buffer.from('A;B\n1;2\n') });
  await expect(page.getByRole('alert')).toContainText('headed like field names');
  await chooser.setInputFiles({
    name: 'stations.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('Field;Label;Type;Len;Comment\nlatitude;Latitude;VARCHAR2;20;degrees north of the equator\n'),
  });
  await expect(page.getByText('Brought in from the dictionary stations.csv')).toBeVisible();
  await expect(page.getByText('degrees north of the equator')).toBeVisible();
  await expect(page.getByText('was text, is varchar(20)')).toBeVisible();
  await page.goto('/systems');
  await page.getByLabel('Find a field').fill('degrees north');
  await expect(page.getByRole('link', { name: 'Tidebridge export / stations.csv' })).toBeVisible();
  await page.getByLabel('Find a field').fill('no such field at all');
  await expect(page.getByText('No known field has')).toBeVisible();
});

test('a profile is read, a check is added, a dataset is looked over', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=stations.csv&tab=values');
  await expect(page.getByText(/All 24 records were looked at/)).toBeVisible();
  await page.getByRole('button', { name: 'latitude' }).click();
  await expect(page.getByRole('heading', { name: /Patterns/ })).toBeVisible();
  // A value leads to its rows.
  await page.locator('tr.inside a').first().click();
  await expect(page.getByText('2 of 24 records meet the filter')).toBeVisible();
  // Its condition is kept, and chosen again by its name.
  await entry(page, 'Keep this one as').fill('Same latitude');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Same latitude', exact: true })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await page.getByRole('button', { name: 'Show all' }).click();
  await expect(page.getByText('all 24 rows')).toBeVisible();
  await page.getByRole('button', { name: 'Same latitude', exact: true }).click();
  await expect(page.getByText('2 of 24 records meet the filter')).toBeVisible();
  await page.getByRole('button', { name: 'Forget Same latitude' }).click();
  await expect(page.getByRole('button', { name: 'Same latitude', exact: true })).toBeHidden();
  await page.getByRole('link', { name: 'Quality' }).click();
  await expect(page.getByText(/^22 of 24/)).toBeVisible();
  await entry(page, 'Each record must meet').fill("code <> 'S-001'");
  await entry(page, 'Otherwise it').fill('is the first station');
  await page.getByRole('button', { name: 'Add the check' }).click();
  if (await page.getByRole('alert').isVisible())
    throw new Error((await page.getByRole('alert').textContent()) ?? 'refused');
  await expect(page.getByText(/^21 of 24/)).toBeVisible();
  await page.getByRole('link', { name: 'look at them' }).click();
  await expect(page.getByText('1 of 24 records meet the filter')).toBeVisible();
  await page.getByRole('link', { name: 'Quality' }).click();
  await entry(page, 'Note').fill('fit to be mapped');
  await page.getByRole('button', { name: 'I have looked it over' }).click();
  await expect(page.getByText(/Looked over by Ines Marlowe/)).toBeVisible();
  // Leave the demo world as it was.
  await page.getByRole('button', { name: 'Take away is the first station' }).click();
  await expect(page.getByText(/^22 of 24/)).toBeVisible();
});

test('rows are sorted by a click, and columns hidden; both stand in the address', async ({ page }) => {
  await page.goto('/systems/tidebridge/dataset?name=stations.csv');
  await page.getByRole('button', { name: 'code', exact: true }).click();
  await page.getByRole('button', { name: 'code ↑' }).click();
  await expect(page.getByRole('row').nth(1)).toContainText('S-023');
  // What reads as dates is sorted as such, and not by the day in front; what is none comes last.
  await page.getByRole('button', { name: 'opened', exact: true }).click();
  await expect(page.getByRole('row').nth(1)).toContainText('2011-01-23');
  await page.getByRole('button', { name: 'code', exact: true }).click();
  await page.getByRole('button', { name: 'code ↑' }).click();
  await page.getByText('Columns', { exact: true }).click();
  await page.getByRole('checkbox', { name: 'latitude' }).uncheck();
  await expect(page.getByRole('columnheader', { name: 'latitude' })).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole('row').nth(1)).toContainText('S-023');
  await expect(page.getByRole('columnheader', { name: 'latitude' })).toHaveCount(0);
});
