import { defineConfig } from '@playwright/test';
import { chromiumHere } from '../scripts/chromium.mjs';

/** Servers with the same demo data, one for each third of the tests that change things; the thirds take equally long. */
export const PORTS = { stories: 4185, sheets: 4186, plans: 4187 };
const VIEWS = /(views|spoken|words)\.spec\.ts/;
const SHEETS = /(pages|sheet|work)\.spec\.ts/;
const PLANS = /(life|lists|plan|story|waiting)\.spec\.ts/;
const third = (name: keyof typeof PORTS) => ({
  name,
  workers: 1,
  dependencies: ['views'],
  use: { baseURL: `http://127.0.0.1:${PORTS[name]}` },
});

export default defineConfig({
  testDir: './tests',
  globalSetup: './global-setup.ts',
  timeout: 120_000,
  // Generous, for machines that others work on, too: what is wrong stays wrong.
  expect: { timeout: 20_000 },
  // More than there are cores, as each waits for its page half of the time.
  workers: 3,
  // Looking changes nothing, so views are looked at side by side; what changes things goes one after the other on its
  // server, afterwards.
  projects: [
    { name: 'views', testMatch: VIEWS, fullyParallel: true },
    { ...third('stories'), testIgnore: [VIEWS, SHEETS, PLANS] },
    { ...third('sheets'), testMatch: SHEETS },
    { ...third('plans'), testMatch: PLANS },
  ],
  reporter: process.env['E2E_REPORT'] ? [['list'], ['json', { outputFile: process.env['E2E_REPORT'] }]] : 'list',
  use: {
    baseURL: `http://127.0.0.1:${PORTS.stories}`,
    browserName: 'chromium',
    headless: true,
    locale: 'en-GB',
    viewport: { width: 1280, height: 800 },
    // Nothing is waited for until it has moved into its place.
    contextOptions: { reducedMotion: 'reduce' },
    // Each step is photographed for a trace, which takes longer than the step.
    trace: process.env['E2E_TRACE'] ? 'retain-on-failure' : 'off',
    launchOptions: {
      executablePath: chromiumHere(),
      args: [
        '--headless',
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
