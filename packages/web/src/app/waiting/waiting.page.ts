import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { WAITING_STATES, type ChangeWaiting, type WaitingRecord, type WhichWaiting } from '@versicle/contract';
import { AskComponent } from '../shared/ask.component';
import { CrumbsComponent } from '../shared/crumbs.component';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent, type RowKey } from '../shared/list/list.component';
import { LoadingComponent } from '../shared/loading.component';
import { pageTitle } from '../shared/page-title';
import { SELECT } from '../shared/select';
import { figure, FigurePipe, fullTime, inWords, timeWords } from '../shared/words';
import { systemsActions, systemsFeature } from '../systems/systems.feature';
import { AnswersComponent } from './answers.component';
import { STATE_WORDS, valuesLine, waitingWords } from './waiting-words';
import { type Asked, waitingActions, waitingFeature } from './waiting.feature';

/** What the template says in one case or another. */
const PHRASES = {
  systems: $localize`Systems`,
  onlyRecordsOfRun: $localize`Only records of run `,
  showAll: $localize`show all`,
  onlyThese: $localize`only these`,
  allThatAreAsked: $localize`All that are asked for:`,
  allThatWait: $localize`All that wait:`,
  goesFirst: $localize`goes first`,
};

/** Records that wait for a system that takes them by request: from which runs, until when, and what people do with them. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AnswersComponent,
    AskComponent,
    CellDirective,
    CrumbsComponent,
    FigurePipe,
    FormsModule,
    ListComponent,
    LoadingComponent,
    RouterLink,
    SELECT,
  ],
  templateUrl: './waiting.page.html',
  styleUrl: './waiting.page.less',
})
export class WaitingPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly run = input<string | undefined>();
  readonly dataset = input<string | undefined>();
  readonly state = input<string | undefined>();
  readonly rule = input<string | undefined>();
  readonly search = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly systems = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly waiting = this.store.selectSignal(waitingFeature.selectWaiting);
  protected readonly records = this.store.selectSignal(waitingFeature.selectRecords);
  protected readonly more = this.store.selectSignal(waitingFeature.selectMore);
  protected readonly busy = this.store.selectSignal(waitingFeature.selectBusy);
  protected readonly problem = this.store.selectSignal(waitingFeature.selectProblem);
  protected readonly name = computed(() => this.systems().value?.find((s) => s.id === this.id())?.name ?? this.id());
  protected readonly words = waitingWords;
  protected readonly line = valuesLine;
  protected readonly stateWords = STATE_WORDS;
  protected readonly states = WAITING_STATES;
  protected readonly since = timeWords;
  protected readonly full = fullTime;
  protected readonly recordId = (r: WaitingRecord): number => r.id;
  protected readonly chosen = signal<ReadonlySet<RowKey>>(new Set());
  /** What is about to be skipped: those that are chosen, or all that are asked for. */
  protected readonly skipping = signal<'chosen' | 'all' | null>(null);

  protected readonly datasets = computed(() => [...new Set(this.waiting().value?.groups.map((g) => g.dataset))]);
  protected readonly asked = computed(
    (): Asked => ({
      run: this.run() ? Number(this.run()) : undefined,
      // A rule speaks of the fields of one dataset; where there is one only, that is it.
      dataset:
        this.dataset() || (this.rule() ? (this.datasets().length === 1 ? this.datasets()[0] : undefined) : undefined),
      state: WAITING_STATES.find((s) => s === this.state()),
      rule: this.rule() || undefined,
      search: this.search() || undefined,
    }),
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  protected readonly isNarrowed = computed(() => Object.values(this.asked()).some((v) => v !== undefined));
  protected readonly columns = computed((): readonly Column<WaitingRecord>[] => [
    { key: 'label', title: $localize`Record`, class: 'mono nowrap', value: (r) => r.label, unsorted: true },
    { key: 'state', title: $localize`State`, class: 'nowrap' },
    ...(this.datasets().length > 1
      ? [{ key: 'dataset', title: $localize`Dataset`, value: (r: WaitingRecord) => r.dataset, unsorted: true as const }]
      : []),
    { key: 'run', title: $localize`Run`, figures: true },
    { key: 'values', title: $localize`As it is sent`, class: 'mono short', value: valuesLine, unsorted: true },
  ]);

  constructor() {
    pageTitle(() => $localize`Waiting for ${this.name()}`);
    this.store.dispatch(systemsActions.opened());
    effect(() => {
      const system = this.id();
      const asked = this.asked();
      untracked(() => {
        this.chosen.set(new Set());
        this.store.dispatch(waitingActions.opened({ system, asked }));
      });
    });
    inject(Actions)
      .pipe(ofType(waitingActions.changed), takeUntilDestroyed())
      .subscribe(() => this.chosen.set(new Set()));
    inject(DestroyRef).onDestroy(() => this.store.dispatch(waitingActions.left()));
  }
  protected open(): void {
    this.store.dispatch(waitingActions.opened({ system: this.id(), asked: this.asked() }));
  }
  protected ask(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected further(): void {
    this.store.dispatch(waitingActions.moreAsked());
  }
  protected act(act: Exclude<ChangeWaiting['act'], 'skip'>, what: 'chosen' | 'all'): void {
    this.store.dispatch(waitingActions.change({ change: { act, which: this.which(what) } }));
  }
  protected skip(what: 'chosen' | 'all', reason: string): void {
    this.skipping.set(null);
    this.store.dispatch(waitingActions.change({ change: { act: 'skip', which: this.which(what), reason } }));
  }
  private which(what: 'chosen' | 'all'): WhichWaiting {
    if (what === 'chosen') return { ids: [...this.chosen()].map(Number) };
    const given = Object.entries(this.asked()).filter(([, value]) => value !== undefined);
    return { all: Object.fromEntries(given) };
  }
  protected skipWords(what: 'chosen' | 'all'): string {
    return what === 'chosen'
      ? $localize`Skip ${inWords(this.chosen().size, $localize`record`, $localize`records`)}`
      : this.isNarrowed()
        ? $localize`Skip all that are asked for`
        : $localize`Skip all ${figure(this.waiting().value?.waiting ?? 0)}`;
  }
}
