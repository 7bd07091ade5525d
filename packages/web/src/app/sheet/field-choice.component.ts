import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SELECT } from '../shared/select';

/** A source field, chosen by its name; beside each stands a value of the sample record. */
@Component({
  selector: 'vs-field-choice',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT],
  template: `
    <nz-select
      [ngModel]="value()"
      (ngModelChange)="picked.emit($event)"
      aria-label="Field"
      [attr.aria-label]="label()"
      nzShowSearch
      [nzDropdownMatchSelectWidth]="false"
      [nzId]="id()"
    >
      @for (f of all(); track f.name) {
        <nz-option [nzValue]="f.name" [nzLabel]="f.name" nzCustomContent>
          {{ f.name }} <span class="dim">{{ f.detail }}</span>
        </nz-option>
      }
    </nz-select>
  `,
  styles: `
    nz-select {
      min-width: 120px;
      max-width: 220px;
    }
  `,
})
export class FieldChoiceComponent {
  readonly value = input.required<string>();
  readonly fields = input.required<readonly { readonly name: string; readonly detail: string }[]>();
  readonly label = input($localize`Field`);
  readonly id = input.required<string>();
  readonly picked = output<string>();
  /** A field that the source does not have any more is shown all the same. */
  protected readonly all = computed(() =>
    this.fields().some((f) => f.name === this.value())
      ? this.fields()
      : [{ name: this.value(), detail: $localize`not in the source` }, ...this.fields()],
  );
}
