/**
 * What is checked as one, so that what several use is read and checked once: core, which must do without the types of Node.js
 * and of browsers; all that runs on Node.js; the pages; and what stands beside them (tests of core, browser tests, benchmarks).
 */
export const PROJECTS = [
  'packages/core/tsconfig.json',
  'tsconfig.node.json',
  'packages/web/tsconfig.json',
  'tsconfig.tools.json',
];
