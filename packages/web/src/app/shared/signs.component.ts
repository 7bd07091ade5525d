import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/** What the template says in one case or another. */
const PHRASES = {
  source: $localize`source`,
  target: $localize`target`,
};

/** ℣ (the source calls) and ℟ (the target answers), drawn. */
@Component({
  selector: 'vs-sign',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg
      [attr.width]="size()"
      [attr.height]="size()"
      viewBox="0 0 16 16"
      fill="none"
      stroke="currentColor"
      stroke-width="1.7"
      stroke-linecap="round"
      stroke-linejoin="round"
      role="img"
      [attr.aria-label]="of() === 'source' ? phrases.source : phrases.target"
    >
      @if (of() === 'source') {
        <path d="M2.5 2.5 7.6 13.2 12.7 2.5" />
        <path d="M6.2 12.6 13.6 6.4" />
      } @else {
        <path d="M3.5 13.5V2.6h4.2a3 3 0 0 1 0 6H3.5" />
        <path d="m7.4 8.7 4.8 4.8" />
        <path d="m8.2 14.2 5.2-5.6" />
      }
    </svg>
  `,
  styles: `
    svg {
      vertical-align: -3px;
      margin-right: 4px;
    }
  `,
})
export class SignComponent {
  protected readonly phrases = PHRASES;
  readonly of = input.required<'source' | 'target'>();
  readonly size = input(15);
}
