import { expect, test } from '@playwright/test';

test('the first page is light: below 200 kB of code and styles, sent compressed, and kept by the browser', async ({
  page,
}) => {
  const sent: { path: string; bytes: number; encoding: string; kept: string }[] = [];
  page.on('requestfinished', async (request) => {
    const { pathname } = new URL(request.url());
    if (!/\.(js|css)$/.test(pathname)) return;
    const response = (await request.response())!;
    const { responseBodySize } = await request.sizes();
    const headers = await response.allHeaders();
    sent.push({
      path: pathname,
      bytes: responseBodySize,
      encoding: headers['content-encoding'] ?? '',
      kept: headers['cache-control'] ?? '',
    });
  });
  await page.goto('/today');
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
  await page.waitForLoadState('networkidle');
  expect(sent.length).toBeGreaterThan(3);
  expect(sent.reduce((sum, s) => sum + s.bytes, 0)).toBeLessThan(200_000);
  expect(sent.filter((s) => s.bytes > 2000 && s.encoding === '')).toEqual([]);
  expect(sent.filter((s) => !s.kept.includes('immutable'))).toEqual([]);
});
