import js from '@eslint/js';
import angular from 'angular-eslint';
import prettier from 'eslint-config-prettier';
import { defineConfig } from 'eslint/config';
import ts from 'typescript-eslint';

/** Dependencies point one way: core ← contract, files, postgres ← source-sets, store ← server, cli; core ← contract ← web; the stand-ins know nothing of ours. */
const only = (folder, allowed, message) => ({
  files: [`packages/${folder}/src/**/*.ts`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { regex: `^@versicle/(?!(${allowed.join('|') || 'none'})$)`, message },
          {
            regex: '^(\\.\\./)+(core|contract|server|web|cli|standins)/',
            message: 'Packages are imported by their names.',
          },
        ],
      },
    ],
  },
});

export default defineConfig(
  {
    ignores: [
      '**/dist/**',
      '**/.angular/**',
      '**/out-tsc/**',
      '**/test-results/**',
      '.cache/**',
      'data/**',
      '**/*.mjs',
    ],
  },
  {
    files: ['**/*.ts'],
    extends: [js.configs.recommended, ...ts.configs.recommended],
    rules: {
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', caughtErrorsIgnorePattern: '^_' },
      ],
      '@typescript-eslint/consistent-type-imports': 'error',
      'no-eval': 'error',
      'no-new-func': 'error',
      'no-restricted-syntax': [
        'error',
        {
          selector:
            "ImportDeclaration[source.value='zod'] > :matches(ImportDefaultSpecifier, ImportSpecifier[imported.name='z'])",
          message: 'Say `import * as z`: the object named z has all of it, messages in fifty languages among it.',
        },
      ],
    },
  },
  only('core', [], 'core imports no other package.'),
  only('contract', ['core'], 'contract imports core only.'),
  only('files', ['core', 'core/testing/random'], 'files imports core only.'),
  only('postgres', ['core'], 'postgres imports core only.'),
  only(
    'source-sets',
    ['core', 'core/testing', 'files', 'postgres', 'postgres/testing'],
    'source-sets imports core, files and postgres only.',
  ),
  only('store', ['core', 'postgres', 'postgres/testing'], 'store imports core and postgres only.'),
  only(
    'server',
    [
      'core',
      'contract',
      'files',
      'postgres',
      'postgres/testing',
      'source-sets',
      'store',
      'store/address',
      'store/claims',
    ],
    'server imports core, contract, files, postgres, source-sets and store only.',
  ),
  only('web', ['core', 'contract'], 'web imports core and contract only.'),
  only(
    'cli',
    ['core', 'contract', 'files', 'postgres', 'postgres/testing', 'source-sets', 'store'],
    'cli imports core, contract, files, postgres, source-sets and store only.',
  ),
  only('standins', [], 'The stand-ins import nothing of ours.'),
  {
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.spec.ts', '**/testing/**'],
    rules: { 'no-restricted-globals': ['error', 'window', 'document', 'process', 'Buffer', 'fetch', 'setTimeout'] },
  },
  {
    files: ['packages/web/**/*.ts'],
    extends: [...angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    // Pages are reached by their route; they have no element of their own.
    rules: { '@angular-eslint/component-class-suffix': ['error', { suffixes: ['Component', 'Page'] }] },
  },
  {
    files: ['packages/web/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
  },
  {
    // Words are marked, so that they can be said in another language.
    files: ['packages/web/src/app/**/*.html'],
    rules: {
      '@angular-eslint/template/i18n': [
        'error',
        { checkId: false, checkAttributes: false, ignoreTags: ['code', 'kbd', 'pre'] },
      ],
    },
  },
  prettier,
);
