import type { Knowledge } from '@versicle/contract';
import type { DatasetProfile } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';
import type { Systems } from '../systems/systems.ts';

/** A field that is a key by itself. */
export interface SingleKey {
  readonly key: string;
  readonly distinct: number;
  /** What most of its values look like. */
  readonly pattern: string;
}
interface Dataset {
  readonly system: string;
  readonly dataset: string;
}
export type KnownKey = Dataset & SingleKey;
/** A field whose values look like those of a key. */
export type LikelyReference = KnownKey & { readonly field: string };
type References = NonNullable<Knowledge['result']>['references'];

/** So many keys of a dataset are known; one that has more has no key, but a few records. */
const KEYS = 500;
/** So many are proved, which reads both datasets. */
const PROVED = 20;
/** Only values that say something can be told from others by how they look. */
const TELLING = /\d/;

/** The keys that a profile found, to which fields of others may refer. */
export function singleKeys({ fields, keys }: DatasetProfile): SingleKey[] {
  const single = new Set(keys.flatMap((key) => (key.length === 1 ? key : [])));
  return fields
    .flatMap(({ name, distinct, patterns: [first] }) =>
      single.has(name) && first && TELLING.test(first.value) ? [{ key: name, distinct, pattern: first.value }] : [],
    )
    .slice(0, KEYS);
}
/** Those of all other datasets, as their newest profiles tell. */
export async function knownKeys(db: Database, { system, dataset }: Dataset): Promise<KnownKey[]> {
  const others = await db.query<{ system: string; dataset: string; keys: string }>(
    "SELECT DISTINCT ON (system, dataset) system, dataset, keys FROM profile WHERE state = 'done' AND NOT (system = $1 AND dataset = $2) ORDER BY system, dataset, id DESC",
    [system, dataset],
  );
  return others.flatMap(({ keys, ...of }) => fromJson<SingleKey[]>(keys).map((key) => ({ ...of, ...key })));
}

/** Fields of which nearly all values look like those of a key of another dataset, and are not more different ones than it has. */
export function likelyReferences(keys: readonly KnownKey[], profile: DatasetProfile): LikelyReference[] {
  const alike = new Map<string, { field: string; distinct: number }[]>();
  for (const { name: field, filled, distinct, patterns } of profile.fields) {
    const most = patterns.find((p) => filled > 0 && p.count / filled > 0.9);
    if (!most || distinct <= 1) continue;
    const those = alike.get(most.value);
    if (those) those.push({ field, distinct });
    else alike.set(most.value, [{ field, distinct }]);
  }
  const found: LikelyReference[] = [];
  for (const key of keys)
    for (const { field, distinct } of alike.get(key.pattern) ?? []) {
      if (distinct > key.distinct * 1.2) continue;
      found.push({ ...key, field });
      if (found.length === PROVED) return found;
    }
  return found;
}

/** Those whose values all (or nearly all) occur in the key. */
export async function provedReferences(
  systems: Systems,
  own: Dataset,
  likely: readonly LikelyReference[],
): Promise<References> {
  const proved: References = [];
  for (const { field, system, dataset, key } of likely) {
    const known = await valuesOf(systems, { system, dataset }, key, 200_000);
    const values = await valuesOf(systems, own, field, 20_000);
    if (!known || !values || values.size === 0) continue;
    const inside = [...values].filter((v) => known.has(v)).length;
    if (inside / values.size >= 0.9)
      proved.push({ field, in: `${system}/${dataset}.${key}`, share: inside / values.size });
  }
  return proved;
}
async function valuesOf(
  systems: Systems,
  { system: id, dataset }: Dataset,
  field: string,
  limit: number,
): Promise<Set<string> | null> {
  const { system } = await systems.openById(id);
  const values = new Set<string>();
  let looked = 0;
  try {
    for await (const { fields, rows } of system.read!(dataset, {})) {
      const at = fields.indexOf(field);
      if (at < 0) return null;
      for (const row of rows) if (Array.isArray(row) && row[at]) values.add(row[at] as string);
      looked += rows.length;
      if (looked >= limit) break;
    }
    return values;
  } catch {
    // A system that does not answer now proves nothing.
    return null;
  }
}
