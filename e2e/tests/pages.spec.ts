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
  // Today's own code is asked for with the first script's.
  const { link = '' } = (await page.request.get('/today')).headers();
  const own = [...link.matchAll(/<(\/chunk-[\w-]+\.js)>; rel=modulepreload/g)].map(([, path]) => path);
  expect(own.length).toBeGreaterThan(0);
  expect(own.filter((path) => !sent.some((s) => s.path === path))).toEqual([]);
});

test('each page says in its title what it is about, and above its heading what it lies under', async ({ page }) => {
  const about = async (address: string, title: RegExp, crumbs: string[]): Promise<void> => {
    await page.goto(address);
    await expect(page).toHaveTitle(title);
    const above = page.getByRole('navigation', { name: 'Where this page lies' });
    if (crumbs.length > 0) await expect(above.getByRole('link')).toHaveText(crumbs);
  };
  const systems = (await (await page.request.get('/api/systems')).json()) as { id: string; name: string }[];
  const { id, name } = systems.find((s) => s.id === 'tidebridge')!;
  await about(`/systems/${id}`, new RegExp(`^${name} · Versicle$`), ['Systems']);
  await about(`/systems/${id}/dataset?name=stations.csv`, new RegExp(`^stations\\.csv · ${name} · Versicle$`), [
    'Systems',
    name,
  ]);
  const mappings = (await (await page.request.get('/api/mappings')).json()) as { id: string; name: string }[];
  const [mapping] = mappings;
  await about(`/mappings/${mapping!.id}`, new RegExp(`^${mapping!.name} · Versicle$`), []);
  await page
    .getByRole('link', { name: /^Document/ })
    .or(page.getByRole('button', { name: /^Document/ }))
    .first()
    .click();
  await expect(page).toHaveURL(/view=document/);
  await expect(page).toHaveTitle(`${mapping!.name} · Versicle`);
  await about(`/mappings/${mapping!.id}/revisions`, /^Revisions of /, ['Mappings', mapping!.id]);
  const runs = (await (await page.request.get('/api/runs')).json()) as { id: number; planName: string }[];
  const [run] = runs;
  await about(`/runs/${run!.id}`, new RegExp(`^(Run|Replay) ${run!.id} · ${run!.planName} · Versicle$`), []);
});
