export * from './compose.ts';
export * from './join-figures.ts';
export { SourceSetError } from './landing.ts';
export type { MemberRecords } from './landing.ts';
