/** How the person's browser writes figures, and how its region writes dates; the words of dates are English as the pages are. */
export interface Habits {
  readonly figures: string;
  readonly dates: string;
}

export function habitsOf(languages: readonly string[]): Habits {
  for (const language of languages) {
    try {
      const locale = new Intl.Locale(language);
      const english = locale.language === 'en';
      const region = locale.region ?? (english ? 'GB' : locale.maximize().region);
      return { figures: english ? `en-${region}` : language, dates: region === undefined ? 'en-GB' : `en-${region}` };
    } catch {
      // Not the name of a language; the next one may be.
    }
  }
  return { figures: 'en-GB', dates: 'en-GB' };
}

export const HABITS = habitsOf(typeof navigator === 'undefined' ? [] : navigator.languages);
