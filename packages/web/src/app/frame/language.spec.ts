import { languageNow, languages } from './language';

describe('the language of the pages', () => {
  const browser = Object.getOwnPropertyDescriptor(navigator, 'languages')!;
  const speaking = (there: string, chosen: string | null, ...spoken: string[]): string | null => {
    document.documentElement.dataset['languages'] = there;
    if (chosen === null) localStorage.removeItem('versicle.language');
    else localStorage.setItem('versicle.language', chosen);
    Object.defineProperty(navigator, 'languages', { value: spoken, configurable: true });
    return languageNow();
  };
  afterEach(() => {
    Object.defineProperty(navigator, 'languages', browser);
    localStorage.clear();
    delete document.documentElement.dataset['languages'];
  });

  it.each([
    ['', null, ['de-DE', 'de'], null],
    ['de,fr', null, ['de-AT', 'en'], 'de'],
    ['de,fr', null, ['nl', 'fr'], 'fr'],
    // Whoever reads English first is not given another language that is there as well.
    ['de,fr', null, ['en-US', 'de'], null],
    ['pt-BR', null, ['pt-br'], 'pt-BR'],
    ['pt-BR', null, ['pt-PT'], null],
    ['de,fr', 'fr', ['de'], 'fr'],
    ['de', 'en', ['de'], null],
    ['de', '../../api/session', ['de'], null],
  ])('of “%s”, with %s chosen, for a browser of %j: %s', (there, chosen, spoken, language) =>
    expect(speaking(there, chosen, ...spoken)).toBe(language),
  );
  it('is none besides as long as the page names none', () => {
    expect(languages()).toEqual([]);
    speaking('de,fr', null, 'en');
    expect(languages()).toEqual(['de', 'fr']);
  });
});
