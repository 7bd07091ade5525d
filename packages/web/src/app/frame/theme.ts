/** As the system is set, or by day or by night whatever that says. */
export const THEMES = ['system', 'day', 'night'] as const;
export type Theme = (typeof THEMES)[number];
const KEY = 'versicle.theme';

export function themeNow(): Theme {
  try {
    return THEMES.find((theme) => theme === localStorage.getItem(KEY)) ?? 'system';
  } catch {
    return 'system';
  }
}
/** Puts the chosen theme on; before anything is drawn. */
export function wearTheme(theme: Theme = themeNow()): void {
  if (theme === 'system') delete document.documentElement.dataset['theme'];
  else document.documentElement.dataset['theme'] = theme;
}
export function chooseTheme(theme: Theme): void {
  try {
    if (theme === 'system') localStorage.removeItem(KEY);
    else localStorage.setItem(KEY, theme);
  } catch {
    // A browser that keeps nothing wears it until the page is left.
  }
  wearTheme(theme);
}
