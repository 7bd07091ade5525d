import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { PlanDocument } from '@versicle/core';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

/** The plan's name, what it is for, and its variables. */
@Component({
  selector: 'vs-about-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    <div class="row">
      <vs-field label="Name" i18n-label
        ><input class="input" maxlength="200" [value]="plan().name" (vsWritten)="name($event)"
      /></vs-field>
      <vs-field label="Sort" i18n-label>
        <nz-select
          nzId="sort"
          aria-label="Sort"
          i18n-aria-label
          [ngModel]="plan().sort"
          (ngModelChange)="changed.emit({ sort: $event })"
        >
          <nz-option nzValue="sync" nzLabel="a sync, which repeats" i18n-nzLabel />
          <nz-option nzValue="migration" nzLabel="a migration, done once" i18n-nzLabel />
        </nz-select>
      </vs-field>
      <vs-field class="wide" label="Purpose" i18n-label
        ><input
          class="input"
          [value]="plan().purpose ?? ''"
          (vsWritten)="changed.emit({ purpose: $event.trim() || undefined })"
      /></vs-field>
      <vs-field
        class="wide"
        label="Variables"
        i18n-label
        [problem]="problem()"
        help="one a line: name = value; a value may be a period such as {{ '{{' }}month-1M{{ '}}' }}"
      >
        <textarea
          class="input mono"
          rows="3"
          [value]="variables()"
          (vsWritten)="setVariables($event)"
          spellcheck="false"
        ></textarea>
      </vs-field>
    </div>
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    .wide {
      flex: 1 1 100%;
    }
    .wide .input {
      width: 100%;
    }
    nz-select {
      min-width: 210px;
    }
  `,
})
export class AboutEditorComponent {
  readonly plan = input.required<PlanDocument>();
  readonly changed = output<Partial<PlanDocument>>();
  protected readonly problem = signal('');
  protected readonly variables = computed(() =>
    Object.entries(this.plan().variables)
      .map(([name, value]) => `${name} = ${value}`)
      .join('\n'),
  );
  protected name(text: string): void {
    if (text.trim() !== '') this.changed.emit({ name: text.trim() });
  }
  protected setVariables(text: string): void {
    this.problem.set('');
    const found: Record<string, string> = {};
    for (const line of text.split('\n').filter((l) => l.trim() !== '')) {
      const [, name, value] = /^\s*([a-z_][a-z0-9_]*)\s*=\s*(.*?)\s*$/.exec(line) ?? [];
      if (name === undefined) {
        this.problem.set(
          $localize`“${line.trim().slice(0, 40)}” is not name = value; names are small letters, digits and _.`,
        );
        return;
      }
      found[name] = value!;
    }
    this.changed.emit({ variables: found });
  }
}
