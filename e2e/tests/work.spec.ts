import { expect, test, type Page } from '@playwright/test';
import { begin, stored } from '../mapping.ts';

/** What people type is never lost, and never lands where they did not mean it. */

const ruleOf = async (page: Page, id: string, line: number): Promise<unknown> => {
  const answer = await page.request.get(`/api/mappings/${id}`);
  const { document } = (await answer.json()) as { document: { lines: Record<string, unknown>[] } };
  const { source, rule } = document.lines[line] ?? {};
  return source ?? rule;
};
/** What pages of this browser kept when they were left. */
const left = (page: Page): Promise<string[]> =>
  page.evaluate(() => Object.keys(localStorage).filter((k) => k.startsWith('versicle.left')));
/** Somebody else makes a line one to map again. */
async function takeBack(page: Page, id: string, line: number): Promise<void> {
  const { document, version } = (await (await page.request.get(`/api/mappings/${id}`)).json()) as {
    document: { lines: { id: string; target: string }[] };
    version: number;
  };
  const lines = document.lines.map((l, i) => (i === line ? { id: l.id, target: l.target, state: 'to map' } : l));
  const data = { document: { ...document, lines }, version };
  const answer = await page.request.put(`/api/mappings/${id}/draft`, { data });
  expect(answer.status()).toBe(200);
}

test('an edit is kept when somebody leaves at once: by a link, by Back, to another sheet', async ({ page }) => {
  const other = await begin(page, 'Somewhere else');
  const id = await begin(page, 'Left in a hurry');
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: /^Plans/ }).click();
  await expect(page).toHaveURL(/\/plans/);
  expect(await ruleOf(page, id, 0)).toBe('s.code');

  await page.goto(`/mappings/${id}`);
  await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
  await page.keyboard.press('ArrowDown');
  // Not even committed: leaving commits it.
  await page.keyboard.type('s.name');
  await page.getByRole('link', { name: /^Runs/ }).click();
  await expect(page).toHaveURL(/\/runs/);
  expect(await ruleOf(page, id, 1)).toBe('s.name');

  await page.goBack();
  await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.type('s.district');
  await page.keyboard.press('Enter');
  await page.goBack();
  await page.goForward();
  await expect.poll(() => ruleOf(page, id, 2)).toBe('s.district');

  await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
  await page.keyboard.press('End');
  await page.keyboard.press('Home');
  await page.keyboard.press('Control+k');
  await page.keyboard.type('Somewhere else');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(new RegExp(other));
});

test('what the browser leaves with is back: by another address, by closing, and also where others saved meanwhile', async ({
  page,
  context,
}) => {
  const id = await begin(page, 'Browser closed');
  await page.keyboard.type('s.code');
  // Not committed, and nothing of it gets to the server.
  await page.route('**/api/mappings/*/draft', (route) => route.abort());
  await page.goto('/help');
  expect(await ruleOf(page, id, 0)).toBeUndefined();
  // Nor is anybody said to be on the sheet any more.
  const there = async (): Promise<unknown> => {
    const data = { page: 'x', line: null, left: true };
    return (await page.request.post(`/api/mappings/${id}/here`, { data })).json();
  };
  await expect.poll(there).toEqual([]);
  const second = await context.newPage();
  await second.goto(`/mappings/${id}`);
  // The same browser has it: any of its pages brings it back.
  await expect(second.getByText('What was not saved yet when the page was left is back.')).toBeVisible();
  await stored(second, id);
  expect(await ruleOf(page, id, 0)).toBe('s.code');

  await second.bringToFront();
  await second.getByLabel('Line 1, code, How').focus();
  await second.keyboard.press('ArrowDown');
  await second.keyboard.type('s.name');
  await second.close({ runBeforeUnload: true });
  await expect.poll(() => ruleOf(page, id, 1)).toBe('s.name');

  // Not sent, and others were there before it is brought back.
  await page.goto(`/mappings/${id}`);
  await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.type('s.district');
  await page.goto('/help');
  const { document, version } = (await (await page.request.get(`/api/mappings/${id}`)).json()) as {
    document: { lines: Record<string, unknown>[] };
    version: number;
  };
  const lines = document.lines.map((l, i) =>
    i === 3 ? { ...l, kind: 'straight', source: 's.latitude', state: 'drafted' } : l,
  );
  await page.request.put(`/api/mappings/${id}/draft`, { data: { document: { ...document, lines }, version } });
  await page.unroute('**/api/mappings/*/draft');
  await page.goto(`/mappings/${id}`);
  await expect.poll(() => ruleOf(page, id, 2)).toBe('s.district');
  expect(await ruleOf(page, id, 3)).toBe('s.latitude');
  await expect.poll(() => left(page)).toEqual([]);
});

test('what arrived after the page was left is not done again when somebody took it back', async ({ page }) => {
  const id = await begin(page, 'Taken back');
  await page.keyboard.type('s.code');
  await page.goto('/help');
  await expect.poll(() => ruleOf(page, id, 0)).toBe('s.code');
  await takeBack(page, id, 0);
  await page.goto(`/mappings/${id}`);
  await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
  await expect.poll(() => left(page)).toEqual([]);
  expect(await ruleOf(page, id, 0)).toBeUndefined();

  // An answer that got lost: the save was on its way when the page was left, and the one sent on leaving was refused.
  let sent = 0;
  await page.route('**/api/mappings/*/draft', async (route) => {
    if (sent++ > 0) return route.abort();
    await route.fetch();
    return undefined;
  });
  await page.keyboard.press('ArrowDown');
  await page.keyboard.type('s.name');
  await page.keyboard.press('Enter');
  await expect.poll(() => ruleOf(page, id, 1)).toBe('s.name');
  await page.keyboard.type('s.district');
  await page.goto('/help');
  await page.unroute('**/api/mappings/*/draft');
  await takeBack(page, id, 1);
  await page.goto(`/mappings/${id}`);
  await expect.poll(() => ruleOf(page, id, 2)).toBe('s.district');
  expect(await ruleOf(page, id, 1)).toBeUndefined();
  await expect.poll(() => left(page)).toEqual([]);
});

test('two pages that are closed together both bring back what they had', async ({ page, context }) => {
  const id = await begin(page, 'Closed together');
  const second = await context.newPage();
  for (const p of [page, second]) await p.route('**/api/mappings/*/draft', (route) => route.abort());
  await second.goto(`/mappings/${id}`);
  await expect(second.getByLabel('Line 1, code, How')).toBeFocused();
  await second.keyboard.press('ArrowDown');
  await second.keyboard.type('s.name');
  await page.bringToFront();
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.type('s.code');
  await second.goto('/help');
  await page.goto('/help');
  for (const p of [page, second]) await p.unroute('**/api/mappings/*/draft');
  expect(await ruleOf(page, id, 0)).toBeUndefined();
  await page.goto(`/mappings/${id}`);
  await expect.poll(async () => [await ruleOf(page, id, 0), await ruleOf(page, id, 1)]).toEqual(['s.code', 's.name']);
  await expect.poll(() => left(page)).toEqual([]);
  await second.close();
});

test('what can’t be saved keeps the sheet open and says why', async ({ page }) => {
  const id = await begin(page, 'Server away');
  await page.route('**/api/mappings/*/draft', (route) => route.abort());
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: /^Plans/ }).click();
  await expect(page.getByText(/Your last edits are not saved, so the sheet stays open/)).toBeVisible();
  await expect(page).toHaveURL(new RegExp(id));
  await page.unroute('**/api/mappings/*/draft');
  await page.getByRole('button', { name: 'Save again' }).click();
  await stored(page, id);
  expect(await ruleOf(page, id, 0)).toBe('s.code');
});

test('two pages on one sheet: other lines merge, the same line asks with both texts', async ({ page, context }) => {
  const id = await begin(page, 'Two at once');
  const second = await context.newPage();
  await second.goto(`/mappings/${id}`);
  await expect(second.getByLabel('Line 1, code, How')).toBeFocused();
  await expect(page.getByText(/also here:/)).toBeVisible();

  await page.bringToFront();
  await page.getByLabel('Line 1, code, How').focus();
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await second.bringToFront();
  await second.getByLabel('Line 1, code, How').focus();
  await second.keyboard.press('ArrowDown');
  await second.keyboard.type('s.name');
  await second.keyboard.press('Enter');
  await expect.poll(async () => [await ruleOf(page, id, 0), await ruleOf(page, id, 1)]).toEqual(['s.code', 's.name']);
  // Both see both.
  await expect(page.getByRole('row', { name: /s\.name/ })).toBeVisible();
  await expect(second.getByRole('row', { name: /s\.code/ })).toBeVisible();

  // The same line: what the second page sends is held until the first one has written there, too.
  let release = (): void => undefined;
  const held = new Promise<void>((resolve) => (release = resolve));
  await second.route('**/api/mappings/*/draft', (route) => void held.then(() => route.continue()));
  await second.keyboard.press('Control+Home');
  await second.keyboard.press('ArrowDown');
  await second.keyboard.press('ArrowDown');
  await second.keyboard.type('upper(s.district)');
  await second.keyboard.press('Enter');
  await page.bringToFront();
  await page.getByLabel(/^Line \d, \w+, How$/).focus();
  await page.keyboard.press('Control+Home');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.type('lower(s.district)');
  await page.keyboard.press('Enter');
  await expect.poll(() => ruleOf(page, id, 2)).toBe('lower(s.district)');
  release();
  const asks = async (): Promise<Page | null> => {
    for (const p of [page, second])
      if (await p.getByRole('alertdialog', { name: 'Both changed the same' }).isVisible()) return p;
    return null;
  };
  await expect.poll(async () => (await asks()) !== null).toBe(true);
  const asked = (await asks())!;
  const dialog = asked.getByRole('alertdialog', { name: 'Both changed the same' });
  await expect(dialog).toContainText('upper(s.district)');
  await expect(dialog).toContainText('lower(s.district)');
  await asked.bringToFront();
  await dialog.getByRole('radio', { name: /yours/ }).check();
  const mine = (await dialog.locator('label', { hasText: 'yours' }).locator('code').textContent())!;
  await dialog.getByRole('button', { name: 'Keep what is chosen' }).click();
  const wanted = /upper/.test(mine) ? 'upper(s.district)' : 'lower(s.district)';
  await expect.poll(() => ruleOf(page, id, 2)).toBe(wanted);
  await second.close();
});

test('no key reaches the sheet once another surface was called, and the focus comes back', async ({ page }) => {
  const id = await begin(page, 'Keys elsewhere');
  await page.keyboard.type('s.code');
  await page.keyboard.press('Enter');
  await stored(page, id);
  const before = JSON.stringify(await stored(page, id));
  for (const call of ['Control+k', '?']) {
    await page.keyboard.press('Control+Home');
    await page.keyboard.press(call);
    await page.keyboard.type('overwritten', { delay: 5 });
    await page.keyboard.press('Delete');
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toHaveCount(0);
    await expect(page.getByRole('complementary')).toHaveCount(0);
    await expect(page.getByLabel('Line 1, code, How')).toBeFocused();
    expect(JSON.stringify(await stored(page, id))).toBe(before);
  }
  // While a cell is being written: what was typed is committed, what follows is the finder's.
  await page.keyboard.press('ArrowDown');
  await page.keyboard.type('s.name');
  await page.keyboard.press('Control+k');
  await page.keyboard.type('stations', { delay: 5 });
  await expect(page.getByRole('combobox', { name: 'Find anything' })).toHaveValue('stations');
  await page.keyboard.press('Escape');
  await expect.poll(() => ruleOf(page, id, 1)).toBe('s.name');
  // A notice that is closed, and a panel that is given up, leave the focus where it was.
  await page.getByRole('button', { name: 'Publish …' }).click();
  await expect(page.getByRole('textbox', { name: /Note/ })).toBeFocused();
  await page.keyboard.type('a note', { delay: 5 });
  await expect(page.getByRole('textbox', { name: /Note/ })).toHaveValue('a note');
  await page
    .getByRole('button', { name: /Not now|Give up|Close/ })
    .first()
    .click();
  await expect.poll(() => page.evaluate(() => document.activeElement === document.body)).toBe(false);
  expect(await ruleOf(page, id, 0)).toBe('s.code');
});

test('a run that would empty a table asks on its page; a failed record is closed with a reason', async ({ page }) => {
  const id = await begin(page, 'Anew each time', ['code']);
  const call = async (method: 'get' | 'post' | 'put', path: string, data?: object): Promise<Record<string, unknown>> =>
    (await (await page.request[method](`/api${path}`, { data })).json()) as Record<string, unknown>;
  const write = async (patch: object): Promise<void> => {
    const { document, version } = await call('get', `/mappings/${id}`);
    await call('put', `/mappings/${id}/draft`, { document: { ...(document as object), ...patch }, version });
    await call('post', `/mappings/${id}/publish`, {});
  };
  const source = { primary: { alias: 's', dataset: 'tidebridge/stations.csv' } };
  const line = { id: 'l1', target: 'code', kind: 'straight', source: 's.code', state: 'drafted' };
  await write({ lines: [line], write: { mode: 'replace' } });
  const plan = (await call('post', '/plans', { name: 'Anew', mapping: id }))['id'] as string;
  const ended = async (): Promise<number> => {
    const { run } = (await call('post', `/plans/${plan}/start`, {})) as { run: number };
    await expect.poll(async () => (await call('get', `/runs/${run}`))['finishedAt']).not.toBeNull();
    return run;
  };
  await ended();
  await write({ source: { ...source, filter: "s.code LIKE '%1'" } });
  const run = await ended();
  await page.goto(`/runs/${run}`);
  await expect(page.getByRole('alert')).toContainText('Nothing was removed yet');
  await page.getByRole('button', { name: 'Replace the content all the same' }).click();
  await expect(page.getByText('finished', { exact: true })).toBeVisible();

  await page.goto('/failures');
  const before = await page.getByRole('status').first().textContent();
  await page.getByRole('button', { name: 'Close without delivering …' }).click();
  await page.keyboard.type('left the scheme');
  await page.getByRole('button', { name: 'Close this one' }).click();
  await expect(page.getByText('closed without being delivered')).toBeVisible();
  await expect.poll(() => page.getByRole('status').first().textContent()).not.toBe(before);
});
