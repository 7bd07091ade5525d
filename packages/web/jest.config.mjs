import presets from 'jest-preset-angular/presets/index.js';
import { swc } from '../../jest.node.preset.mjs';
const preset = presets.createCjsPreset({ tsconfig: '<rootDir>/tsconfig.spec.json' });
// ESM-only packages: Angular/NgRx/NG-ZORRO ship .mjs (covered by \.mjs$); the rest are listed by name.
const esmOnly = [
  '@noble',
  're2js',
  'temporal-polyfill',
  'temporal-utils',
  'date-fns',
  '@codemirror',
  '@lezer',
  'crelt',
  'style-mod',
  'w3c-keyname',
  '@marijn',
  'chart.js',
  'marked',
  'minisearch',
  '@kurkle',
  '@angular',
  '@ngrx',
  'ng-zorro-antd',
  '@ant-design',
  'rxjs',
];
/** @type {import('jest').Config} */
export default {
  ...preset,
  displayName: 'web',
  // Angular's own way takes several times as long, and is needed only for what is Angular's and ours.
  transform: {
    '/packages/(core|contract|standins)/.+\\.ts$': swc,
    '/node_modules/.+\\.m?js$': swc,
    ...preset.transform,
  },
  // The workspace packages are TypeScript; their imports end in .ts, which the transform turns into .js.
  moduleNameMapper: { ...preset.moduleNameMapper, '^(\\.{1,2}/.*)\\.js$': '$1' },
  setupFilesAfterEnv: ['<rootDir>/src/test-setup.ts'],
  testMatch: ['<rootDir>/src/**/*.spec.ts'],
  transformIgnorePatterns: [`/node_modules/(?!(.*\\.mjs$|(${esmOnly.join('|')})/))`],
};
