import { Directive, ElementRef, inject } from '@angular/core';
import { surfaceOpen } from './surface.directive';

/** The search of a page: “/” leads into it, wherever nothing is being written. */
@Directive({ selector: 'input[vsFindKey]', host: { '(document:keydown)': 'key($event)' } })
export class FindKeyDirective {
  private readonly host = inject<ElementRef<HTMLInputElement>>(ElementRef).nativeElement;

  protected key(event: KeyboardEvent): void {
    const within = (event.target as HTMLElement).closest('input, textarea, select, [contenteditable="true"]');
    if (event.key !== '/' || within !== null || surfaceOpen()) return;
    event.preventDefault();
    this.host.focus();
  }
}
