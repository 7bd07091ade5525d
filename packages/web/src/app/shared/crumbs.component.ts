import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';

/** The way back up from a page: what it lies under, the widest first. The page's own name is its heading. */
@Component({
  selector: 'vs-crumbs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <nav class="crumbs" aria-label="Where this page lies" i18n-aria-label>
      @for (crumb of of(); track crumb.words; let last = $last) {
        <a [routerLink]="crumb.to">{{ crumb.words }}</a>
        @if (!last) {
          <i aria-hidden="true">/</i>
        }
      }
    </nav>
  `,
})
export class CrumbsComponent {
  readonly of = input.required<readonly { readonly words: string; readonly to: string | readonly string[] }[]>();
}
