import type { Counted } from '@versicle/contract';
import { refused, Unreadable } from '@versicle/core';
import { GrowingFields } from './growing-fields.ts';
import type { OpenSystem } from './kinds/kind.ts';
import { condition } from './preview.ts';

/** How many of all records of a dataset meet a filter; a record that can't be read meets none. Throws a fault. */
export async function countRows(
  system: Pick<OpenSystem, 'count' | 'read'>,
  dataset: string,
  filter: string,
  signal?: AbortSignal,
): Promise<Counted> {
  if (system.count) return system.count(dataset, filter, signal);
  if (!system.read) throw refused('This kind of system holds no records.');
  const growing = new GrowingFields();
  let keep: ReturnType<typeof condition> | null = null;
  let met = 0;
  let all = 0;
  for await (const batch of system.read(dataset, { signal })) {
    signal?.throwIfAborted();
    if (growing.next(batch.fields) || !keep) keep = condition(filter, growing.names);
    all += batch.rows.length;
    for (const raw of batch.rows) {
      const row = growing.row(raw);
      if (!(row instanceof Unreadable) && keep(row)) met++;
    }
  }
  return { met, all };
}
