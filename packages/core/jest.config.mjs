import preset from '../../jest.node.preset.mjs';
/** @type {import('jest').Config} */
export default { ...preset, displayName: 'core', setupFiles: ['<rootDir>/src/testing/seed.ts'] };
