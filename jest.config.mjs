/** @type {import('jest').Config} */
export default {
  // Jest takes the time-out from here only; tests that kill and restart a real server need it.
  testTimeout: 240_000,
  projects: ['core', 'contract', 'server', 'files', 'postgres', 'source-sets', 'cli', 'standins', 'web'].map(
    (name) => `<rootDir>/packages/${name}`,
  ),
};
