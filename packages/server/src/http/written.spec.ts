import fc from 'fast-check';
import { write, writtenWith } from './written.ts';

describe('an answer as JSON', () => {
  const long = fc
    .nat({ max: 3 })
    .chain((n) =>
      fc
        .array(fc.jsonValue(), { minLength: 1, maxLength: 5 })
        .map((some) => Array.from({ length: n * 2000 + 1 }, (_, i) => some[i % some.length])),
    );
  const object = fc.dictionary(fc.string(), fc.oneof(fc.jsonValue(), long, fc.constant(undefined)));

  it('is the same whether it is written in one piece or in several', async () => {
    await fc.assert(
      fc.asyncProperty(fc.oneof(object, long), async (answer) => {
        expect(await write(answer)).toBe(JSON.stringify(answer));
      }),
      { numRuns: 60 },
    );
  });
  it('lets others go first while a long list is written', async () => {
    const order: string[] = [];
    const written = write({ fields: Array.from({ length: 10_000 }, (_, i) => ({ name: `c${i}` })) });
    void written.then(() => order.push('written'));
    setImmediate(() => order.push('another'));
    await written;
    expect(order).toEqual(['another', 'written']);
  });
  it('takes a member that is JSON already as it is', () => {
    const { json } = writtenWith<{ at: string; result: object }, 'result'>({ at: '“a”' }, 'result', '{"kept": 1}');
    expect(json).toBe('{"at":"“a”","result":{"kept": 1}}');
  });
});
