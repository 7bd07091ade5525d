import preset from '../../jest.node.preset.mjs';
export default {
  ...preset,
  displayName: 'server',
  globalSetup: '<rootDir>/src/testing/build.mjs',
  testTimeout: 120_000,
};
