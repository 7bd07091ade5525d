import { effect, inject } from '@angular/core';
import { Title } from '@angular/platform-browser';

/** The browser's title says which thing a page is about, once that is known; until then it has the route's words. */
export function pageTitle(name: () => string | null | undefined): void {
  const title = inject(Title);
  effect(() => {
    const which = name();
    if (which) title.setTitle(`${which} · Versicle`);
  });
}
