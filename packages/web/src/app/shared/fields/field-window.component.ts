import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { FindKeyDirective } from '../find-key.directive';
import { figure } from '../words';
import type { FieldWindow } from './field-window';

/** Which of many fields are drawn, and the way to the others; nothing where all are. */
@Component({
  selector: 'vs-field-window',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FindKeyDirective],
  template: `
    @if (of().needed()) {
      <span class="window" role="group" aria-label="Fields that are shown" i18n-aria-label>
        <input
          #box
          vsFindKey
          class="input"
          type="search"
          aria-label="Find a field"
          i18n-aria-label
          placeholder="Find a field"
          i18n-placeholder
          [value]="of().search()"
          (input)="of().find(box.value)"
          (keydown.escape)="of().find('')"
          autocomplete="off"
        />
        <span role="status">{{ words() }}</span>
        <button
          type="button"
          class="btn quiet"
          aria-label="Fields before these"
          i18n-aria-label
          [disabled]="of().from() === 0"
          (click)="of().step(-1)"
        >
          ‹
        </button>
        <button
          type="button"
          class="btn quiet"
          aria-label="Fields after these"
          i18n-aria-label
          [disabled]="last()"
          (click)="of().step(1)"
        >
          ›
        </button>
      </span>
    }
  `,
  styles: `
    .window {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 8px;
      padding: 6px 0;
    }
    .input {
      width: 180px;
    }
    .btn {
      min-width: 32px;
      font-size: 17px;
      line-height: 1;
    }
  `,
})
export class FieldWindowComponent {
  readonly of = input.required<FieldWindow>();
  private readonly end = computed(() => this.of().from() + this.of().places().length);
  protected readonly last = computed(() => this.end() >= this.of().found().length);
  protected readonly words = computed(() => {
    const { all, found, from, search } = this.of();
    if (found().length === 0) return $localize`No field has “${search()}” in its name; there are ${figure(all())}.`;
    const which = $localize`${figure(from() + 1)} to ${figure(this.end())} of ${figure(found().length)}`;
    return search() ? $localize`Fields ${which} that have it in their name` : $localize`Fields ${which}`;
  });
}
