import { isLoaded, type MappingDocument } from '../document/document.ts';
import type { Timestamp } from '../fields/dates.ts';
import type { DeclaredMarks } from '../compile/source.ts';
import { parseFieldType } from '../fields/types.ts';
import { isComposed } from '../source-set/source-set.ts';
import type { DatasetProfile, FieldProfile } from '../profile/profile.ts';
import type { KeyMaps } from '../rules/context.ts';
import { Trial } from './trial.ts';

/** Trouble that a line will have with records of its source, as their profile tells before any of them is read. */
export interface Ahead {
  readonly line: string;
  /** Its place in the document, from 1, and the target field's label. */
  readonly number: number;
  readonly label: string;
  /** What it says of such a value. */
  readonly message: string;
  /** How many records are known to have such a value; there may be more. */
  readonly count: number;
}
interface Candidate {
  readonly value: string | null;
  /** Records that are known to have it. */
  readonly count: number;
}

/**
 * Puts what a profile knows of the values of a source (the most frequent, the smallest and largest, the longest, those that are
 * missing) through each line that is made of one field only, and gives the troubles, at most one for each line and message. What
 * it does not tell may be wrong all the same: it knows some values, not all.
 */
export function troubleAhead(
  document: MappingDocument,
  fields: readonly string[],
  marks: DeclaredMarks,
  profile: Pick<DatasetProfile, 'fields' | 'records' | 'unreadable'>,
  now: Timestamp,
  keyMaps: KeyMaps,
  variables: Readonly<Record<string, string>> = {},
): Ahead[] {
  if (isComposed(document)) return [];
  const trial = new Trial(document, fields, now, marks, keyMaps, undefined, variables);
  const byName = new Map(profile.fields.map((f) => [f.name, f]));
  // One record for all values: a source may have tens of thousands of fields.
  const row = fields.map((): string | null => null);
  return document.lines.filter(isLoaded).flatMap((line) => {
    const slots = trial.slotsOf(line.id);
    const [slot] = slots;
    if (slots.length !== 1 || line.onFail === 'default' || line.onFail === 'null') return [];
    const known = byName.get(fields[slot!]!);
    if (!known) return [];
    const troubles = new Map<string, { message: string; count: number }>();
    for (const { value, count } of candidatesOf(known, profile.records - profile.unreadable)) {
      row[slot!] = value;
      const fault = trial.inAndOut(line.id, [row], null)[0]?.fault ?? null;
      row[slot!] = null;
      if (fault === null) continue;
      // Of values that are wrong in the same way, the first stands for all.
      const alike = troubles.get(wayOf(fault));
      troubles.set(wayOf(fault), { message: alike?.message ?? fault, count: (alike?.count ?? 0) + count });
    }
    const field = document.target.fields.find((f) => f.name === line.target);
    const long = field && line.kind === 'straight' ? tooLong(known, field.type) : null;
    if (long !== null && ![...troubles.keys()].some((t) => t.includes('characters')))
      troubles.set(long, { message: long, count: 1 });
    const number = document.lines.indexOf(line) + 1;
    const label = field?.label ?? line.target;
    return [...troubles.values()].map((trouble) => ({ line: line.id, number, label, ...trouble }));
  });
}

function candidatesOf(field: FieldProfile, records: number): Candidate[] {
  const top = field.top.map(({ value, count }) => ({ value, count }));
  const ends = [field.min, field.max]
    .filter((value) => value !== null && !top.some((t) => t.value === value))
    .map((value) => ({ value, count: 1 }));
  const missing = records - field.filled;
  return [...top, ...ends, ...(missing > 0 ? [{ value: null, count: missing }] : [])];
}
/** What a message says, whatever the value. */
const wayOf = (message: string): string => message.replace(/“[^”]*”/g, '“”').replace(/\d[\d,.]*/g, '#');
/** The longest value is not among those that are known; its length is. */
function tooLong({ longest }: FieldProfile, type: string): string | null {
  const { length } = parseFieldType(type);
  if (length === undefined || longest === null || longest <= length) return null;
  const n = (count: number): string => count.toLocaleString('en-GB');
  return `The longest value has ${n(longest)} characters; the field takes ${n(length)}.`;
}
