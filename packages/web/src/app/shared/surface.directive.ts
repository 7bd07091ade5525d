import { afterNextRender, DestroyRef, Directive, ElementRef, inject, input } from '@angular/core';

const FOCUSABLE =
  'a[href], button:not([disabled]), input:not([disabled]), select:not([disabled]), textarea:not([disabled]), [contenteditable="true"], [tabindex]:not([tabindex="-1"])';

/** Whether a surface lies over the page that all keys belong to. */
export const surfaceOpen = (): boolean => document.querySelector('[data-surface="over"]') !== null;

/**
 * Something that opens over or within the page: it takes the focus at once, keeps it while it lies over the rest, and gives
 * it back to where it was when it closes.
 */
@Directive({
  selector: '[vsSurface]',
  host: { '(keydown)': 'key($event)', '[attr.data-surface]': 'over() ? "over" : "within"', tabindex: '-1' },
})
export class SurfaceDirective {
  /** It lies over the page: Tab does not leave it. */
  readonly over = input(false);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly before = document.activeElement;

  constructor() {
    afterNextRender(() => {
      if (this.host.contains(document.activeElement)) return;
      (this.host.querySelector<HTMLElement>('[data-first]') ?? this.within()[0] ?? this.host).focus();
    });
    inject(DestroyRef).onDestroy(() => {
      const at = document.activeElement;
      // Whoever went elsewhere meanwhile stays there.
      if (at !== null && at !== document.body && !this.host.contains(at)) return;
      if (this.before instanceof HTMLElement && this.before.isConnected) this.before.focus({ preventScroll: true });
    });
  }

  private within(): HTMLElement[] {
    return [...this.host.querySelectorAll<HTMLElement>(FOCUSABLE)].filter((e) => e.offsetParent !== null);
  }
  protected key(event: KeyboardEvent): void {
    if (event.key !== 'Tab' || !this.over()) return;
    const all = this.within();
    const at = all.indexOf(document.activeElement as HTMLElement);
    const next = event.shiftKey ? (at <= 0 ? all.length - 1 : at - 1) : at === all.length - 1 ? 0 : at + 1;
    event.preventDefault();
    (all[next] ?? this.host).focus();
  }
}
