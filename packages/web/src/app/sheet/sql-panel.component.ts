import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { documentSql, RuleError, sourceFieldsFor, type DocumentSql, type MappingDocument } from '@versicle/core';
import { frameActions } from '../frame/frame.feature';
import { sourceSetActions, sourceSetsFeature } from '../source-sets/source-sets.feature';
import { sheetFeature } from './sheet.feature';

const MEANINGS: Readonly<Record<string, string>> = {
  run_started_at: $localize`when the run started`,
  run_number: $localize`the number of the run`,
  file_name: $localize`the name of the file that the records come from`,
};

/** The one SELECT that the document means, to be read, or run in a PostgreSQL that has its datasets as tables. */
@Component({
  selector: 'vs-sql-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panel">
      @if (made().sql; as found) {
        <p i18n class="intro">
          These are the records that a run would write, in its order, as one statement for PostgreSQL 16 and newer. It
          reads the tables
          @for (table of found.tables; track table; let last = $last) {
            <code>{{ table }}</code>{{ last ? '.' : ', ' }}
          }
          @for (p of found.parameters; track p.name) {
            <code>{{ '$' + ($index + 1) }}</code> is {{ meaning(p.name) }}.
          }
        </p>
        <p i18n class="soft">
          What a line or check refuses is left out. What a rule can’t work out ends the statement; a run files that
          record and goes on.
        </p>
        <button i18n type="button" class="btn" (click)="copy()">Copy the statement</button>
        <!-- Wider than the page; it is read with the arrow keys. -->
        <pre tabindex="0" role="region" aria-label="The statement" i18n-aria-label><code>{{ found.sql }}</code></pre>
      } @else {
        <p class="rub" role="alert">{{ made().problem }}</p>
      }
    </div>
  `,
  styles: `
    :host {
      flex: 1;
      overflow: auto;
    }
    .panel {
      padding: 14px 24px 40px;
      max-width: 1180px;
    }
    .intro {
      max-width: 780px;
      margin-bottom: 6px;
    }
    .btn {
      margin: 10px 0;
    }
    pre {
      margin: 0;
      padding: 10px 0 14px;
      border-top: 1px solid var(--hair);
      overflow-x: auto;
      line-height: 1.55;
      tab-size: 2;
    }
  `,
})
export class SqlPanelComponent {
  readonly mapping = input.required<string>();
  readonly document = input.required<MappingDocument>();
  private readonly store = inject(Store);
  /** Fields of the datasets that stand below the first one; asked for where there are such. */
  private readonly members = this.store.selectSignal(sourceSetsFeature.selectMembers);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  protected readonly made = computed((): { sql: DocumentSql | null; problem: string } => {
    const samples = this.samples().value;
    if (!samples)
      return { sql: null, problem: this.samples().problem ?? $localize`The fields of the source are not known yet.` };
    try {
      const fields = sourceFieldsFor(this.document(), samples.fields, samples.marks);
      const below = new Map(Object.entries(this.members()).filter(([, names]) => names.length > 0));
      return { sql: documentSql(this.document(), fields, below), problem: '' };
    } catch (error) {
      if (!(error instanceof RuleError)) throw error;
      return { sql: null, problem: error.message };
    }
  });
  constructor() {
    effect(() => {
      const mapping = this.mapping();
      const datasets = this.document().source.unions.map((u) => u.dataset);
      const unknown = untracked(() => datasets.some((d) => !(d in this.members())));
      if (unknown) this.store.dispatch(sourceSetActions.opened({ mapping, datasets }));
    });
  }
  protected meaning(name: string): string {
    return MEANINGS[name] ?? name;
  }
  protected async copy(): Promise<void> {
    await navigator.clipboard.writeText(this.made().sql!.sql);
    this.store.dispatch(frameActions.say({ text: $localize`The statement is on the clipboard.`, problem: false }));
  }
}
