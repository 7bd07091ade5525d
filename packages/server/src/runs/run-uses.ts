import { EMBEDDED } from '../systems/embedded-home.ts';
import { keyMapsAsked, membersOf, type MappingDocument } from '@versicle/core';

/** What a run touches: others may `read` the same, or `write` beside it, but not both; `alone`: nobody else at all. */
export interface RunUse {
  readonly thing: string;
  readonly use: 'read' | 'write' | 'alone';
}

const systemOf = (dataset: string): string => dataset.split('/')[0]!;

/**
 * What runs of a document touch. Who reads from a system waits for those that write into it, whatever the dataset: a pattern
 * of files or a SELECT may well include it.
 */
export function usesOf(document: MappingDocument, mapping: string): RunUse[] {
  const { dataset } = document.target;
  const target = systemOf(dataset);
  const sources = new Set(membersOf(document).map((member) => systemOf(member.dataset)));
  const uses = new Map<string, RunUse['use']>();
  for (const source of sources) uses.set(`system ${source}`, 'read');
  for (const other of keyMapsAsked(document)) uses.set(`mapping ${other}`, 'read');
  // Its sequence, its key map and its open failed records.
  uses.set(`mapping ${mapping}`, 'alone');
  uses.set(`dataset ${dataset}`, 'alone');
  uses.set(`system ${target}`, sources.has(target) ? 'alone' : 'write');
  return [...uses].map(([thing, use]) => ({ thing, use }));
}

/**
 * Other runs, waiting or under way, that touch what the run `r` touches. One whose records all lie in the outbox is not in the
 * way of others that write the same dataset: theirs lie behind, and none goes before an earlier one of its order key.
 */
export const IN_THE_WAY = `SELECT o.id, o.claimed_until, mine.thing, mine.use FROM run_use mine
   JOIN run_use theirs ON theirs.thing = mine.thing AND (theirs.use = 'alone' OR mine.use = 'alone' OR theirs.use <> mine.use)
   JOIN run o ON o.id = theirs.run AND o.state IN ('queued', 'running', 'paused')
  WHERE mine.run = r.id AND o.id <> r.id AND NOT (mine.thing LIKE 'dataset %' AND o.state = 'running' AND o.mapped IS NOT NULL)`;

/** Embedded databases that the run `r` touches, and that another process has (it does not lie at $5). */
export const KEPT_ELSEWHERE = `SELECT e.name FROM ${EMBEDDED} JOIN run_use u ON u.thing = 'system ' || s.id
  WHERE u.run = r.id AND e.place <> $5`;

/** Why runs that both touch a thing go one after the other. */
export function because({ thing, use }: RunUse): string {
  const [sort, name] = [thing.slice(0, thing.indexOf(' ')), thing.slice(thing.indexOf(' ') + 1)];
  if (sort === 'dataset') return `both write ${name}`;
  if (sort === 'mapping')
    return use === 'alone' ? 'both are of one mapping' : 'this one looks up keys that the other delivers';
  if (use === 'alone') return `one of them both reads from ${name} and writes there`;
  return use === 'read'
    ? `this one reads from ${name}, the other writes there`
    : `the other reads from ${name}, this one writes there`;
}
