import { habitsOf } from './locale';

const shown = (...languages: string[]): string[] => {
  const { figures, dates } = habitsOf(languages);
  const time = new Date(2026, 10, 29, 17, 5);
  return [
    (1_234_567.8).toLocaleString(figures),
    new Intl.DateTimeFormat(dates, { weekday: 'short', day: 'numeric', month: 'short' }).format(time),
    new Intl.DateTimeFormat(dates, { hour: '2-digit', minute: '2-digit' }).format(time),
  ];
};

describe('figures and dates', () => {
  it.each([
    [['en-GB'], ['1,234,567.8', 'Sun 29 Nov', '17:05']],
    [
      ['en-US', 'en'],
      ['1,234,567.8', 'Sun, Nov 29', '05:05 PM'],
    ],
    [['de-DE'], ['1.234.567,8', 'Sun, 29 Nov', '17:05']],
    [['de'], ['1.234.567,8', 'Sun, 29 Nov', '17:05']],
    [['en'], ['1,234,567.8', 'Sun 29 Nov', '17:05']],
    [
      ['no such language', 'de-AT'],
      ['1 234 567,8', 'Sun, 29 Nov', '17:05'],
    ],
    [[], ['1,234,567.8', 'Sun 29 Nov', '17:05']],
  ])('are written as is usual for %j', (languages, words) =>
    expect(shown(...languages).map((w) => w.replace(/[\u00a0\u202f]/g, ' '))).toEqual(
      words.map((w, i) => (i === 1 ? expect.stringMatching(new RegExp(`^${w.replace(',', ',?')}$`)) : w)),
    ),
  );
  it.each([
    [['de-AT'], 'de', 'So., 29. Nov.'],
    [['en-GB'], 'de', 'So., 29. Nov.'],
    [[], 'fr', 'dim. 29 nov.'],
    [['de'], 'pt-BR', 'dom., 29 de nov.'],
  ])('dates are in the language of the pages, for %j in %s', (languages, pages, words) =>
    expect(
      new Intl.DateTimeFormat(habitsOf(languages, pages).dates, {
        weekday: 'short',
        day: 'numeric',
        month: 'short',
      }).format(new Date(2026, 10, 29)),
    ).toBe(words),
  );
});
