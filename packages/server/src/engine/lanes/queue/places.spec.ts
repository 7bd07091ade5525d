import { AbortedBefore } from '@versicle/core';
import { Places } from './places.ts';

describe('requests to a system at a time', () => {
  const { signal } = new AbortController();
  const soon = (): Promise<void> => new Promise((r) => setImmediate(r));

  it('are as many as it takes, over all that ask, and the next is whoever came first', async () => {
    const places = new Places();
    const order: string[] = [];
    const ask = async (name: string): Promise<void> => {
      await places.take('api', 2, signal);
      order.push(name);
    };
    const all = ['a', 'b', 'c', 'd'].map(ask);
    await all[1];
    await soon();
    expect(order).toEqual(['a', 'b']);
    await places.take('other', 1, signal);
    places.free('api');
    await all[2];
    expect(order).toEqual(['a', 'b', 'c']);
    places.free('api');
    await all[3];
    for (const _ of ['c', 'd']) places.free('api');
    await places.take('api', 1, signal);
    expect(order).toEqual(['a', 'b', 'c', 'd']);
  });
  it('are not waited for by whoever was cancelled, and the place goes to the next one', async () => {
    const places = new Places();
    await places.take('api', 1, signal);
    const cancelled = new AbortController();
    const gone = places.take('api', 1, cancelled.signal).then(
      () => 'has it',
      (error: unknown) => error instanceof AbortedBefore,
    );
    let last = '';
    void places.take('api', 1, signal).then(() => (last = 'has it'));
    cancelled.abort();
    expect(await gone).toBe(true);
    expect(last).toBe('');
    places.free('api');
    await soon();
    expect(last).toBe('has it');
    await expect(places.take('free', 1, cancelled.signal)).rejects.toBeInstanceOf(AbortedBefore);
  });
});
