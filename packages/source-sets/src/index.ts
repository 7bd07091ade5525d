export * from './compose.ts';
export * from './join-figures.ts';
export type { SetHome } from './database.ts';
export type { FetchMember, Member, MemberRecords, OccurringKeys } from './landing.ts';
