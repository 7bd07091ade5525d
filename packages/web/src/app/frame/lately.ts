import { inject, Injectable } from '@angular/core';
import { NavigationEnd, Router } from '@angular/router';
import { debounceTime, filter, map } from 'rxjs';

/** A page that was open lately: its address and what its title said. */
export interface Visited {
  readonly url: string;
  readonly title: string;
}
const KEY = 'versicle.lately';
const KEPT = 12;

/** Pages that were open lately, the newest first; kept in this browser. */
@Injectable({ providedIn: 'root' })
export class Lately {
  private readonly router = inject(Router);

  /** Begins to remember. A title is taken once the page has said which thing it is about. */
  follow(): void {
    this.router.events
      .pipe(
        filter((e) => e instanceof NavigationEnd),
        map((e) => e.urlAfterRedirects),
        debounceTime(1200),
      )
      .subscribe((url) => this.keep({ url, title: document.title.replace(/ · Versicle$/, '') }));
  }

  /** Without the page that is open. */
  others(): Visited[] {
    return this.kept().filter((v) => v.url !== this.router.url);
  }

  private keep(visited: Visited): void {
    const page = (url: string): string => url.split('?')[0]!;
    const others = this.kept().filter((v) => page(v.url) !== page(visited.url) || v.title !== visited.title);
    try {
      localStorage.setItem(KEY, JSON.stringify([visited, ...others].slice(0, KEPT)));
    } catch {
      // A browser that keeps nothing offers nothing.
    }
  }
  private kept(): Visited[] {
    try {
      const list: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
      if (!Array.isArray(list)) return [];
      return list.filter(
        (v): v is Visited =>
          typeof (v as Visited | null)?.url === 'string' &&
          (v as Visited).url.startsWith('/') &&
          typeof (v as Visited).title === 'string',
      );
    } catch {
      return [];
    }
  }
}
