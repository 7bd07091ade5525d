import type { Counted } from '@versicle/contract';
import { refused, Unreadable } from '@versicle/core';
import type { OpenSystem } from './kinds/kind.ts';
import { condition } from './preview.ts';

/** How many of all records of a dataset meet a filter; a record that can't be read meets none. Throws a fault. */
export async function countRows(
  system: OpenSystem,
  dataset: string,
  filter: string,
  signal: AbortSignal,
): Promise<Counted> {
  if (system.count) return system.count(dataset, filter, signal);
  if (!system.read) throw refused('This kind of system holds no records.');
  let fields: string[] = [];
  let keep: ReturnType<typeof condition> | null = null;
  let met = 0;
  let all = 0;
  for await (const batch of system.read(dataset, { signal })) {
    signal.throwIfAborted();
    const added = batch.fields.filter((f) => !fields.includes(f));
    if (added.length > 0 || !keep) {
      fields = [...fields, ...added];
      keep = condition(filter, fields);
    }
    const places = fields.map((f) => batch.fields.indexOf(f));
    const same = places.every((p, i) => p === i);
    all += batch.rows.length;
    for (const row of batch.rows) {
      if (row instanceof Unreadable) continue;
      if (keep(same ? row : places.map((p) => (p < 0 ? null : (row[p] ?? null))))) met++;
    }
  }
  return { met, all };
}
