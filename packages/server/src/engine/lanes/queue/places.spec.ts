import { Places } from './places.ts';

describe('requests to a system at a time', () => {
  it('are as many as it takes, over all that ask, and the next is whoever came first', async () => {
    const places = new Places();
    const order: string[] = [];
    const ask = async (name: string): Promise<void> => {
      await places.take('api', 2);
      order.push(name);
    };
    const all = ['a', 'b', 'c', 'd'].map(ask);
    await all[1];
    await new Promise((r) => setImmediate(r));
    expect(order).toEqual(['a', 'b']);
    await places.take('other', 1);
    places.free('api');
    await all[2];
    expect(order).toEqual(['a', 'b', 'c']);
    places.free('api');
    await all[3];
    for (const _ of ['c', 'd']) places.free('api');
    await places.take('api', 1);
    expect(order).toEqual(['a', 'b', 'c', 'd']);
  });
});
