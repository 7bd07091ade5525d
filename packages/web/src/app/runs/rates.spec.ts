import { ratesOf } from './rates';

describe('the rate of a run', () => {
  it('is what was read between two checkpoints, a second', () => {
    expect(
      ratesOf([
        { millis: 500, settled: 5000, delivered: 5000 },
        { millis: 1000, settled: 15_000, delivered: 15_000 },
      ]),
    ).toEqual([
      { x: 0, y: 10_000 },
      { x: 0.5, y: 10_000 },
      { x: 1, y: 20_000 },
    ]);
  });
  it('passes over checkpoints of the same instant, and is empty before the first', () => {
    expect(ratesOf([])).toEqual([]);
    expect(
      ratesOf([
        { millis: 100, settled: 10, delivered: 10 },
        { millis: 100, settled: 20, delivered: 20 },
      ]),
    ).toHaveLength(2);
  });
});
