import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { FormValue } from '@versicle/core';
import { SELECT } from '../shared/select';
import { FieldChoiceComponent } from './field-choice.component';
import { GIVEN } from '../shared/given';

/** What the template says in one case or another. */
const PHRASES = {
  text: $localize`\: text`,
  field: $localize`\: field`,
};

/** What a condition gives: a text, a field, or nothing. */
@Component({
  selector: 'vs-form-value',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, FormsModule, SELECT, FieldChoiceComponent],
  template: `
    <nz-select
      [ngModel]="value().is"
      (ngModelChange)="become($event)"
      aria-label="What it gives"
      [attr.aria-label]="label()"
      [nzId]="id()"
    >
      <nz-option nzValue="text" nzLabel="the text" i18n-nzLabel />
      <nz-option nzValue="field" nzLabel="the field" i18n-nzLabel />
      <nz-option nzValue="null" nzLabel="nothing" i18n-nzLabel />
    </nz-select>
    @if (value(); as v) {
      @switch (v.is) {
        @case ('text') {
          <input
            class="input mono"
            [attr.aria-label]="label() + phrases.text"
            [value]="v.text"
            (vsWritten)="given.emit({ is: 'text', text: $event })"
          />
        }
        @case ('field') {
          <vs-field-choice
            [value]="v.field"
            [fields]="fields()"
            [label]="label() + phrases.field"
            [id]="id() + '-field'"
            (picked)="given.emit({ is: 'field', field: $event })"
          />
        }
      }
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    nz-select {
      width: 118px;
    }
    .input {
      width: 104px;
    }
  `,
})
export class FormValueComponent {
  protected readonly phrases = PHRASES;
  readonly value = input.required<FormValue>();
  readonly fields = input.required<readonly { readonly name: string; readonly detail: string }[]>();
  /** The field to begin with when it becomes one. */
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly id = input.required<string>();
  readonly given = output<FormValue>();

  protected become(is: FormValue['is']): void {
    if (is === this.value().is) return;
    this.given.emit(is === 'text' ? { is, text: '' } : is === 'field' ? { is, field: this.field() } : { is });
  }
}
