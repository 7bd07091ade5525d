import * as fc from 'fast-check';
import { InOrder } from './in-order.ts';
import type { WaitingRow } from './outbox.ts';

const row = (id: number, orderKey: string | null, run = 1, request: number | null = null, sooner = 0): WaitingRow =>
  ({ id, orderKey, run, part: 0, request, sooner }) as WaitingRow;
const ids = (rows: readonly WaitingRow[]): number[] => rows.map((r) => r.id);

describe('records that are sent in the order of their keys', () => {
  it('go together as far as no key stands twice among them, and nothing of a key overtakes', () => {
    const rows = new InOrder();
    rows.add([row(1, 'a'), row(2, 'b'), row(3, 'a'), row(4, null), row(5, 'b')]);
    const first = rows.take(10);
    expect(ids(first)).toEqual([1, 2, 4]);
    expect(rows.take(10)).toEqual([]);
    rows.done(first.filter((r) => r.id === 1));
    expect(ids(rows.take(10))).toEqual([3]);
    rows.done(first);
    expect(ids(rows.take(10))).toEqual([5]);
  });
  it('go by run, and what went together before goes together again, before all else', () => {
    const rows = new InOrder();
    rows.add([row(1, null, 1), row(2, null, 2), row(3, null, 1), row(7, null, 2, 7), row(9, null, 2, 7)]);
    expect(ids(rows.take(1))).toEqual([7, 9]);
    expect(ids(rows.take(10))).toEqual([1, 3]);
    rows.drop(2);
    expect([rows.has(2), rows.take(10)]).toEqual([false, []]);
  });
  it('go first where a person said so, and are read anew but for what went already', () => {
    const rows = new InOrder();
    rows.add([row(1, 'a'), row(2, 'b'), row(3, 'a', 1, null, 1), row(4, 'c', 1, null, 2), row(5, 'd', 1, 5)]);
    expect(ids(rows.take(1))).toEqual([5]);
    expect(ids(rows.take(2))).toEqual([4, 3]);
    rows.back([row(5, 'd', 1, 5)]);
    rows.forget();
    expect([ids(rows.take(9)), ids(rows.take(9))]).toEqual([[5], []]);
  });
  it('are each sent once, in the order of their keys, however requests end', () => {
    const keys = fc.array(fc.option(fc.integer({ min: 0, max: 4 }), { nil: null }), { maxLength: 40 });
    fc.assert(
      fc.property(keys, fc.integer({ min: 1, max: 5 }), fc.infiniteStream(fc.nat(5)), (list, batch, dice) => {
        const rows = new InOrder();
        rows.add(list.map((key, id) => row(id + 1, key === null ? null : String(key))));
        const out: (readonly WaitingRow[])[] = [];
        const sent: WaitingRow[] = [];
        const roll = (): number => dice.next().value!;
        for (let n = 0; sent.length < list.length; n++) {
          expect(n).toBeLessThan(2000);
          const taken = rows.take(batch);
          expect(taken.length).toBeLessThanOrEqual(batch);
          if (taken.length > 0) out.push(taken);
          if (out.length === 0 || (taken.length > 0 && roll() < 3)) continue;
          const [ended] = out.splice(roll() % out.length, 1) as [readonly WaitingRow[]];
          if (roll() === 0) rows.back(ended);
          else {
            sent.push(...ended);
            rows.done(ended);
          }
        }
        expect(ids(sent).sort((a, b) => a - b)).toEqual(list.map((_, i) => i + 1));
        for (const key of new Set(list))
          if (key !== null) {
            const ofKey = ids(sent.filter((r) => r.orderKey === String(key)));
            expect(ofKey).toEqual([...ofKey].sort((a, b) => a - b));
          }
      }),
    );
  });
});
