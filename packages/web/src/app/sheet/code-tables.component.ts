import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { Code, MappingDocument } from '@versicle/core';
import { CodeRowsComponent } from '../codes/code-rows.component';
import { SELECT } from '../shared/select';
import { FigurePipe } from '../shared/words';
import { sheetActions } from './sheet.actions';
import { GIVEN } from '../shared/given';

/** What the template says in one case or another. */
const PHRASES = {
  usedIn: $localize`, used in `,
  notUsed: $localize`, not used`,
};

/** The code tables of the document: from-code, to-code, meaning, and how long they count. A missing code is added here. */
@Component({
  selector: 'vs-code-tables',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, FormsModule, SELECT, CodeRowsComponent, FigurePipe],
  template: `
    <div class="panel">
      <div class="bar">
        <nz-select
          [ngModel]="name()"
          (ngModelChange)="chosen.set($event)"
          nzPlaceHolder="no code table yet"
          i18n-nzPlaceHolder
          aria-label="Code table"
          i18n-aria-label
          nzId="table"
        >
          @for (n of names(); track n) {
            <nz-option [nzValue]="n" [nzLabel]="n" />
          }
        </nz-select>
        <input
          class="input"
          type="search"
          aria-label="Find a code"
          i18n-aria-label
          placeholder="Find a code"
          i18n-placeholder
          [value]="search()"
          (vsTyped)="search.set($event)"
        />
        <span i18n class="soft"
          >{{ codes().length | figure }} codes{{ used() ? phrases.usedIn + used() : phrases.notUsed }}</span
        >
        <span class="grow"></span>
        <input
          class="input"
          aria-label="Name of a new code table"
          i18n-aria-label
          placeholder="name of a new table"
          i18n-placeholder
          [value]="fresh()"
          (vsTyped)="fresh.set($event)"
        />
        <button i18n type="button" class="btn" (click)="addTable()" [disabled]="!fresh().trim()">Add a table</button>
      </div>
      @if (name(); as n) {
        <vs-code-rows [codes]="codes()" [search]="search()" (changed)="give($event)" />
      }
    </div>
  `,
  styles: `
    :host {
      flex: 1;
      overflow: auto;
    }
    .panel {
      padding: 12px 24px 40px;
      max-width: 1020px;
    }
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
      align-items: center;
      margin-bottom: 10px;
    }
    .bar nz-select {
      width: 180px;
    }
    .bar .input {
      width: 170px;
    }
    .grow {
      flex: 1;
    }
  `,
})
export class CodeTablesComponent {
  protected readonly phrases = PHRASES;
  readonly document = input.required<MappingDocument>();
  private readonly store = inject(Store);
  protected readonly chosen = signal<string | null>(null);
  protected readonly search = signal('');
  protected readonly fresh = signal('');
  protected readonly names = computed(() => Object.keys(this.document().codeTables));
  protected readonly name = computed(() =>
    this.chosen() !== null && this.names().includes(this.chosen()!) ? this.chosen() : (this.names()[0] ?? null),
  );
  protected readonly codes = computed((): readonly Code[] =>
    this.name() === null ? [] : this.document().codeTables[this.name()!]!,
  );
  protected readonly used = computed(() =>
    this.document()
      .lines.filter((l) => l.codeTable === this.name())
      .map((l) => $localize`line ${this.document().lines.indexOf(l) + 1}`)
      .join(', '),
  );

  protected give(codes: Code[]): void {
    const document = { ...this.document(), codeTables: { ...this.document().codeTables, [this.name()!]: codes } };
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
  }
  protected addTable(): void {
    const name = this.fresh().trim();
    if (!(name in this.document().codeTables))
      this.store.dispatch(
        sheetActions.edited({
          document: { ...this.document(), codeTables: { ...this.document().codeTables, [name]: [] } },
          merge: null,
        }),
      );
    this.chosen.set(name);
    this.fresh.set('');
  }
}
