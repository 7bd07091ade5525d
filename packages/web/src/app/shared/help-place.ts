import { Injectable, signal } from '@angular/core';

/** Where Help stands open beside the page. */
@Injectable({ providedIn: 'root' })
export class HelpPlace {
  readonly open = signal<{ readonly chapter: string; readonly at: string | null } | null>(null);
}
