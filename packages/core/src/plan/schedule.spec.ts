import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { missedTimes, nextTimes, scheduleFault } from './schedule.ts';

const schedule = (cron: string, zone = 'Europe/London', more: Partial<{ except: string[]; only: string[] }> = {}) => ({
  cron,
  zone,
  except: [],
  only: [],
  missed: 'once' as 'once' | 'skip' | 'each',
  ...more,
});
const next = (cron: string, zone: string, from: string, n: number): string[] =>
  nextTimes(schedule(cron, zone), new Date(from), n).map(
    ({ at, odd }) => `${at.toISOString().slice(0, 16)}${odd ? ` ${odd}` : ''}`,
  );

describe('the next times of a schedule', () => {
  it.each([
    // The clock goes from 01:00 to 02:00 on 29 March 2026 in London, from 02:00 to 03:00 in Vienna.
    ['30 1 * * *', 'Europe/London', '2026-03-28T12:00Z', ['2026-03-29T01:00 skipped hour', '2026-03-30T00:30']],
    ['30 2 * * *', 'Europe/Vienna', '2026-03-28T12:00Z', ['2026-03-29T01:00 skipped hour', '2026-03-30T00:30']],
    ['30 2 * * *', 'America/New_York', '2026-03-07T12:00Z', ['2026-03-08T07:00 skipped hour', '2026-03-09T06:30']],
    // It shows 01:30 twice on 25 October; the first counts.
    ['30 1 * * *', 'Europe/London', '2026-10-24T12:00Z', ['2026-10-25T00:30 doubled hour', '2026-10-26T01:30']],
    ['30 1 * * *', 'America/New_York', '2026-10-31T12:00Z', ['2026-11-01T05:30 doubled hour', '2026-11-02T06:30']],
    ['0 6 * * *', 'Europe/London', '2026-10-24T12:00Z', ['2026-10-25T06:00', '2026-10-26T06:00']],
    // Every hour is every hour, whatever the clock shows.
    ['0 * * * *', 'Europe/London', '2026-10-24T23:30Z', ['2026-10-25T00:00', '2026-10-25T01:00', '2026-10-25T02:00']],
    ['0 8 31 * *', 'UTC', '2026-01-31T09:00Z', ['2026-03-31T08:00', '2026-05-31T08:00']],
    ['0 8 L * *', 'UTC', '2026-01-31T09:00Z', ['2026-02-28T08:00', '2026-03-31T08:00']],
    ['0 0 29 2 *', 'UTC', '2026-03-01T00:00Z', ['2028-02-29T00:00', '2032-02-29T00:00']],
    ['0 7 * * 1-5', 'UTC', '2026-11-27T08:00Z', ['2026-11-30T07:00', '2026-12-01T07:00']],
  ])('%s in %s', (cron, zone, from, times) => expect(next(cron, zone, from, times.length)).toEqual(times));

  it('agree with another library that counts through the days by their clocks', () =>
    fc.assert(
      fc.property(
        fc.oneof(fc.integer({ min: 0, max: 3 }), fc.integer({ min: 0, max: 23 })),
        fc.integer({ min: 0, max: 59 }),
        fc.constantFrom('Europe/London', 'Europe/Vienna', 'America/New_York', 'Australia/Lord_Howe', 'UTC'),
        // Days before the clocks change somewhere, and others.
        fc.oneof(
          fc.constantFrom(64, 65, 85, 86, 92, 93, 275, 276, 295, 296, 302, 303),
          fc.integer({ min: 0, max: 360 }),
        ),
        (hour, minute, zone, day) => {
          const from = Temporal.Instant.from('2026-01-01T00:00Z').add({ hours: 24 * day });
          const found = nextTimes(schedule(`${minute} ${hour} * * *`, zone), new Date(from.epochMilliseconds), 5);
          const expected: number[] = [];
          let date = from.toZonedDateTimeISO(zone).toPlainDate();
          while (expected.length < 5) {
            // A time that the clock jumps over is due when it has jumped; of one that it shows twice the first counts.
            const meant = date.toZonedDateTime({ timeZone: zone, plainTime: { hour, minute } });
            const isThere = meant.hour === hour && meant.minute === minute;
            const at = isThere ? meant : meant.getTimeZoneTransition('previous')!;
            if (at.epochMilliseconds > from.epochMilliseconds) expected.push(at.epochMilliseconds);
            date = date.add({ days: 1 });
          }
          expect(found.map((f) => f.at.getTime())).toEqual(expected);
        },
      ),
      { numRuns: 150 },
    ));

  it('leave out the days of calendars, or keep to them', () => {
    const calendars = new Map([['holidays', new Set(['2026-12-25', '2026-12-26'])]]);
    const times = (more: object) =>
      nextTimes(schedule('0 6 * * *', 'Europe/London', more), new Date('2026-12-24T12:00Z'), 3, calendars).map((t) =>
        t.at.toISOString().slice(0, 10),
      );
    expect(times({ except: ['holidays'] })).toEqual(['2026-12-27', '2026-12-28', '2026-12-29']);
    expect(times({ only: ['holidays'] })).toEqual(['2026-12-25', '2026-12-26']);
  });
});

describe('times that passed while nothing could run', () => {
  const from = new Date('2026-11-29T03:00Z');
  const now = new Date('2026-11-29T06:00Z');
  const missed = (how: 'once' | 'skip' | 'each', until = now) =>
    missedTimes({ ...schedule('0 * * * *', 'UTC'), missed: how }, from, until).map((d) =>
      d.toISOString().slice(11, 16),
    );
  it('are made up for once, each or never', () => {
    expect(missed('each')).toEqual(['04:00', '05:00', '06:00']);
    expect(missed('once')).toEqual(['06:00']);
    expect(missed('skip')).toEqual([]);
  });
  it('are told for each minute of days, or the first of them', () => {
    const minutely = { ...schedule('* * * * *', 'Europe/London'), missed: 'each' as const };
    const days = [new Date('2025-11-29T00:00Z'), new Date('2025-12-03T00:00Z')] as const;
    const all = missedTimes(minutely, ...days);
    expect(all).toHaveLength(4 * 24 * 60);
    expect(missedTimes(minutely, ...days, new Map(), 100)).toEqual(all.slice(0, 100));
  });
  it('are none when the clock goes back', () => {
    expect(missed('each', new Date('2026-11-29T02:00Z'))).toEqual([]);
    expect(missed('once', new Date('2026-11-29T02:00Z'))).toEqual([]);
  });
});

describe('a schedule that can’t be meant', () => {
  it.each([
    ['0 6 * * *', 'Europe/Lodnon', 'zone', 'There is no time zone “Europe/Lodnon”'],
    ['0 0 30 2 *', 'UTC', 'cron', 'never comes'],
    ['0 25 * * *', 'UTC', 'cron', 'is no schedule'],
    ['0 6 * *', 'UTC', 'cron', 'five parts'],
    ['each day', 'UTC', 'cron', 'is no schedule'],
  ])('%s in %s', (cron, zone, entry, says) => {
    const fault = scheduleFault({ cron, zone });
    expect(fault?.entry).toBe(entry);
    expect(fault?.message).toContain(says);
  });
  it('is none where it can', () => expect(scheduleFault({ cron: '*/5 6-20 * * MON-FRI', zone: 'UTC' })).toBeNull());
});
