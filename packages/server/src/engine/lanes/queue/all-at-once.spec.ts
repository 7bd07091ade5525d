import { AllAtOnce } from './all-at-once.ts';

describe('what is done for many at once', () => {
  it('takes all that came meanwhile, and gives each its own result', async () => {
    const goes: number[][] = [];
    let letGo: () => void = () => undefined;
    const double = new AllAtOnce(async (items: readonly number[]) => {
      goes.push([...items]);
      await new Promise<void>((resolve) => (letGo = resolve));
      return items.map((n) => n * 2);
    });
    const first = double.do(1);
    const others = Promise.all([double.do(2), double.do(3)]);
    letGo();
    expect(await first).toBe(2);
    letGo();
    expect(await others).toEqual([4, 6]);
    expect(goes).toEqual([[1], [2, 3]]);
    await double.idle();
  });
  it('fails those of one go together, and goes on with the next', async () => {
    const fails = new AllAtOnce((items: readonly number[]) =>
      items.includes(13) ? Promise.reject(new Error('thirteen')) : Promise.resolve(items),
    );
    await expect(fails.do(13)).rejects.toThrow('thirteen');
    expect(await fails.do(1)).toBe(1);
  });
});
