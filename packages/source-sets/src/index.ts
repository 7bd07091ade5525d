export * from './compose.ts';
export * from './join-figures.ts';
export { SourceSetError } from './landing.ts';
export type { FetchMember, Member, MemberRecords, OccurringKeys } from './landing.ts';
