import preset from '../../jest.node.preset.mjs';
/** @type {import('jest').Config} */
export default { ...preset, displayName: 'store' };
