import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  beginForm,
  FORM_TESTS,
  formOfLine,
  lineOfForm,
  UNITS,
  type FormName,
  type FormTest,
  type Line,
  type LineForm,
} from '@versicle/core';
import { SELECT } from '../shared/select';
import { FieldChoiceComponent } from './field-choice.component';
import { FormValueComponent } from './form-value.component';
import { GIVEN } from '../shared/given';

const FORMS: readonly (readonly [FormName, string])[] = [
  ['as is', $localize`take as it is`],
  ['fixed', $localize`fixed value`],
  ['codes', $localize`translate codes`],
  ['split', $localize`part of a text`],
  ['join', $localize`join texts`],
  ['date', $localize`read a date`],
  ['number', $localize`read a number`],
  ['unit', $localize`change the unit`],
  ['if', $localize`if … then …`],
];
const TEST_WORDS: Record<FormTest, string> = {
  '=': $localize`is`,
  '<>': $localize`is not`,
  '<': $localize`comes before`,
  '<=': $localize`is at most`,
  '>': $localize`comes after`,
  '>=': $localize`is at least`,
  empty: $localize`is empty`,
  filled: $localize`is filled`,
};

/** What the template says in one case or another. */
const PHRASES = {
  field: $localize`Field `,
};

/** A line as a sentence with gaps, for the frequent forms; it writes the same SQL and reads it back. */
@Component({
  selector: 'vs-line-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, FormsModule, SELECT, FieldChoiceComponent, FormValueComponent],
  templateUrl: './line-form.component.html',
  styleUrl: './line-form.component.less',
})
export class LineFormComponent {
  protected readonly phrases = PHRASES;
  readonly line = input.required<Line>();
  /** Source fields as they stand in rules, with a value of the sample. */
  readonly fields = input.required<readonly { readonly name: string; readonly detail: string }[]>();
  readonly codeTables = input.required<readonly string[]>();
  readonly changed = output<Partial<Line>>();
  protected readonly forms = FORMS;
  protected readonly tests = FORM_TESTS;
  protected readonly testWords = TEST_WORDS;
  protected readonly units = UNITS;
  protected readonly form = computed(() => formOfLine(this.line()));
  protected readonly name = computed(() => this.form()?.form ?? null);
  /** The field that was read before a fixed value took its place. */
  private readonly last = signal<string | null>(null);

  /** The field that the line reads now, for a form to begin with. */
  private field(): string {
    const form = this.form();
    if (form && 'field' in form) return form.field;
    if (form?.form === 'join') return form.fields[0]!;
    const text = `${this.line().source ?? ''} ${this.line().rule ?? ''}`;
    const named = this.fields().find((f) => text.includes(f.name));
    return named?.name ?? this.last() ?? this.fields()[0]?.name ?? 'field';
  }
  protected begin(name: FormName): void {
    const field = this.field();
    this.last.set(field);
    const sample = this.fields().find((f) => f.name === field)?.detail ?? null;
    this.give(beginForm(name, field, sample === 'null' ? null : sample, this.codeTables()));
  }
  protected give(form: LineForm): void {
    this.changed.emit(lineOfForm(form));
  }
  protected set<F extends LineForm>(form: F, patch: Partial<F>): void {
    this.give({ ...form, ...patch });
  }
  protected setJoined(form: Extract<LineForm, { form: 'join' }>, at: number, field: string): void {
    this.set(form, { fields: form.fields.map((f, i) => (i === at ? field : f)) });
  }
  protected joinMore(form: Extract<LineForm, { form: 'join' }>): void {
    const next = this.fields().find((f) => !form.fields.includes(f.name))?.name ?? form.fields[0]!;
    this.set(form, { fields: [...form.fields, next] });
  }
  protected joinLess(form: Extract<LineForm, { form: 'join' }>): void {
    this.set(form, { fields: form.fields.slice(0, -1) });
  }
  protected number(text: string, otherwise: number): number {
    const n = Number(text);
    return Number.isInteger(n) && n !== 0 ? n : otherwise;
  }
  protected decimals(text: string): number | null {
    return /^\d$/.test(text.trim()) ? Number(text) : null;
  }
  protected factor(form: Extract<LineForm, { form: 'unit' }>, text: string): void {
    if (/^\d+(\.\d+)?$/.test(text.trim())) this.set(form, { factor: text.trim() });
  }
}
