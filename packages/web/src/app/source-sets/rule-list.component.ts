import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { Problem } from '@versicle/core';
import { RuleEditorComponent, type EditorField, type Mark } from '../sheet/rule-editor.component';

/** What the template says in one case or another. */
const PHRASES = {
  addAField: $localize`\: add a field`,
};

/** A few rules one below the other, such as what records are grouped by. */
@Component({
  selector: 'vs-rule-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleEditorComponent],
  template: `
    <h2>
      {{ title() }} <small>{{ rules().length === 0 ? none() : hint() }}</small>
      <button
        i18n
        type="button"
        class="btn quiet"
        [attr.aria-label]="title() + phrases.addAField"
        (click)="add()"
        [disabled]="fields().length === 0"
      >
        Add a field
      </button>
    </h2>
    @for (rule of rules(); track $index; let i = $index) {
      <div class="item">
        <div>
          <vs-rule-editor
            [text]="rule"
            [label]="title() + ' ' + (i + 1)"
            [fields]="fields()"
            [marks]="marks(i)"
            (changed)="change(i, $event)"
          />
          @if (fault(i); as p) {
            <small class="rub">{{ p }}</small>
          }
        </div>
        <button i18n type="button" class="btn quiet" (click)="remove(i)">Remove</button>
      </div>
    }
  `,
  styles: `
    h2 {
      margin: 14px 0 6px;
    }
    .item {
      display: grid;
      grid-template-columns: minmax(0, 560px) auto;
      gap: 10px;
      justify-content: start;
      margin-bottom: 6px;
    }
  `,
})
export class RuleListComponent {
  protected readonly phrases = PHRASES;
  readonly title = input.required<string>();
  readonly hint = input.required<string>();
  readonly none = input.required<string>();
  readonly rules = input.required<readonly string[]>();
  readonly fields = input.required<readonly EditorField[]>();
  readonly path = input.required<string>();
  readonly problems = input.required<readonly Problem[]>();
  readonly changed = output<string[]>();

  private at(i: number): readonly Problem[] {
    return this.problems().filter((p) => p.path === `${this.path()}[${i}]`);
  }
  protected fault(i: number): string | null {
    return this.at(i)[0]?.message ?? null;
  }
  protected marks(i: number): Mark[] {
    return this.at(i).flatMap((p) =>
      p.at === undefined || !p.end ? [] : [{ at: p.at, end: p.end, message: p.message }],
    );
  }
  protected change(i: number, text: string): void {
    if (text.trim() === '') return this.remove(i);
    this.changed.emit(this.rules().map((r, at) => (at === i ? text : r)));
  }
  protected remove(i: number): void {
    this.changed.emit(this.rules().filter((_, at) => at !== i));
  }
  protected add(): void {
    const free = this.fields().find((f) => !this.rules().includes(f.name)) ?? this.fields()[0]!;
    this.changed.emit([...this.rules(), free.name]);
  }
}
