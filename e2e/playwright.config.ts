import { defineConfig } from '@playwright/test';
import { chromiumHere } from '../scripts/chromium.mjs';

/** Two servers with the same demo data, one for each half of the tests that change things. */
export const PORTS = { stories: 4185, sheets: 4186 };
const VIEWS = /(views|spoken)\.spec\.ts/;
const SHEETS = /(life|lists|pages|sheet|story|work)\.spec\.ts/;

export default defineConfig({
  testDir: './tests',
  globalSetup: './global-setup.ts',
  timeout: 120_000,
  // Generous, for machines that others work on, too: what is wrong stays wrong.
  expect: { timeout: 20_000 },
  workers: 2,
  // Looking changes nothing, so views are looked at two at a time; what changes things goes one after the other on
  // its server, afterwards, in two halves beside each other.
  projects: [
    { name: 'views', testMatch: VIEWS, fullyParallel: true },
    { name: 'stories', testIgnore: [VIEWS, SHEETS], workers: 1, dependencies: ['views'] },
    {
      name: 'sheets',
      testMatch: SHEETS,
      workers: 1,
      dependencies: ['views'],
      use: { baseURL: `http://127.0.0.1:${PORTS.sheets}` },
    },
  ],
  reporter: process.env['E2E_REPORT'] ? [['list'], ['json', { outputFile: process.env['E2E_REPORT'] }]] : 'list',
  use: {
    baseURL: `http://127.0.0.1:${PORTS.stories}`,
    browserName: 'chromium',
    headless: true,
    locale: 'en-GB',
    viewport: { width: 1280, height: 800 },
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
