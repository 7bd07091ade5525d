import { counted, nearest, refused, Unreadable, type EachStep } from '@versicle/core';
import type { Systems } from '../systems/systems.ts';

/** The variables of one item of an each. */
export type Item = Readonly<Record<string, string>>;
/** Records that an each is carried out for, at the most. */
const MOST = 10_000;

/** What an each is carried out for: once for each of these. Throws a fault. */
export async function itemsOf(over: EachStep['over'], systems: Systems, signal: AbortSignal): Promise<Item[]> {
  if ('list' in over) return over.list.map((value) => ({ [over.as]: value }));
  const { system, dataset } = await systems.openDataset(over.dataset);
  if (!system.read) throw refused(`The records of ${over.dataset} can’t be read one by one; choose another dataset.`);
  const items: Item[] = [];
  for await (const { fields, rows } of system.read(dataset, { signal, whole: true })) {
    const places = Object.entries(over.fields).map(([variable, field]) => {
      const place = fields.indexOf(field);
      if (place < 0) {
        const near = nearest(field, fields);
        throw refused(`${over.dataset} has no field ${field}.${near ? ` Did you mean ${near}?` : ''}`);
      }
      return [variable, place] as const;
    });
    for (const row of rows) {
      if (row instanceof Unreadable)
        throw refused(
          `A record of ${over.dataset} can’t be read, so not each of them can be gone through: ${row.message}`,
        );
      items.push(Object.fromEntries(places.map(([variable, place]) => [variable, row[place] ?? ''])));
      if (items.length > MOST)
        throw refused(
          `${over.dataset} has more than ${counted(MOST, 'record')}; an each goes through at most so many.`,
        );
    }
  }
  return items;
}
