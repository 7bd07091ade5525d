import { fieldText } from '../rules/print.ts';
import { NameMatcher } from './name-match.ts';

/** A dataset's fields with some of its records, as far as joins need them. */
export interface KeyGround {
  readonly dataset: string;
  readonly fields: readonly {
    readonly name: string;
    readonly key: boolean;
    /** `dataset.field`, as a catalogue or a dictionary says. */
    readonly references: string | null;
  }[];
  readonly rows: readonly (readonly (string | null)[])[];
}
/** A condition that a further dataset could be joined by. `:alias` stands for its alias. */
export interface KeyProposal {
  readonly on: string;
  /** From 0 to 1. */
  readonly confidence: number;
  readonly reason: string;
}

const MOST = 5;
const LEAST_SHARE = 0.5;

/** By which fields a dataset could be joined to others: declared references first, then fields whose values are found there. */
export function proposeKeys(
  left: readonly (KeyGround & { readonly alias: string })[],
  right: KeyGround,
): KeyProposal[] {
  const proposals: KeyProposal[] = [];
  const rightValues = right.fields.map((_, i) => valuesOf(right, i));
  const matcher = new NameMatcher();
  for (const ground of left)
    for (const [i, field] of ground.fields.entries()) {
      const own = valuesOf(ground, i);
      for (const [j, other] of right.fields.entries()) {
        const on = `:alias.${fieldText(null, other.name)} = ${fieldText(ground.alias, field.name)}`;
        const name = `${ground.alias}.${field.name}`;
        if (
          refersTo(field.references, right.dataset, other.name) ||
          refersTo(other.references, ground.dataset, field.name)
        ) {
          proposals.push({ on, confidence: 1, reason: `${name} is declared to refer to ${other.name}` });
          continue;
        }
        const theirs = rightValues[j]!;
        if (own.different.size < 2 || theirs.different.size < 2) continue;
        let found = 0;
        for (const value of own.different) if (theirs.different.has(value)) found++;
        const share = found / own.different.size;
        if (share < LEAST_SHARE) continue;
        const unique = theirs.different.size / theirs.filled;
        const alike = matcher.alike(field.name, other.name);
        const confidence = Math.min(0.99, share * (0.45 + 0.35 * unique + 0.2 * alike));
        proposals.push({
          on,
          confidence,
          reason: `${percent(share)} of ${own.different.size.toLocaleString('en-GB')} different values of ${name} are found in ${other.name}, which ${unique === 1 ? 'is different in every record' : `has ${theirs.different.size.toLocaleString('en-GB')} different values in ${theirs.filled.toLocaleString('en-GB')} records`}`,
        });
      }
    }
  return proposals.sort((a, b) => b.confidence - a.confidence).slice(0, MOST);
}

function refersTo(reference: string | null, dataset: string, field: string): boolean {
  const last = dataset.slice(dataset.indexOf('/') + 1);
  return reference === `${last}.${field}` || reference === `${last.split('.').at(-1)}.${field}`;
}
function valuesOf({ rows }: KeyGround, at: number): { different: Set<string>; filled: number } {
  const different = new Set<string>();
  let filled = 0;
  for (const row of rows) {
    const value = row[at];
    if (value === null || value === undefined || value === '') continue;
    filled++;
    different.add(value);
  }
  return { different, filled };
}
const percent = (share: number): string => `${Math.floor(share * 100)} %`;
