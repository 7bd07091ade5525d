import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { MappingDocument, MappingStep, TargetField } from '@versicle/core';
import { Api } from '../shared/api';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

type Vanished = MappingStep['vanished'];
const TODAY = '{{today}}';

/** What the template says in one case or another. */
const PHRASES = {
  mark: $localize`Mark `,
  aValueOr: $localize`a value, or `,
  emptyEmptiesIt: $localize`; empty empties it`,
};

/** What becomes of records that were delivered before and that the source has no more. */
@Component({
  selector: 'vs-vanished-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    <vs-field label="What is gone from the source" i18n-label [help]="help()">
      <nz-select
        nzId="step-vanished"
        aria-label="What is gone from the source"
        i18n-aria-label
        [ngModel]="how()"
        (ngModelChange)="choose($event)"
      >
        <nz-option nzValue="leave" nzLabel="stays in the target" i18n-nzLabel />
        <nz-option nzValue="delete" nzLabel="is deleted from the target" i18n-nzLabel />
        <nz-option nzValue="mark" nzLabel="is marked in the target" i18n-nzLabel />
      </nz-select>
    </vs-field>
    @if (problem(); as text) {
      <p class="rub" role="alert">{{ text }}</p>
    }
    @for (m of marks(); track $index) {
      <div class="row" role="group" [attr.aria-label]="phrases.mark + ($index + 1)">
        <vs-field label="Sets" i18n-label>
          <nz-select
            [nzId]="'vanished-field-' + $index"
            aria-label="Sets"
            i18n-aria-label
            nzShowSearch
            [ngModel]="m.field"
            (ngModelChange)="put($index, $event, m.value)"
          >
            @for (f of fields(); track f.name) {
              <nz-option [nzValue]="f.name" [nzLabel]="f.label ?? f.name" />
            }
          </nz-select>
        </vs-field>
        <vs-field label="to" i18n-label [help]="$index === 0 ? phrases.aValueOr + TODAY + phrases.emptyEmptiesIt : ''"
          ><input
            class="input mono"
            [value]="m.value ?? ''"
            (vsWritten)="put($index, m.field, $event === '' ? null : $event)"
            spellcheck="false"
        /></vs-field>
        @if (marks().length > 1) {
          <button i18n type="button" class="btn quiet" (click)="without($index)">Leave out</button>
        }
      </div>
    }
    @if (next(); as field) {
      <button i18n type="button" class="btn more" (click)="add(field)">Set another field</button>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    nz-select {
      min-width: 230px;
    }
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    .btn {
      align-self: flex-start;
      margin-top: 20px;
    }
    .more {
      margin: 20px 0 14px;
    }
    .rub {
      align-self: center;
    }
  `,
})
export class VanishedEditorComponent {
  protected readonly phrases = PHRASES;
  readonly step = input.required<MappingStep>();
  readonly changed = output<Partial<MappingStep>>();
  protected readonly TODAY = TODAY;
  private readonly api = inject(Api);
  private readonly target = signal<MappingDocument['target'] | null>(null);
  protected readonly problem = signal<string | null>(null);

  protected readonly how = computed(() => {
    const { vanished } = this.step();
    return typeof vanished === 'string' ? vanished : 'mark';
  });
  protected readonly marks = computed(() => {
    const { vanished } = this.step();
    return typeof vanished === 'string'
      ? []
      : Object.entries(vanished.mark).map(([field, value]) => ({ field, value }));
  });
  /** What a record can be marked with. */
  protected readonly fields = computed(() => markable(this.target()));
  protected readonly next = computed(() =>
    this.how() === 'mark' ? this.fields().find((f) => !this.marks().some((m) => m.field === f.name)) : undefined,
  );
  private readonly mapping = computed(() => this.step().mapping);

  constructor() {
    effect((stopped) => {
      if (this.how() !== 'mark') return;
      const asked = this.ask(this.mapping(), () => undefined);
      stopped(() => asked.unsubscribe());
    });
  }
  private ask(mapping: string, then: (target: MappingDocument['target']) => void) {
    return this.api.call('getMapping', { params: { id: mapping } }).subscribe({
      next: ({ document }) => {
        this.target.set(document.target);
        this.problem.set(null);
        then(document.target);
      },
      error: (error: Error) => this.problem.set(error.message),
    });
  }

  protected help(): string {
    switch (this.how()) {
      case 'delete':
        return $localize`only what this mapping has delivered; nothing while a failed record might be it`;
      case 'mark':
        return $localize`only what this mapping has delivered`;
      default:
        return '';
    }
  }
  protected choose(how: 'leave' | 'delete' | 'mark'): void {
    if (how !== 'mark') return this.changed.emit({ vanished: how });
    this.ask(this.mapping(), (target) => {
      const mark = proposedMark(target);
      if (mark === null)
        this.problem.set($localize`The target has no field beside its key that a record could be marked with.`);
      else this.changed.emit({ vanished: { mark } });
    });
  }
  protected put(index: number, field: string, value: string | null): void {
    this.emit(this.marks().map((m, i) => (i === index ? { field, value } : m)));
  }
  protected without(index: number): void {
    this.emit(this.marks().filter((_, i) => i !== index));
  }
  protected add({ name }: TargetField): void {
    this.emit([...this.marks(), { field: name, value: null }]);
  }
  private emit(marks: readonly { field: string; value: string | null }[]): void {
    const vanished: Vanished = { mark: Object.fromEntries(marks.map((m) => [m.field, m.value])) };
    this.changed.emit({ vanished });
  }
}

const markable = (target: MappingDocument['target'] | null): TargetField[] =>
  target === null ? [] : target.fields.filter((f) => !target.key.includes(f.name));
/** By which field a record that is gone is told best: a day on which it ended; otherwise any that may be empty. */
export function proposedMark(target: MappingDocument['target']): Record<string, string | null> | null {
  const fields = markable(target);
  const isMoment = (f: TargetField): boolean => /^(date|timestamp)/.test(f.type);
  const day = fields.find((f) => isMoment(f) && /gone|left|end|delet|remov|clos|cancel|until|_to$/i.test(f.name));
  if (day !== undefined) return { [day.name]: TODAY };
  const other = fields.find((f) => f.nullable) ?? fields[0];
  return other === undefined ? null : { [other.name]: null };
}
