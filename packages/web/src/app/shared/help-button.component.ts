import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { HelpPlace } from './help-place';

/** What the template says in one case or another. */
const PHRASES = {
  help: $localize`Help: `,
};

/** The “?” of a part of a page: opens its chapter of the guide beside it. */
@Component({
  selector: 'vs-help',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<button
    type="button"
    [attr.aria-label]="phrases.help + of()"
    [title]="phrases.help + of()"
    (click)="open()"
  >
    ?
  </button>`,
  styles: `
    button {
      width: 20px;
      height: 20px;
      border: 1px solid var(--line);
      border-radius: 50%;
      background: none;
      color: var(--ink-2);
      font: 600 12px/1 var(--serif);
      cursor: pointer;
      &:hover {
        color: var(--ink);
        border-color: var(--ink-2);
      }
    }
    @media print {
      button {
        display: none;
      }
    }
  `,
})
export class HelpButtonComponent {
  protected readonly phrases = PHRASES;
  /** What the part is called. */
  readonly of = input.required<string>();
  readonly chapter = input.required<string>();
  readonly at = input<string | null>(null);
  private readonly place = inject(HelpPlace);
  protected open(): void {
    this.place.open.set({ chapter: this.chapter(), at: this.at() });
  }
}
