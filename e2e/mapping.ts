import { expect, type Page } from '@playwright/test';

/** A mapping of its own for each test, over the demo's stations. */
export async function begin(
  page: Page,
  name: string,
  columns = ['code', 'name', 'district', 'latitude', 'docks', 'opened'],
): Promise<string> {
  const document = {
    versicle: 1,
    name,
    source: { primary: { alias: 's', dataset: 'tidebridge/stations.csv' } },
    target: {
      dataset: `warehouse/${name.toLowerCase().replace(/\W+/g, '_')}`,
      key: [columns[0]],
      fields: columns.map((c) => ({ name: c, type: c === 'docks' ? 'integer' : 'text', required: c === columns[0] })),
    },
    lines: [],
    codeTables: { district: [{ from: 'Harbour', to: 'H' }] },
    write: { mode: 'upsert' },
  };
  const answer = await page.request.post('/api/mappings', { data: { document } });
  const { id } = (await answer.json()) as { id: string };
  await page.goto(`/mappings/${id}`);
  await expect(page.getByLabel(`Line 1, ${columns[0]}, How`)).toBeFocused();
  return id;
}
/** The draft as the server has it, once the page says that it is saved. */
export const stored = async (page: Page, id: string): Promise<{ lines: Record<string, unknown>[] }> => {
  // The page says what the last key did with the next frame.
  await page.evaluate(() => new Promise((shown) => requestAnimationFrame(() => setTimeout(shown))));
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  return (
    (await (await page.request.get(`/api/mappings/${id}`)).json()) as { document: { lines: Record<string, unknown>[] } }
  ).document;
};

/** As if a spreadsheet program had put the text on the clipboard. */
export async function paste(page: Page, text: string): Promise<void> {
  await page.evaluate((t) => {
    const data = new DataTransfer();
    data.setData('text/plain', t);
    document.activeElement!.dispatchEvent(
      new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }),
    );
  }, text);
}

export async function choose(page: Page, label: string, option: string): Promise<void> {
  await page.locator(`nz-select[aria-label="${label}"]`).first().click();
  await page.locator('.ant-select-item-option').getByText(option, { exact: true }).click();
}
