/**
 * The language of the pages. They are written in English; a translation is a folder of words/ beside the source, which the build
 * makes one file of. Which there are stands in the page itself (data-languages), so that nobody waits for a list of none.
 */
const KEY = 'versicle.language';
/** What the pages are written in. */
export const WRITTEN_IN = 'en';

export function languages(): readonly string[] {
  return (document.documentElement.dataset['languages'] ?? '').split(',').filter(Boolean);
}
/** As chosen in this browser, otherwise the first of the browser's own that there is; null: as the pages are written. */
export function languageNow(): string | null {
  let chosen: string | null;
  try {
    chosen = localStorage.getItem(KEY);
  } catch {
    chosen = null;
  }
  if (chosen !== null) return chosen === WRITTEN_IN || !/^[a-z]{2,3}(-[A-Za-z0-9]+)*$/.test(chosen) ? null : chosen;
  for (const wanted of navigator.languages.map((l) => l.toLowerCase())) {
    if (wanted === WRITTEN_IN || wanted.startsWith(`${WRITTEN_IN}-`)) return null;
    const found = languages().find((l) => l.toLowerCase() === wanted || l.toLowerCase() === wanted.split('-')[0]);
    if (found !== undefined) return found;
  }
  return null;
}
/** Kept in this browser; the page is loaded anew, since words are put in while it begins. */
export function chooseLanguage(language: string): void {
  try {
    localStorage.setItem(KEY, language);
  } catch {
    // A browser that keeps nothing goes on in its own language.
  }
  location.reload();
}
