import { existsSync } from 'node:fs';

/** Debian's PostgreSQL server; without it, tests on one are left out (npm test says so). */
const onServer = existsSync('/usr/lib/postgresql') ? ['<rootDir>/packages/server/jest.on-server.config.mjs'] : [];

/** @type {import('jest').Config} */
export default {
  // Jest takes the time-out from here only; tests that kill and restart a real server need it.
  testTimeout: 240_000,
  testSequencer: '<rootDir>/jest.sequencer.mjs',
  cacheDirectory: '<rootDir>/.cache/jest',
  projects: [
    ...['core', 'contract', 'server', 'files', 'postgres', 'source-sets', 'store', 'cli', 'standins', 'web'].map(
      (name) => `<rootDir>/packages/${name}`,
    ),
    ...onServer,
  ],
};
