import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { pageTitle } from '../shared/page-title';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { Connection, Dataset, System } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { LoadingComponent } from '../shared/loading.component';
import { ImportComponent } from '../structures/import.component';
import { structuresActions, structuresFeature } from '../structures/structures.feature';
import { SaidComponent } from '../shared/said.component';
import { bytesWords, FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { ConnectionFormComponent, missingEntry } from './connection-form.component';
import { LookScheduleComponent } from './look-schedule.component';
import { NewDatasetComponent } from './new-dataset.component';
import { stateWords } from './system-words';
import { systemsActions, systemsFeature } from './systems.feature';

const COLUMNS: readonly Column<Dataset>[] = [
  { key: 'name', title: $localize`Dataset`, class: 'name', value: (d) => d.name },
  { key: 'what', title: $localize`What it is`, class: 'soft', value: (d) => d.problem ?? d.description },
  { key: 'records', title: $localize`Records`, figures: true, value: (d) => d.records },
  { key: 'bytes', title: $localize`Size`, figures: true, value: (d) => d.bytes },
  { key: 'changed', title: $localize`Changed`, figures: true, value: (d) => d.changedAt },
];

/** What the template says in one case or another. */
const PHRASES = {
  systems: $localize`Systems`,
  testing: $localize`Testing …`,
  testTheConnection: $localize`Test the connection`,
  it: $localize`It `,
  itDoesNotWork: $localize`It does not work.`,
  nothingWaitsToBe: $localize`Nothing waits to be sent to it`,
  oneRecordWaitsTo: $localize`One record waits to be sent to it`,
  recordsWaitToBe: $localize` records wait to be sent to it`,
  looking: $localize`Looking …`,
  lookAtAllDatasets: $localize`Look at all datasets`,
  theApiSDescription: $localize`The API’s description (OpenAPI) or a data dictionary from this computer`,
  aDataDictionaryFrom: $localize`A data dictionary from this computer`,
  theApiSOwn: $localize`the API’s own description (OpenAPI) makes its datasets; a dictionary describes them`,
  aDataDictionaryDescribes: $localize`a data dictionary describes the datasets`,
};

/** One system: how it is reached, what the last test found, what it holds. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CrumbsComponent,
    RouterLink,
    FormsModule,
    ConnectionFormComponent,
    NewDatasetComponent,
    LookScheduleComponent,
    ImportComponent,
    CellDirective,
    ListComponent,
    LoadingComponent,
    SaidComponent,
    FigurePipe,
    FullTimePipe,
    TimePipe,
  ],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: phrases.systems, to: '/systems' }]" />
      <vs-loading [of]="loading()" (again)="open()" />
      @if (system(); as s) {
        <div class="top">
          <h1>{{ s.name }}</h1>
          <span class="soft">{{ s.facts.words }}</span>
          <span class="grow"></span>
          @if (asked()) {
            <span i18n class="soft">Remove {{ s.name }}? Its records stay where they are.</span>
            <button i18n type="button" class="btn grave" (click)="remove()">Remove</button>
            <button i18n type="button" class="btn quiet" (click)="asked.set(false)">Keep</button>
          } @else {
            <button i18n type="button" class="btn quiet" (click)="asked.set(true)">Remove …</button>
            <button
              i18n
              type="button"
              class="btn quiet"
              (click)="changing.set(!changing())"
              [attr.aria-expanded]="changing()"
            >
              Change the connection …
            </button>
            <button type="button" class="btn" (click)="test()" [disabled]="testing() === id()">
              {{ testing() === id() ? phrases.testing : phrases.testTheConnection }}
            </button>
          }
        </div>
        <p class="sub">
          <code>{{ s.where }}</code>
        </p>
        @if (problem()) {
          <p class="rub" role="alert">{{ problem() }}</p>
        }
        @if (s.secretsLost) {
          <p i18n class="rub" role="alert">
            Its passwords and keys can’t be opened with the key that Versicle has now. Put the right key back, or change
            the connection and give them again.
          </p>
        }
        @if (secret(); as text) {
          <p i18n class="found" role="status">
            The secret that signs deliveries is <code>{{ text }}</code>. Give it to the other side now; it is not shown
            again.
          </p>
        }
        @if (changing()) {
          <form class="change" (ngSubmit)="save(s.name)" aria-label="Change the connection" i18n-aria-label>
            <vs-connection-form
              [kind]="s.connection.kind"
              [form]="form()"
              [connection]="s.connection"
              [secretsSet]="s.secretsSet"
              (changed)="connection.set($event)"
            />
            @if (complaint()) {
              <p class="rub" role="alert">{{ complaint() }}</p>
            }
            <div class="acts">
              <button i18n type="submit" class="btn first">Save and test</button>
              <button i18n type="button" class="btn quiet" (click)="changing.set(false)">Leave as it was</button>
            </div>
          </form>
        }
        @if (s.diagnosis; as d) {
          <p class="found" [class.bad]="!d.ok" role="status">
            <b>{{ d.ok ? phrases.it + state(s) + '.' : phrases.itDoesNotWork }}</b>&ngsp;<vs-said [text]="d.message" />
            <small i18n [title]="d.at | fullTime">tested {{ d.at | time }}</small>
            @if (d.sees.length > 0) {
              <span i18n class="sees">It sees {{ d.sees.join(', ') }}.</span>
            }
          </p>
        }
        @if (s.signsIn) {
          <p><button i18n type="button" class="btn" (click)="signIn()">Sign in at the other side …</button></p>
        }
        @if (s.facts.byRequest) {
          <p i18n class="used">
            <a [routerLink]="['/systems', s.id, 'waiting']">{{
              s.waiting === 0
                ? phrases.nothingWaitsToBe
                : s.waiting === 1
                  ? phrases.oneRecordWaitsTo
                  : (s.waiting | figure) + phrases.recordsWaitToBe
            }}</a>, and what it answered lately.
          </p>
        }
        @if (s.usedBy.length > 0) {
          <p i18n class="used">
            Used by
            @for (use of s.usedBy; track use.id + use.as) {
              <a [routerLink]="['/mappings', use.id]">{{ use.name }}</a> as {{ use.as }}{{ $last ? '.' : ', ' }}
            }
          </p>
        }
        @if (s.facts.settledBy === 'endpoint' || s.facts.settledBy === 'select') {
          <vs-new-dataset [id]="s.id" [by]="s.facts.settledBy" />
        }
        @if (s.facts.holds) {
          <div class="bring">
            <button type="button" class="btn" (click)="catalogue()" [disabled]="importing().busy">
              {{ importing().busy ? phrases.looking : phrases.lookAtAllDatasets }}
            </button>
            <vs-look-schedule [system]="s" />
          </div>
          <div class="bring">
            <vs-import
              [id]="s.id"
              [label]="s.facts.settledBy === 'endpoint' ? phrases.theApiSDescription : phrases.aDataDictionaryFrom"
            />
            <span class="soft">{{
              s.facts.settledBy === 'endpoint' ? phrases.theApiSOwn : phrases.aDataDictionaryDescribes
            }}</span>
          </div>
        }
        @if (s.diagnosis?.ok === false && datasets().state === 'failed') {
          <h2 i18n>Datasets</h2>
          <p i18n class="soft">They can be listed once it answers.</p>
        } @else {
          <vs-list
            heading="Datasets"
            i18n-heading
            [level]="2"
            finds="Find a dataset"
            i18n-finds
            waits="Looking what is there …"
            i18n-waits
            [none]="s.facts.empty"
            [of]="datasets()"
            [columns]="columns()"
            [key]="name"
            (again)="open()"
          >
            <ng-template vsCell="name" [like]="datasets()" let-d>
              @if (d.problem) {
                {{ d.name }}
              } @else {
                <a [routerLink]="['/systems', id(), 'dataset']" [queryParams]="{ name: d.name }">{{ d.name }}</a>
              }
            </ng-template>
            <ng-template vsCell="bytes" [like]="datasets()" let-d>{{
              d.bytes === null ? '' : bytes(d.bytes)
            }}</ng-template>
            <ng-template vsCell="changed" [like]="datasets()" let-d
              ><span [title]="d.changedAt | fullTime">{{ d.changedAt | time }}</span></ng-template
            >
          </vs-list>
        }
      }
      @if (loading().value && !system()) {
        <h1 i18n>There is no system “{{ id() }}”</h1>
        <p i18n class="sub">It may have been removed. <a routerLink="/systems">All systems</a></p>
      }
    </div>
  `,
  styles: `
    .found {
      border-left: 3px solid var(--ink-2);
      background: var(--margin);
      padding: 8px 14px;
      font: 14.4px/1.45 var(--serif);
      max-width: 860px;
    }
    .found.bad {
      border-color: var(--rubric);
      background: var(--rubric-wash);
    }
    .found small {
      font: 12.6px var(--sans);
      color: var(--ink-3);
      margin-left: 8px;
    }
    .bring {
      display: flex;
      align-items: center;
      gap: 12px;
      margin-top: 12px;
    }
    .sees {
      display: block;
      font: 13px/1.4 var(--sans);
      color: var(--ink-2);
      margin-top: 3px;
    }
    .change {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 12px 18px;
      margin-bottom: 14px;
    }
    .used {
      margin-top: 10px;
      color: var(--ink-2);
    }
  `,
})
export class SystemPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly datasets = this.store.selectSignal(systemsFeature.selectDatasets);
  protected readonly testing = this.store.selectSignal(systemsFeature.selectTesting);
  protected readonly problem = this.store.selectSignal(systemsFeature.selectProblem);
  protected readonly system = computed(() => this.loading().value?.find((s) => s.id === this.id()) ?? null);
  protected readonly name = (d: Dataset): string => d.name;
  /** Without columns that no dataset has anything for. */
  protected readonly columns = computed(() => {
    const list = this.datasets().value ?? [];
    return COLUMNS.filter((c) => c.figures !== true || list.some((d) => c.value!(d) !== null));
  });
  protected readonly asked = signal(false);
  protected readonly importing = this.store.selectSignal(structuresFeature.selectImporting);
  private readonly kinds = this.store.selectSignal(systemsFeature.selectKinds);
  protected readonly form = computed(
    () => this.kinds().find((k) => k.kind === this.system()?.connection.kind)?.entries ?? [],
  );
  protected readonly changing = signal(false);
  /** The system before the change that is on its way: the form stays open until it was taken. */
  private readonly saving = signal<System | null>(null);
  protected readonly connection = signal<Record<string, unknown>>({});
  protected readonly complaint = signal('');
  private readonly made = this.store.selectSignal(systemsFeature.selectMadeSecret);
  protected readonly secret = computed(() => {
    const made = this.made();
    return made?.id === this.id() ? made.secret : null;
  });
  protected readonly state = stateWords;
  protected readonly bytes = bytesWords;

  constructor() {
    pageTitle(() => this.system()?.name);
    effect(() => {
      const now = this.system();
      const problem = this.problem();
      untracked(() => {
        if (this.saving() === null || (problem === null && now === this.saving())) return;
        this.saving.set(null);
        if (problem === null) this.changing.set(false);
      });
    });
    effect(() => {
      this.id();
      this.open();
    });
  }
  protected open(): void {
    this.store.dispatch(systemsActions.opened());
    this.store.dispatch(systemsActions.datasetsOpened({ id: this.id() }));
  }
  protected save(name: string): void {
    const fault = missingEntry(this.connection(), this.form());
    this.complaint.set(fault ?? '');
    if (fault !== null) return;
    this.saving.set(this.system());
    const changed = { name, connection: this.connection() as Connection };
    this.store.dispatch(systemsActions.change({ id: this.id(), changed }));
  }
  protected signIn(): void {
    this.store.dispatch(systemsActions.signIn({ id: this.id(), origin: location.origin }));
  }
  protected catalogue(): void {
    this.store.dispatch(structuresActions.catalogue({ id: this.id(), profile: true }));
  }
  protected test(): void {
    this.store.dispatch(systemsActions.test({ id: this.id() }));
  }
  protected remove(): void {
    this.asked.set(false);
    this.store.dispatch(systemsActions.remove({ id: this.id() }));
  }
}
