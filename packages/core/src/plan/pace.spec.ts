import { millisApart, paceWords, readPace } from './pace.ts';

describe('a pace', () => {
  it.each([
    ['80 a minute', 750, '80 requests a minute'],
    ['2 a second', 500, '2 requests a second'],
    ['1,500 an hour', 2400, '1,500 requests an hour'],
    ['1 per minute', 60_000, '1 request a minute'],
    ['5/s', 200, '5 requests a second'],
    [' 0.5 a Minute ', 120_000, '0.5 requests a minute'],
  ])('%s', (text, apart, words) => {
    const pace = readPace(text);
    expect([millisApart(pace), paceWords(pace, 'request')]).toEqual([apart, words]);
  });
  it.each([
    '',
    '80',
    'fast',
    '0 a minute',
    '80 a day',
    '30 minutes',
    '1,50 a minute',
    '-3 a minute',
    '9999999 a second',
    '1e3 a minute',
  ])('%s is none', (text) => expect(() => readPace(text)).toThrow(/is no pace/));
});
