import { parseDocument, type MappingDocument } from '@versicle/core';
import { foundBehind, leaveBehind, nothingBehind } from './left-behind';
import { page } from './presence';

const document = (rule: string): MappingDocument =>
  parseDocument({
    versicle: 1,
    name: 'Trips',
    source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
    target: { dataset: 'store/trip', key: ['no'], fields: [{ name: 'no', type: 'text' }] },
    lines: [{ id: 'l1', target: 'no', kind: 'rule', rule }],
  });
const base = document('t.no');

describe('edits that the browser leaves with', () => {
  const sent = jest.fn<Promise<unknown>, [string, RequestInit]>(() => Promise.reject(new Error('gone')));
  beforeEach(() => {
    localStorage.clear();
    sent.mockClear();
    Object.assign(globalThis, { fetch: sent });
  });
  const leave = (id: string, rule = 'upper(t.no)'): boolean =>
    leaveBehind(id, { base, document: document(rule), version: 3, unheard: [] });
  /** As another page of this browser would have left it. */
  const byAnother = (id: string, name: string, at: number): void => {
    const mine = localStorage.getItem(`versicle.left.${id}/${page}`)!;
    localStorage.setItem(`versicle.left.${id}/${name}`, JSON.stringify({ ...JSON.parse(mine), at }));
  };

  it('are kept and sent at once, under a name that can be asked for', () => {
    expect(leave('trips')).toBe(true);
    const [url, { body, keepalive }] = sent.mock.calls[0]!;
    expect([url, keepalive]).toEqual(['/api/mappings/trips/draft', true]);
    const found = foundBehind('trips')!;
    expect(JSON.parse(String(body))).toMatchObject({ version: 3, save: found.save });
    expect(found).toMatchObject({ base, version: 3, unheard: [] });
  });
  it('are sent without a word where they are too long to outlive the page, and kept all the same', () => {
    leave('trips', `'${'x'.repeat(70_000)}'`);
    expect(sent.mock.calls[0]![1].keepalive).toBe(false);
    expect(foundBehind('trips')).not.toBeNull();
  });
  it('are each page’s own: the oldest comes first, and forgetting one leaves the others', () => {
    leave('trips');
    byAnother('trips', 'a', 5);
    byAnother('trips', 'b', 2);
    const order: string[] = [];
    for (let found = foundBehind('trips'); found !== null; found = foundBehind('trips')) {
      order.push(found.key);
      nothingBehind('trips', found.key);
    }
    expect(order).toEqual(['versicle.left.trips/b', 'versicle.left.trips/a', `versicle.left.trips/${page}`]);
  });
  it('of another mapping are left alone, also where its name begins alike; what can’t be read is thrown away', () => {
    leave('trips-2');
    localStorage.setItem('versicle.left.trips/x', '{"base":1}');
    localStorage.setItem('versicle.left.trips/y', 'half of');
    localStorage.setItem('versicle.theme', 'x');
    expect(foundBehind('trips')).toBeNull();
    expect(Object.keys(localStorage).sort()).toEqual([`versicle.left.trips-2/${page}`, 'versicle.theme']);
    nothingBehind('trips');
    expect(foundBehind('trips-2')).not.toBeNull();
  });
  it('are not safe in a browser that keeps nothing', () => {
    const full = jest.spyOn(Storage.prototype, 'setItem').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    expect(leave('trips')).toBe(false);
    full.mockRestore();
  });
});
