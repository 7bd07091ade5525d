export { emptyPglite } from './empty-pglite.ts';
