import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { Counted } from '@versicle/contract';
import { pageTitle } from '../shared/page-title';
import { CrumbsComponent } from '../shared/crumbs.component';
import { filtersFeature } from '../filters/filters.feature';
import { RowFilterComponent, shownWords } from '../filters/row-filter.component';
import { profilesActions } from '../profiles/profiles.feature';
import { QualityComponent } from '../profiles/quality.component';
import { ValuesComponent } from '../profiles/values.component';
import { StructureComponent } from '../structures/structure.component';
import { SELECT } from '../shared/select';
import { HelpButtonComponent } from '../shared/help-button.component';
import { idle } from '../shared/loadable';
import { LoadingComponent } from '../shared/loading.component';
import { bytesWords, FigurePipe, timeWords } from '../shared/words';
import { FIELD_COLUMNS, fieldWindow } from '../shared/fields/field-window';
import { FieldWindowComponent } from '../shared/fields/field-window.component';
import { FormatEditorComponent } from './format-editor.component';
import { TryWriteComponent } from './try-write.component';
import { NewDatasetComponent } from './new-dataset.component';
import { systemsActions, systemsFeature } from './systems.feature';

const TABS = [
  ['rows', $localize`Rows`],
  ['structure', $localize`Structure`],
  ['values', $localize`Values`],
  ['quality', $localize`Quality`],
  ['format', $localize`Format`],
] as const;

/** As far as the server looks through records that it sorts itself. */
const MOST_LOOKED = 1_000_000;

/** What the template says in one case or another. */
const PHRASES = {
  systems: $localize`Systems`,
  answers: $localize`answers`,
  file: $localize`file`,
  someHidden: $localize` (some hidden)`,
  atMost: $localize`at most `,
  null: $localize`null`,
  noRowMeetsThe: $localize`No row meets the filter.`,
  thereAreNoRows: $localize`There are no rows.`,
};

/** One dataset: its rows as they are, its structure, how it is read and why. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    HelpButtonComponent,
    CrumbsComponent,
    RouterLink,
    NgTemplateOutlet,
    FormsModule,
    SELECT,
    LoadingComponent,
    RowFilterComponent,
    FieldWindowComponent,
    FormatEditorComponent,
    NewDatasetComponent,
    TryWriteComponent,
    StructureComponent,
    ValuesComponent,
    QualityComponent,
    FigurePipe,
  ],
  templateUrl: './dataset.page.html',
  styleUrl: './dataset.page.less',
})
export class DatasetPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly name = input<string>('');
  readonly tab = input<string | undefined>();
  readonly filter = input<string | undefined>();
  readonly limit = input<string | undefined>();
  readonly sort = input<string | undefined>();
  readonly hide = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly structure = this.store.selectSignal(systemsFeature.selectStructure);
  protected readonly rows = this.store.selectSignal(systemsFeature.selectRows);
  protected readonly tabs = TABS;
  protected readonly shown = computed(() => TABS.find(([key]) => key === this.tab())?.[0] ?? 'rows');
  protected readonly limits = [100, 500, 2000];
  protected readonly wanted = computed(() => Number(this.limit() ?? 100) || 100);
  protected readonly detail = computed(() => this.structure().value);
  /** The SELECT that the dataset is, where it is one. */
  protected readonly sql = computed(() => {
    const setting = this.detail()?.setting;
    return setting?.kind === 'select' ? setting.sql : null;
  });
  /** An endpoint that takes JSON. */
  protected readonly written = computed(() => {
    const setting = this.detail()?.setting;
    return setting?.kind === 'endpoint' && setting.endpoint.write && setting.endpoint.body === 'json'
      ? setting.endpoint
      : null;
  });
  private readonly hiddenFields = computed(() => new Set((this.hide() ?? '').split('\n').filter(Boolean)));
  private readonly allFields = computed(() => this.rows().value?.fields ?? []);
  protected readonly window = fieldWindow(this.allFields, FIELD_COLUMNS);
  /** Those of the window, hidden or not. */
  protected readonly choosable = computed(() =>
    this.window.places().map((at) => ({ name: this.allFields()[at]!, at })),
  );
  protected readonly shownFields = computed(() => this.choosable().filter((f) => !this.hiddenFields().has(f.name)));
  protected readonly choosingColumns = signal(false);
  /** What each row's values read as, by the place of the field; of the fields that are drawn. */
  protected readonly readings = computed(() => {
    const drawn = new Set(this.window.places());
    const cells = this.rows().value?.reading?.cells ?? [];
    return cells.map((row) => new Map(row.filter((c) => drawn.has(c.at)).map((c) => [c.at, c])));
  });
  protected readonly damages = computed(() => {
    const r = this.rows().value;
    const found = new Map<string, { field: string; what: string; count: number }>();
    for (const { at, damage } of r?.reading?.cells.flat() ?? [])
      if (damage !== null) {
        const field = r!.fields[at]!;
        const known = found.get(`${at} ${damage}`) ?? { field, what: damage, count: 0 };
        known.count++;
        found.set(`${at} ${damage}`, known);
      }
    return [...found.values()].sort((a, b) => b.count - a.count).slice(0, 6);
  });
  protected readonly preview = computed(() => (this.rows().value?.rows ?? []).slice(0, 12));
  /** The rows' condition; with none, all are shown. */
  protected readonly condition = computed(() => this.filter() ?? '');
  private readonly count = this.store.selectSignal(filtersFeature.selectCount);
  private readonly countOf = this.store.selectSignal(filtersFeature.selectCountOf);
  private readonly asked = computed(() => ({
    id: this.id(),
    name: this.name(),
    filter: this.condition(),
    sort: this.sort() ?? '',
    limit: this.wanted(),
  }));
  protected readonly sentence = computed(() => {
    const d = this.detail();
    if (!d) return '';
    const files = d.files.length > 1 ? $localize`${d.files.length} files read as one: ${d.files.join(', ')}` : '';
    const size = d.bytes === null ? '' : bytesWords(d.bytes);
    const changed = d.changedAt === null ? '' : $localize`changed ${timeWords(d.changedAt)}`;
    return [files, size, changed].filter(Boolean).join(' · ');
  });
  protected readonly counted = computed(() => {
    const r = this.rows().value;
    if (!r || this.rows().state !== 'loaded') return '';
    const sortedAmong = this.sort() && r.looked >= MOST_LOOKED && r.more ? r.looked : null;
    const count = this.countOf() === this.condition() ? this.count() : idle<Counted>();
    return shownWords({ rows: r.rows.length, more: r.more, all: r.all, sortedAmong }, this.condition(), count);
  });

  constructor() {
    pageTitle(() => this.name() && `${this.name()} · ${this.detail()?.systemName ?? this.id()}`);
    effect((left) => {
      this.id();
      this.name();
      left(() => this.store.dispatch(systemsActions.datasetLeft()));
    });
    effect(() => this.store.dispatch(systemsActions.datasetOpened(this.asked())));
    effect(() => this.store.dispatch(profilesActions.opened({ id: this.id(), dataset: this.name() })));
    // Read another way, the rows are others.
    inject(Actions)
      .pipe(ofType(systemsActions.settled, systemsActions.learned, systemsActions.unsettled), takeUntilDestroyed())
      .subscribe((action) => {
        const gone = action.type === systemsActions.unsettled.type && this.detail()?.setting?.kind !== 'format';
        if (gone) void this.router.navigate(['/systems', this.id()]);
        else if (action.type === systemsActions.unsettled.type) this.again();
        else this.store.dispatch(systemsActions.rowsAsked(this.asked()));
      });
  }
  protected again(): void {
    this.store.dispatch(systemsActions.datasetOpened(this.asked()));
  }
  protected forget(): void {
    this.store.dispatch(systemsActions.unsettle({ id: this.id(), dataset: this.name() }));
  }
  protected hidden(field: string): boolean {
    return this.hiddenFields().has(field);
  }
  protected toggle(field: string): void {
    const hidden = new Set(this.hiddenFields());
    if (!hidden.delete(field)) hidden.add(field);
    this.ask({ hide: hidden.size === 0 ? null : [...hidden].join('\n') });
  }
  /** One click sorts by a field, the next one the other way round, the third leaves the order of the source. */
  protected sortBy(field: string): void {
    const rule = this.sortRule(field);
    const now = this.sort();
    this.ask({ sort: now === rule ? `-${rule}` : now === `-${rule}` ? null : rule });
  }
  /** A column that reads as numbers or dates is sorted as such. */
  private sortRule(field: string): string {
    const reads = this.rows().value?.reading?.fields.find((f) => f.name === field);
    return reads?.sort ?? `"${field.replace(/"/g, '""')}"`;
  }
  protected sorted(field: string): 'ascending' | 'descending' | null {
    const rule = this.sortRule(field);
    return this.sort() === rule ? 'ascending' : this.sort() === `-${rule}` ? 'descending' : null;
  }
  protected ask(query: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams: query, queryParamsHandling: 'merge' });
  }
}
