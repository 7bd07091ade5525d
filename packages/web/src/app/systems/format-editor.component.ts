import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import type { DatasetDetail } from '@versicle/contract';
import type { Marks } from '@versicle/core';
import { FormComponent } from '../shared/form/form.component';
import { formatForm, formatValues, isLearned, usualFormat, type Format } from './format-form';
import { RulerComponent } from './ruler.component';
import { learnedWords } from './system-words';
import { systemsActions, systemsFeature } from './systems.feature';

/** What the template says in one case or another. */
const PHRASES = {
  itsFiles: $localize`its files`,
};

/** How a file is read, each choice correctable; the rows below follow at once. */
@Component({
  selector: 'vs-format-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormComponent, RulerComponent],
  template: `
    @if (format(); as f) {
      <vs-form
        class="entries"
        by="field"
        [fields]="fields()"
        [values]="values()"
        (given)="take($event.name, $event.value)"
      />
      @if (f.kind === 'fixed') {
        <vs-ruler [columns]="f.columns" [lines]="ruled()" (drawn)="set({ columns: $event })" />
      }
      @if (settling().problem; as problem) {
        <p i18n class="rub" role="alert">{{ problem }} It is read as before.</p>
      }
      <p class="why" role="status">
        @if (settling().busy === 'learning') {
          <ng-container i18n>
            Reading all of {{ detail().files.length === 1 ? detail().files[0] : phrases.itsFiles }} …
          </ng-container>
        } @else if (settling().busy) {
          <ng-container i18n> Reading it that way … </ng-container>
        } @else if (learnedWords(); as words) {
          {{ words }}
          <button i18n type="button" class="btn quiet" (click)="guessAgain()">Guess again</button>
        } @else if (detail().settled) {
          <ng-container i18n> Settled by a person. </ng-container
          ><button i18n type="button" class="btn quiet" (click)="guessAgain()">Guess again</button>
        } @else {
          <ng-container i18n>
            Guessed from the first bytes of {{ detail().files[0] }}: {{ detail().guessedFrom.join('; ') }}.
          </ng-container>
        }
        @if (isLearned() && !settling().busy && !learnedWords()) {
          <button
            i18n
            type="button"
            class="btn quiet"
            title="Finds what only some of its records have, and what repeats in few of them"
            i18n-title
            (click)="learn()"
          >
            Learn from all records
          </button>
        }
      </p>
    }
  `,
  styles: `
    .entries {
      padding-top: 12px;
    }
    .why {
      font: 14.4px/1.5 var(--serif);
      color: var(--ink-2);
      margin: 10px 0;
    }
  `,
})
export class FormatEditorComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly detail = input.required<DatasetDetail>();
  /** Some lines of the file as they are, for the ruler. */
  readonly lines = input<readonly string[]>([]);
  /** Each place of a line is a character: of one with several bytes, the others are dots where bytes are counted. */
  protected readonly ruled = computed((): readonly string[] => {
    const format = this.format();
    if (format?.kind !== 'fixed' || format.counts !== 'bytes' || format.encoding !== 'utf-8') return this.lines();
    const bytes = new TextEncoder();
    return this.lines().map((line) => Array.from(line, (c) => c.padEnd(bytes.encode(c).length, '·')).join(''));
  });
  private readonly store = inject(Store);
  protected readonly settling = this.store.selectSignal(systemsFeature.selectSettling);
  protected readonly format = computed((): Format | null => {
    const setting = this.detail().setting;
    return setting?.kind === 'format' ? setting.format : null;
  });
  protected readonly fields = computed(() => formatForm(this.format()!));
  protected readonly values = computed(() => formatValues(this.format()!));

  protected take(name: string, value: string): void {
    const text = value.trim();
    switch (name) {
      case 'kind':
        return this.turnInto(value as Format['kind']);
      case 'records':
        return this.relearn(text);
      case 'range':
        return this.set({ range: text || null, width: undefined });
      case 'skipLines':
        return this.set({ skipLines: Math.max(0, Math.trunc(Number(text)) || 0) });
      case 'decimal':
        return this.mark({ decimal: value as Marks['decimal'] });
      case 'dates':
        return this.mark({ dates: text || null });
      case 'header':
      case 'mergedRepeat':
      case 'emptyIsNull':
      case 'withoutShort':
        return this.set({ [name]: value === 'true' });
      default:
        return this.set({ [name]: value } as Partial<Format>);
    }
  }
  /** Text is still read as text; what a mapping takes as it is gets read by these marks. */
  private mark(patch: Partial<Marks>): void {
    const format = this.format();
    const before = format && (format.kind === 'delimited' || format.kind === 'fixed') ? format.marks : undefined;
    const marks = { decimal: '.' as const, dates: null, ...before, ...patch };
    this.set({ marks: marks.decimal === '.' && marks.dates === null ? undefined : marks } as Partial<Format>);
  }
  protected set(patch: Partial<Format>): void {
    this.settle({ ...this.format(), ...patch } as Format);
  }
  private settle(format: Format): void {
    this.store.dispatch(
      systemsActions.settle({ id: this.id(), dataset: this.detail().name, setting: { kind: 'format', format } }),
    );
  }
  /** What another kind needs starts with what is usual; the encoding stays. */
  private turnInto(kind: Format['kind']): void {
    const format = usualFormat(kind, this.format()!);
    if (format !== null) this.settle(format);
  }
  /** With other records comes another structure; the server learns it from the file. */
  private relearn(records: string): void {
    this.set({ records, structures: [], part: '' });
  }
  /** Its structure is that of its records, of which only the first ones were looked at. */
  protected readonly isLearned = computed(() => {
    const format = this.format();
    return format !== null && isLearned(format);
  });
  protected readonly learnedWords = computed(() => {
    const { learned } = this.settling();
    return learned && learnedWords(learned);
  });
  protected learn(): void {
    this.store.dispatch(systemsActions.learn({ id: this.id(), dataset: this.detail().name }));
  }
  protected guessAgain(): void {
    this.store.dispatch(systemsActions.unsettle({ id: this.id(), dataset: this.detail().name }));
  }
}
