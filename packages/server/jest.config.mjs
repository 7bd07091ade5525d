import preset from '../../jest.node.preset.mjs';
import { notEmbedded } from './jest.homes.mjs';

export default {
  ...preset,
  displayName: 'server',
  globalSetup: '<rootDir>/src/testing/build.mjs',
  testTimeout: 120_000,
  testPathIgnorePatterns: ['/node_modules/', ...notEmbedded],
};
