import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { Loadable } from './loadable';

/** What stands where something is not there yet, or could not be had: what, why, what to do. */
@Component({
  selector: 'vs-loading',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (of().state === 'failed') {
      <div class="problem" role="alert">
        <p>{{ of().problem }}</p>
        <button i18n type="button" class="btn" (click)="again.emit()">Try again</button>
      </div>
    } @else if (of().value === null) {
      <p class="wait" role="status">{{ words() }}</p>
    }
  `,
  styles: `
    .problem {
      border-left: 3px solid var(--rubric);
      background: var(--rubric-wash);
      padding: 10px 14px;
      margin: 14px 0;
      font: 14.4px/1.45 var(--serif);
      max-width: 760px;
    }
    .problem .btn {
      margin-top: 8px;
    }
    .wait {
      color: var(--ink-3);
      padding: 18px 0;
    }
  `,
})
export class LoadingComponent {
  readonly of = input.required<Loadable<unknown>>();
  readonly words = input($localize`Loading …`);
  readonly again = output();
}
