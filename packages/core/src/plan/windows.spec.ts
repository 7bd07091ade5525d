import * as fc from 'fast-check';
import { isOpen, opensAt, readWindows } from './windows.ts';

const at = (text: string): Date => new Date(text);

describe('windows in which records are sent', () => {
  it('are read from lines: days, two times, a zone', () => {
    const [night, weekend, some] = readWindows(
      '22:00–05:00 Europe/London\n\n Sat, Sun 0:00-24:00 UTC \nMon–Wed, Friday 9:30 to 17:00 Asia/Tokyo',
    );
    expect(night).toMatchObject({ from: '22:00', to: '05:00', zone: 'Europe/London' });
    expect(night!.days.size).toBe(7);
    expect([weekend!.from, weekend!.to, [...weekend!.days]]).toEqual(['00:00', '24:00', [6, 0]]);
    expect([some!.from, [...some!.days]]).toEqual(['09:30', [1, 2, 3, 5]]);
    expect([...readWindows('Fri–Mon 10:00–11:00 UTC')[0]!.days]).toEqual([5, 6, 0, 1]);
    expect(readWindows('')).toEqual([]);
  });
  it.each([
    ['22:00', 'is no window'],
    ['at night', 'is no window'],
    ['25:00–05:00 UTC', 'no clock shows'],
    ['22:00–05:61 UTC', 'no clock shows'],
    ['24:00–05:00 UTC', 'no clock shows'],
    ['22:00–22:00 UTC', 'closes when it opens'],
    ['22:00–05:00', 'names no time zone'],
    ['22:00–05:00 Nowhere/Here', 'There is no time zone “Nowhere/Here”'],
    ['Moonday 22:00–05:00 UTC', '“Moonday”'],
    ['Mon–Xyz 22:00–05:00 UTC', '“Xyz”'],
  ])('%s is refused: %s', (text, says) => expect(() => readWindows(text)).toThrow(says));

  const night = readWindows('Fri 22:00–05:00 Europe/London');
  it.each([
    ['2026-07-31T20:59:00Z', '2026-07-31T21:00:00Z'],
    ['2026-07-31T21:00:00Z', null],
    ['2026-08-01T03:59:59Z', null],
    ['2026-08-01T04:00:00Z', '2026-08-07T21:00:00Z'],
    // On a Saturday evening it does not open, nor is it open after Thursday's midnight.
    ['2026-08-01T22:00:00Z', '2026-08-07T21:00:00Z'],
    ['2026-07-31T01:00:00Z', '2026-07-31T21:00:00Z'],
    // In winter the zone is that of the meridian.
    ['2026-12-04T21:59:00Z', '2026-12-04T22:00:00Z'],
  ])('at %s it opens at %s', (now, then) => {
    expect(opensAt(night, at(now))).toEqual(then === null ? null : at(then));
    expect(isOpen(night, at(now))).toBe(then === null);
  });
  it('opens on the next day where the clock is put forward over all of it', () => {
    const early = readWindows('01:15–01:45 Europe/London');
    expect(opensAt(early, at('2026-03-28T02:00:00Z'))).toEqual(at('2026-03-30T00:15:00Z'));
    // Over its beginning: from the jump on.
    const late = readWindows('01:30–05:00 Europe/London');
    expect(opensAt(late, at('2026-03-29T00:10:00Z'))).toEqual(at('2026-03-29T01:00:00Z'));
    // Put back, it shows that time twice, and is open both times.
    expect(opensAt(early, at('2026-10-25T00:20:00Z'))).toBeNull();
    expect(opensAt(early, at('2026-10-25T01:20:00Z'))).toBeNull();
  });
  it('is always open without any, and opens when the first of several does', () => {
    expect(opensAt([], at('2026-07-31T20:59:00Z'))).toBeNull();
    const two = readWindows('22:00–05:00 UTC\n12:00–13:00 UTC');
    expect(opensAt(two, at('2026-07-31T09:00:00Z'))).toEqual(at('2026-07-31T12:00:00Z'));
    expect(opensAt(two, at('2026-07-31T13:00:00Z'))).toEqual(at('2026-07-31T22:00:00Z'));
  });
  it('is closed at each minute before it opens, and open then', () => {
    const two = (n: number): string => String(n).padStart(2, '0');
    const time = fc.tuple(fc.nat(23), fc.nat(59)).map(([h, m]) => `${two(h)}:${two(m)}`);
    const days = fc.subarray(['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'], { minLength: 1 });
    const zone = fc.constantFrom('Europe/London', 'UTC', 'America/St_Johns', 'Australia/Lord_Howe', 'Pacific/Apia');
    const window = fc.record({ days, from: time, to: time, zone }).filter((w) => w.from !== w.to);
    const moment = fc.date({ min: at('2026-01-01T00:00:00Z'), max: at('2026-12-31T00:00:00Z'), noInvalidDate: true });
    fc.assert(
      fc.property(fc.array(window, { minLength: 1, maxLength: 3 }), moment, (all, now) => {
        const windows = readWindows(all.map((w) => `${w.days.join(', ')} ${w.from}–${w.to} ${w.zone}`).join('\n'));
        const opens = opensAt(windows, now);
        if (opens === null) return expect(isOpen(windows, now)).toBe(true);
        expect(isOpen(windows, opens)).toBe(true);
        expect(opens.getTime()).toBeGreaterThan(now.getTime());
        // By the minute, from the opening back to now: two hours of them, which may have a change of the clock in them.
        for (let t = opens.getTime() - 1000, n = 0; t >= now.getTime() && n < 120; t -= 60_000, n++)
          expect(isOpen(windows, new Date(t))).toBe(false);
      }),
      { numRuns: 60 },
    );
  });
});
