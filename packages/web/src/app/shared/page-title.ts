import { effect, inject } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Title } from '@angular/platform-browser';
import { NavigationEnd, Router } from '@angular/router';
import { filter } from 'rxjs';

/** The browser's title says which thing a page is about, once that is known; until then it has the route's words. */
export function pageTitle(name: () => string | null | undefined): void {
  const title = inject(Title);
  let which: string | null | undefined;
  const say = (): void => {
    if (which) title.setTitle(`${which} · Versicle`);
  };
  effect(() => {
    which = name();
    say();
  });
  // The router says the route's words once more right after each navigation, also where only the query changes.
  inject(Router)
    .events.pipe(
      filter((event) => event instanceof NavigationEnd),
      takeUntilDestroyed(),
    )
    .subscribe(() => queueMicrotask(say));
}
