/** How the person's browser writes figures, and how its region writes dates, in the language that the pages are in. */
export interface Habits {
  readonly figures: string;
  readonly dates: string;
}

export function habitsOf(languages: readonly string[], pages = 'en'): Habits {
  for (const language of languages) {
    try {
      const locale = new Intl.Locale(language);
      const english = locale.language === 'en';
      const region = locale.region ?? (english ? 'GB' : locale.maximize().region);
      return {
        figures: english ? `en-${region}` : language,
        dates: pages !== 'en' ? inRegion(pages, region) : inRegion('en', region ?? 'GB'),
      };
    } catch {
      // Not the name of a language; the next one may be.
    }
  }
  return { figures: 'en-GB', dates: inRegion(pages, pages === 'en' ? 'GB' : undefined) };
}
const inRegion = (language: string, region: string | undefined): string =>
  region === undefined || language.includes('-') ? language : `${language}-${region}`;

export const HABITS = habitsOf(
  typeof navigator === 'undefined' ? [] : navigator.languages,
  typeof document === 'undefined' ? 'en' : document.documentElement.lang || 'en',
);
