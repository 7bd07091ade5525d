import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { GIVEN } from '../given';
import { SELECT } from '../select';
import { FieldComponent } from './field.component';
import { mattering, type FormField, type FormValues } from './form-field';

/**
 * A form from the description of its entries: label, help, choices, proposals, secrets that are kept, and entries that matter
 * only where others say so. Whoever shows it keeps its values.
 */
@Component({
  selector: 'vs-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, FieldComponent, SELECT, GIVEN],
  template: `
    @for (f of shown(); track f.name) {
      @if (f.type === 'tick') {
        <label class="tick"
          ><input
            type="checkbox"
            [name]="f.name"
            [checked]="value(f) === 'true'"
            (vsTicked)="given.emit({ name: f.name, value: $event ? 'true' : '' })"
          />
          {{ f.title }}</label
        >
      } @else {
        <vs-field
          [label]="f.title"
          [help]="help(f)"
          [problem]="problems()[f.name] ?? ''"
          [class.wide]="f.wide || f.long"
        >
          @if (f.type === 'choice') {
            <nz-select
              [ngModel]="value(f)"
              (ngModelChange)="given.emit({ name: f.name, value: $event })"
              [ngModelOptions]="{ standalone: true }"
              [nzDropdownMatchSelectWidth]="false"
            >
              @for (c of f.choices; track c.value) {
                <nz-option [nzValue]="c.value" [nzLabel]="c.words" />
              }
            </nz-select>
          } @else if (f.long) {
            <textarea
              class="input mono"
              rows="4"
              [name]="f.name"
              [placeholder]="hint(f)"
              [value]="value(f)"
              (vsTyped)="typed(f, $event)"
              (vsWritten)="written(f, $event)"
            ></textarea>
          } @else {
            <input
              class="input"
              [class.mono]="!f.plain"
              [type]="f.secret ? 'password' : 'text'"
              [attr.inputmode]="f.type === 'number' ? 'numeric' : null"
              [attr.list]="f.proposed ? 'proposed-' + f.name : null"
              [attr.autocomplete]="f.secret ? 'new-password' : 'off'"
              [name]="f.name"
              [placeholder]="hint(f)"
              [value]="value(f)"
              (vsTyped)="typed(f, $event)"
              (vsWritten)="written(f, $event)"
            />
            @if (f.proposed) {
              <datalist [id]="'proposed-' + f.name">
                @for (p of f.proposed; track p) {
                  <option [value]="p"></option>
                }
              </datalist>
            }
          }
        </vs-field>
      }
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(min(210px, 100%), 1fr));
      gap: 0 16px;
      align-items: start;
    }
    nz-select {
      width: 100%;
    }
    .wide {
      grid-column: span 2;
    }
    textarea {
      width: 100%;
      resize: vertical;
    }
    .tick {
      align-self: center;
      padding-top: 6px;
    }
    @media (max-width: 560px) {
      .wide {
        grid-column: auto;
      }
    }
  `,
})
export class FormComponent {
  readonly fields = input.required<readonly FormField[]>();
  readonly values = input.required<FormValues>();
  /** Names of secrets that are kept. */
  readonly kept = input<readonly string[]>([]);
  readonly problems = input<FormValues>({});
  /** With every key, or once somebody has finished with a field: for forms that act on it at once. */
  readonly by = input<'key' | 'field'>('key');
  readonly given = output<{ readonly name: string; readonly value: string }>();
  protected readonly shown = computed(() => mattering(this.fields(), this.values()));

  protected value(f: FormField): string {
    return this.values()[f.name] ?? '';
  }
  protected typed(f: FormField, value: string): void {
    if (this.by() === 'key') this.given.emit({ name: f.name, value });
  }
  protected written(f: FormField, value: string): void {
    if (this.by() === 'field') this.given.emit({ name: f.name, value });
  }
  private isKept(f: FormField): boolean {
    return f.secret === true && this.kept().includes(f.name);
  }
  protected help(f: FormField): string {
    return this.isKept(f) ? $localize`One is kept; leave this empty to keep it.` : (f.description ?? '');
  }
  protected hint(f: FormField): string {
    return this.isKept(f) ? $localize`•••••••• kept` : (f.hint ?? (f.example ? $localize`such as ${f.example}` : ''));
  }
}
