import config from './jest.config.mjs';
import { onServer } from './jest.homes.mjs';

/** Tests with the store on a PostgreSQL server; what it must never lose under kills is seen to by testing/soak, in both homes. */
export default {
  ...config,
  displayName: 'server, its store on PostgreSQL',
  rootDir: import.meta.dirname,
  globals: { storeOnServer: true },
  globalSetup: '<rootDir>/src/testing/start-store-server.mjs',
  globalTeardown: '<rootDir>/src/testing/stop-store-server.mjs',
  testMatch: onServer,
  testPathIgnorePatterns: ['/node_modules/'],
};
