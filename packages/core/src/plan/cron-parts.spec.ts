import fc from 'fast-check';
import { Cron } from 'croner';
import { cronOf, cronParts, type CronParts } from './cron-parts.ts';
import { cronWords } from './cron-words.ts';

const at = { hour: fc.integer({ min: 0, max: 23 }), minute: fc.integer({ min: 0, max: 59 }) };
const parts: fc.Arbitrary<CronParts> = fc.oneof(
  fc.record({ every: fc.constant('minutes' as const), step: fc.constantFrom(1, 2, 5, 15, 30) }),
  fc.record({ every: fc.constant('hour' as const), minute: at.minute }),
  fc.record({ every: fc.constant('day' as const), ...at }),
  fc.record({
    every: fc.constant('week' as const),
    days: fc.uniqueArray(fc.integer({ min: 0, max: 6 }), { minLength: 1 }).map((d) => d.sort()),
    ...at,
  }),
  fc.record({
    every: fc.constant('month' as const),
    day: fc.oneof(fc.integer({ min: 1, max: 31 }), fc.constant('L' as const)),
    ...at,
  }),
  fc.record({
    every: fc.constant('year' as const),
    month: fc.integer({ min: 1, max: 12 }),
    day: fc.integer({ min: 1, max: 28 }),
    ...at,
  }),
);

describe('a cron as it is chosen in plain words', () => {
  it('comes back as it was chosen, is a schedule, and has words', () => {
    fc.assert(
      fc.property(parts, (chosen) => {
        const cron = cronOf(chosen);
        expect(cronParts(cron)).toEqual(chosen);
        expect(new Cron(cron, { mode: '5-part' }).nextRun()).not.toBeNull();
        expect(cronWords(cron)).not.toBeNull();
      }),
    );
  });
  it.each([
    ['0 6 * * MON-FRI', { every: 'week', days: [1, 2, 3, 4, 5], hour: 6, minute: 0 }],
    ['0 6 * * SAT,7', { every: 'week', days: [0, 6], hour: 6, minute: 0 }],
    ['0 6 * * FRI-MON', { every: 'week', days: [0, 1, 5, 6], hour: 6, minute: 0 }],
    ['0 6 1 * MON', null],
    ['0 6,18 * * *', null],
    ['*/7 * * * *', null],
    ['0 6 * * 1-2-3', null],
    ['every day', null],
  ])('%s', (cron, expected) => {
    expect(cronParts(cron)).toEqual(expected);
  });
});
