import { parseRule } from '../rules/parse.ts';
import { walk } from '../rules/syntax.ts';
import type { Line, MappingDocument } from './document.ts';

/** What is the same for all records of a run, and another in the next one. */
const OF_THE_RUN = new Set(['run_started_at', 'run_number']);
const CLOCKS = new Set(['now', 'current_timestamp', 'current_date', 'localtimestamp']);

/**
 * Fields that each record is given anew, whatever it holds: counted and random ones, and those that are the run's number or
 * time. They don't tell whether a record has changed.
 */
export const madeAnew = (document: MappingDocument): ReadonlySet<string> =>
  new Set(document.lines.filter(isMadeAnew).map((l) => l.target));

function isMadeAnew(line: Line): boolean {
  if (line.kind === 'generated') return (line.generate ?? 'uuid') !== 'hash';
  if (line.kind !== 'rule' || line.rule === undefined || line.condition || line.default) return false;
  let ofRecord = false;
  let ofRun = false;
  try {
    walk(parseRule(line.rule), (node) => {
      if (node.kind === 'field') ofRecord = true;
      if (node.kind === 'variable') {
        if (OF_THE_RUN.has(node.name)) ofRun = true;
        else ofRecord = true;
      }
      if (node.kind === 'call' && CLOCKS.has(node.name)) ofRun = true;
    });
  } catch {
    // The rule's own problem is reported where it is checked.
    return false;
  }
  return ofRun && !ofRecord;
}
