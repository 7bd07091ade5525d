import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SELECT } from '../shared/select';
import { inWords } from '../shared/words';

/** What the template says in one case or another. */
const PHRASES = {
  foldUp: $localize`Fold up`,
  matchFields: $localize`Match fields`,
  below: $localize`Below `,
};

/** Which field of a dataset stands below each field of the first one: of the same name, unless it is said otherwise. */
@Component({
  selector: 'vs-union-columns',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT],
  template: `
    <p class="soft">
      {{ words() }}
      <button type="button" class="btn quiet" [attr.aria-expanded]="shown()" (click)="shown.set(!shown())">
        {{ shown() ? phrases.foldUp : phrases.matchFields }}
      </button>
    </p>
    @if (shown()) {
      <table class="rows">
        <thead>
          <tr>
            <th i18n scope="col">Field of the first dataset</th>
            <th i18n scope="col">Below it</th>
          </tr>
        </thead>
        <tbody>
          @for (p of pairs(); track p.above) {
            <tr>
              <td>
                <code>{{ p.above }}</code>
              </td>
              <td>
                <nz-select
                  [ngModel]="p.below"
                  (ngModelChange)="match(p.above, $event)"
                  nzShowSearch
                  nzAllowClear
                  nzPlaceHolder="nothing: null"
                  i18n-nzPlaceHolder
                  aria-label="choice"
                  [attr.aria-label]="phrases.below + p.above"
                  [nzId]="'below-' + dataset() + '-' + p.above"
                >
                  @for (name of below(); track name) {
                    <nz-option [nzValue]="name" [nzLabel]="name" />
                  }
                </nz-select>
              </td>
            </tr>
          }
        </tbody>
      </table>
    }
  `,
  styles: `
    :host {
      display: block;
      margin-left: 24px;
    }
    table {
      width: auto;
      min-width: 460px;
    }
    nz-select {
      width: 230px;
    }
  `,
})
export class UnionColumnsComponent {
  protected readonly phrases = PHRASES;
  readonly above = input.required<readonly string[]>();
  readonly below = input.required<readonly string[]>();
  readonly columns = input.required<Readonly<Record<string, string>>>();
  readonly dataset = input.required<string>();
  readonly changed = output<Record<string, string>>();
  protected readonly shown = signal(false);
  protected readonly pairs = computed(() =>
    this.above().map((above) => {
      const told = this.columns()[above] ?? above;
      return { above, below: this.below().includes(told) ? told : null };
    }),
  );
  protected readonly words = computed(() => {
    const matched = this.pairs().filter((p) => p.below !== null);
    const used = new Set(matched.map((p) => p.below));
    const left = this.below().filter((name) => !used.has(name));
    return $localize`${matched.length} of ${inWords(this.above().length, $localize`field`, $localize`fields`)} have one below${left.length > 0 ? $localize`; not taken: ${left.slice(0, 6).join(', ')}${left.length > 6 ? ' …' : ''}` : ''}.`;
  });
  protected match(above: string, below: string | null): void {
    const columns = Object.fromEntries(Object.entries(this.columns()).filter(([name]) => name !== above));
    if (below !== null && below !== above) columns[above] = below;
    this.changed.emit(columns);
  }
}
