import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import config from './jest.config.mjs';

/**
 * Tests with the store on a PostgreSQL server: those of what speaks SQL to it, of runs and of plans; what it must never lose
 * under kills is seen to by testing/soak, in both homes. With VERSICLE_ON_SERVER=all, every test that has a store (npm run test:on-server; half an hour more).
 */
const source = join(import.meta.dirname, 'src');
const CHOSEN = /^(engine\/runs|plans\/plans)\.spec\.ts$/;
const HAVING = process.env.VERSICLE_ON_SERVER === 'all' ? /\b(RunningServer|directDatabase)\b/ : /\bdirectDatabase\b/;
const having = readdirSync(source, { recursive: true })
  .filter((name) => name.endsWith('.spec.ts') && name !== 'store/on-server.spec.ts')
  .filter((name) => CHOSEN.test(name) || HAVING.test(readFileSync(join(source, name), 'utf8')));

export default {
  ...config,
  displayName: 'server, its store on PostgreSQL',
  rootDir: import.meta.dirname,
  globals: { storeOnServer: true },
  globalSetup: '<rootDir>/src/testing/start-store-server.mjs',
  globalTeardown: '<rootDir>/src/testing/stop-store-server.mjs',
  testMatch: having.map((name) => `<rootDir>/src/${name}`),
};
