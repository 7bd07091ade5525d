import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { DatasetDetail } from '@versicle/contract';
import { SELECT } from '../shared/select';
import { catchError, firstValueFrom, of, shareReplay } from 'rxjs';
import { allDatasets, type SystemDatasets } from '../shared/all-datasets';
import { Api, type ServerProblem } from '../shared/api';
import { SignComponent } from '../shared/signs.component';
import { beginDocument } from './begin';
import { mappingsActions, mappingsFeature } from './mappings.feature';
import { FieldComponent } from '../shared/form/field.component';

/** What the template says in one case or another. */
const PHRASES = {
  mappings: $localize`Mappings`,
  keptBy: $localize`, kept by `,
};

/** Source, target, name: then the sheet opens with what can be matched by name. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, CrumbsComponent, RouterLink, FormsModule, SELECT, SignComponent],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: phrases.mappings, to: '/mappings' }]" />
      <h1 i18n>New mapping</h1>
      <p i18n class="sub">
        Where the records come from, and where they go. A mapping document that others wrote comes in
        <a routerLink="/mappings/new/spreadsheet">from a spreadsheet</a>.
      </p>
      @if (lacking(); as what) {
        <p class="first" role="status">
          {{ what }} <a i18n class="btn first" routerLink="/systems">Connect a system</a>
        </p>
      }
      <form (ngSubmit)="begin()" aria-label="New mapping" i18n-aria-label>
        <div class="two">
          <fieldset>
            <legend i18n><vs-sign of="source" [size]="14" /> Source</legend>
            <vs-field label="Dataset" i18n-label>
              <nz-select
                name="source"
                nzShowSearch
                [ngModel]="from()"
                (ngModelChange)="picked.set($event)"
                nzPlaceHolder="Choose a dataset"
                i18n-nzPlaceHolder
                aria-label="Source dataset"
                i18n-aria-label
                nzShowSearch
                nzId="source"
              >
                @for (c of choices(); track c.system.id) {
                  @for (d of c.datasets; track d) {
                    <nz-option [nzValue]="c.system.id + '/' + d" [nzLabel]="c.system.name + ' / ' + d" />
                  }
                }
              </nz-select>
            </vs-field>
          </fieldset>
          <fieldset>
            <legend i18n><vs-sign of="target" [size]="14" /> Target</legend>
            <vs-field label="System" i18n-label>
              <nz-select
                name="system"
                [ngModel]="target()"
                (ngModelChange)="targetSystem.set($event)"
                nzPlaceHolder="Choose a system"
                i18n-nzPlaceHolder
                aria-label="Target system"
                i18n-aria-label
                nzShowSearch
                nzId="system"
              >
                @for (c of targets(); track c.system.id) {
                  <nz-option [nzValue]="c.system.id" [nzLabel]="c.system.name" />
                }
              </nz-select>
            </vs-field>
            <vs-field [label]="tableTitle()" [help]="tableWords()">
              <input
                class="input mono"
                id="table"
                name="table"
                list="tables"
                [ngModel]="table()"
                (ngModelChange)="table.set($event)"
                autocomplete="off"
            /></vs-field>
            <datalist id="tables">
              @for (t of tables(); track t) {
                <option [value]="t"></option>
              }
            </datalist>
            @if (makesTable()) {
              <label i18n class="stamp"
                ><input type="checkbox" name="stamped" [ngModel]="stamped()" (ngModelChange)="stamped.set($event)" />
                with the number and time of its run in each record (<code>load_id</code>,
                <code>loaded_at</code>)</label
              >
            }
          </fieldset>
        </div>
        <vs-field class="name" label="Begin with" i18n-label [help]="starterWords()">
          <nz-select
            name="starter"
            [ngModel]="starter()"
            (ngModelChange)="starter.set($event)"
            aria-label="Begin with"
            i18n-aria-label
            nzId="starter"
          >
            <nz-option nzValue="" nzLabel="fields of the same name" i18n-nzLabel />
            @for (s of starters(); track s.id) {
              <nz-option [nzValue]="s.id" [nzLabel]="s.name + (s.shipped ? '' : phrases.keptBy + s.keptBy)" />
            }</nz-select
        ></vs-field>
        <vs-field class="name" label="Name of the mapping" i18n-label
          ><input class="input" name="name" [ngModel]="name()" (ngModelChange)="ownName.set($event)" autocomplete="off"
        /></vs-field>
        @if (complaint() || problem()) {
          <p class="rub" role="alert">{{ complaint() || problem() }}</p>
        }
        <button i18n type="submit" class="btn first" [disabled]="creating()">Begin the mapping</button>
      </form>
    </div>
  `,
  styles: `
    .first {
      font: 15.2px/1.5 var(--serif);
      margin-bottom: 14px;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 34px;
      max-width: 860px;
      margin-top: 8px;
    }
    fieldset {
      border: 0;
      border-top: 1px solid var(--line);
      padding: 12px 0 0;
      margin: 0;
    }
    legend {
      font: 600 15.5px var(--serif);
      padding-right: 10px;
      width: auto;
      border: 0;
      margin: 0;
    }
    nz-select {
      width: 100%;
    }
    .name {
      max-width: 413px;
    }
    .stamp {
      display: block;
      color: var(--ink-2);
    }
    p.rub {
      margin-bottom: 10px;
    }
  `,
})
export class NewMappingPage {
  protected readonly phrases = PHRASES;
  /** `system/dataset`, when the page is opened from a dataset. */
  readonly source = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  protected readonly creating = this.store.selectSignal(mappingsFeature.selectCreating);
  protected readonly problem = this.store.selectSignal(mappingsFeature.selectProblem);
  protected readonly picked = signal<string | null>(null);
  protected readonly targetSystem = signal<string | null>(null);
  protected readonly table = signal('');
  protected readonly ownName = signal<string | null>(null);
  protected readonly complaint = signal('');
  /** Id of the starter to begin with; empty for none. */
  protected readonly starter = signal('');
  protected readonly starters = toSignal(this.api.call('listStarters', {}).pipe(catchError(() => of([]))), {
    initialValue: [],
  });
  protected readonly starterWords = computed(() => {
    const found = this.starters().find((s) => s.id === this.starter());
    return found
      ? $localize`${found.purpose}; what does not fit is to map`
      : $localize`or with a starter: a document whose rules are taken over where fields fit`;
  });
  private readonly found = allDatasets(this.api).pipe(
    catchError((error: ServerProblem) => {
      this.complaint.set(error.message);
      return of([]);
    }),
    shareReplay(1),
  );
  private readonly connected = toSignal(this.found, { initialValue: null });
  protected readonly choices = computed((): readonly SystemDatasets[] => this.connected() ?? []);
  /** What comes before a mapping can be begun. */
  protected readonly lacking = computed(() => {
    const all = this.connected();
    if (all === null || this.complaint()) return null;
    if (all.length === 0)
      return $localize`No system is connected yet. Connect the one that the records come from, and the one that they go to.`;
    if (this.choices().every((c) => c.datasets.length === 0))
      return $localize`No connected system holds a dataset that records could come from.`;
    return this.targets().length === 0
      ? $localize`No connected system can be written into. Connect the one that the records go to.`
      : null;
  });
  protected readonly from = computed(() => this.picked() ?? this.source() ?? null);
  protected readonly targets = computed(() => this.choices().filter((c) => c.system.facts.target !== null));
  private readonly others = toSignal(this.api.call('listMappings', {}).pipe(catchError(() => of([]))), {
    initialValue: [],
  });
  /** The likely target is the system that most other mappings write to; without any, the one embedded database. */
  protected readonly target = computed(() => {
    const written = this.others().map((m) => m.target.slice(0, m.target.indexOf('/')));
    const times = (id: string): number => written.filter((w) => w === id).length;
    const used = this.targets()
      .map((c) => c.system.id)
      .sort((a, b) => times(b) - times(a))
      .find((id) => times(id) > 0);
    const own = this.targets().filter((c) => c.system.facts.target?.isOurs);
    return this.targetSystem() ?? used ?? (own.length === 1 ? own[0]!.system.id : null);
  });
  /** What records are written to in the system that is chosen. */
  private readonly targetFacts = computed(
    () => this.targets().find((c) => c.system.id === this.target())?.system.facts.target ?? null,
  );
  protected readonly tableTitle = computed(() => this.targetFacts()?.title ?? $localize`Table`);
  protected readonly tables = computed(() => this.targets().find((c) => c.system.id === this.target())?.datasets ?? []);
  protected readonly tableWords = computed(() => {
    const facts = this.targetFacts();
    if (facts === null) return '';
    if (this.table() === '') return facts.unnamed;
    return this.tables().includes(this.table()) ? facts.there : facts.fresh;
  });
  /** Whether a table is named that the first run makes. */
  protected readonly makesTable = computed(
    () =>
      this.targetFacts()?.makesTables === true && this.table().trim() !== '' && !this.tables().includes(this.table()),
  );
  protected readonly stamped = signal(false);
  protected readonly name = computed(() => {
    const own = this.ownName();
    if (own !== null) return own;
    const from = this.from()
      ?.split('/')[1]
      ?.replace(/\.\w+$/, '')
      .replace(/[-_*]+/g, ' ')
      .trim();
    const to = this.targets()
      .find((c) => c.system.id === this.target())
      ?.system.name.toLowerCase();
    return from && to ? $localize`${from.charAt(0).toUpperCase()}${from.slice(1)} to ${to}` : '';
  });

  /** What new tables of the chosen system begin with. */
  private readonly prefix = computed(() => {
    const connection = this.targets().find((c) => c.system.id === this.target())?.system.connection;
    return typeof connection?.['tablePrefix'] === 'string' ? connection['tablePrefix'] : '';
  });
  /** The name that was proposed last. */
  private readonly proposed = signal('');

  constructor() {
    this.store.dispatch(mappingsActions.newOpened());
    // A proposal for the table once the source is known.
    effect(() => {
      const from = this.from()?.split('/')[1];
      const prefix = this.prefix();
      const known = untracked(this.table);
      if (!from || (known !== '' && known !== untracked(this.proposed))) return;
      const name = from
        .replace(/\.\w+$/, '')
        .replace(/[^A-Za-z0-9]+/g, '_')
        .replace(/^_+|_+$/g, '')
        .toLowerCase();
      this.proposed.set(prefix + name);
      this.table.set(prefix + name);
    });
  }

  protected async begin(): Promise<void> {
    // Whoever is quick is done before the last system has said what it holds.
    await firstValueFrom(this.found);
    const [source, target, table, name] = [this.from(), this.target(), this.table().trim(), this.name().trim()];
    if (!source) return this.complaint.set($localize`Choose the dataset that the records come from.`);
    if (!target)
      return this.complaint.set(
        this.targets().length === 0
          ? $localize`No database is connected to write into; connect one under Systems.`
          : $localize`Choose the system that the records go to.`,
      );
    const wrong = this.nameFault(table);
    if (wrong) return this.complaint.set(wrong);
    if (!name) return this.complaint.set($localize`Give the mapping a name.`);
    this.complaint.set('');
    try {
      if (this.starter() !== '') {
        const body = { name, source, target: `${target}/${table}` };
        const made = await firstValueFrom(this.api.call('useStarter', { params: { id: this.starter() }, body }));
        return this.store.dispatch(mappingsActions.created({ id: made.id }));
      }
      const from = await this.describe(source);
      const to = this.tables().includes(table) ? await this.describe(`${target}/${table}`) : null;
      const document = beginDocument({
        name,
        source,
        sourceFields: from.fields,
        target: `${target}/${table}`,
        // What an API adds to its records (keys of ours, ids of its own) is not ours to send.
        targetFields: to?.fields.filter((f) => !f.name.startsWith('_')) ?? null,
        stamped: this.stamped() && this.makesTable(),
      });
      this.store.dispatch(mappingsActions.create({ document }));
    } catch (error) {
      this.complaint.set((error as Error).message);
    }
  }
  /** What is wrong with the name of a table, file or dataset; null when nothing is. */
  private nameFault(name: string): string | null {
    const names = this.targetFacts()?.names ?? null;
    if (names !== null) return new RegExp(names.pattern, 'i').test(name) ? null : names.otherwise;
    if (this.tables().includes(name)) return null;
    return this.tables().length === 0
      ? $localize`It has no dataset yet; describe one on the page of the system.`
      : $localize`There is no dataset “${name}”; it has ${this.tables().join(', ')}.`;
  }
  private describe(dataset: string): Promise<DatasetDetail> {
    const slash = dataset.indexOf('/');
    return firstValueFrom(
      this.api.call('getDataset', {
        params: { id: dataset.slice(0, slash) },
        query: { dataset: dataset.slice(slash + 1) },
      }),
    );
  }
}
