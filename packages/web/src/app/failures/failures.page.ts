import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  linkedSignal,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { CauseGroup, FailedRecord } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent, type RowKey } from '../shared/list/list.component';
import { SELECT } from '../shared/select';
import { mappingsActions, mappingsFeature } from '../mappings/mappings.feature';
import { FindKeyDirective } from '../shared/find-key.directive';
import { CauseComponent } from '../shared/cause.component';
import { LoadingComponent } from '../shared/loading.component';
import { capital, figure, FigurePipe, FullTimePipe, inWords, TimePipe } from '../shared/words';
import { failuresActions, failuresFeature, type Asked } from './failures.feature';
import { RecordComponent } from './record.component';
import { ReplayComponent } from './replay.component';
import { GIVEN } from '../shared/given';
import { AskComponent } from '../shared/ask.component';

const STATES: readonly [value: Asked['state'], words: string][] = [
  ['open', 'open'],
  ['delivered', $localize`delivered after replay`],
  ['closed', $localize`mended by a later run`],
  ['waived', $localize`closed on purpose`],
  ['remark', $localize`remarks, not in the way`],
  ['any', $localize`whatever became of them`],
];

/** What the template says in one case or another. */
const PHRASES = {
  record: $localize`record`,
  records: $localize`records`,
  nothingIsInThe: $localize`Nothing is in the way. Every record that was read has arrived,
        or was left out on purpose.`,
  noRecordFitsWhat: $localize`No record fits what is asked for.`,
  closeThisOne: $localize`Close this one`,
  closeThe: $localize`Close the `,
  chosen: $localize` chosen`,
  closeAll: $localize`Close all `,
  replay: $localize`Replay `,
};

/** Causes at the left, the records of the chosen one at the right. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AskComponent,
    GIVEN,
    FormsModule,
    RouterLink,
    SELECT,
    CauseComponent,
    CellDirective,
    FindKeyDirective,
    ListComponent,
    LoadingComponent,
    RecordComponent,
    ReplayComponent,
    FigurePipe,
    FullTimePipe,
    TimePipe,
  ],
  templateUrl: './failures.page.html',
  styleUrl: './failures.page.less',
})
export class FailuresPage {
  protected readonly phrases = PHRASES;
  readonly state = input<string | undefined>();
  readonly mapping = input<string | undefined>();
  readonly line = input<string | undefined>();
  readonly cause = input<string | undefined>();
  readonly run = input<string | undefined>();
  readonly search = input<string | undefined>();
  readonly record = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly states = STATES;
  protected readonly causes = this.store.selectSignal(failuresFeature.selectCauses);
  protected readonly records = this.store.selectSignal(failuresFeature.selectRecords);
  protected readonly detail = this.store.selectSignal(failuresFeature.selectRecord);
  protected readonly replay = this.store.selectSignal(failuresFeature.selectReplay);
  private readonly mappingList = this.store.selectSignal(mappingsFeature.selectMappings);
  protected readonly mappings = computed(() => this.mappingList().value ?? []);
  protected readonly asking = signal(false);
  /** What is about to be closed without being delivered. */
  protected readonly waiving = signal<'one' | 'chosen' | null>(null);
  protected readonly more = this.store.selectSignal(failuresFeature.selectMore);
  protected readonly recordId = (r: FailedRecord): number => r.id;
  protected readonly columns: readonly Column<FailedRecord>[] = [
    { key: 'row', title: $localize`Row` },
    { key: 'label', title: $localize`Record`, class: 'mono nowrap', value: (r) => r.label, unsorted: true },
    { key: 'example', title: $localize`Values`, class: 'mono short', value: (r) => r.example, unsorted: true },
    { key: 'seen', title: $localize`Seen`, class: 'dim nowrap' },
  ];
  /** Records that are marked; they belong to the group that is open. */
  protected readonly chosen = linkedSignal<CauseGroup | null, ReadonlySet<RowKey>>({
    source: () => this.group(),
    computation: () => new Set(),
  });
  protected readonly chosenIds = (): number[] => [...this.chosen()].map(Number);

  protected readonly asked = computed(
    (): Asked => ({
      state: STATES.find(([value]) => value === this.state())?.[0] ?? 'open',
      mapping: this.mapping() || undefined,
      run: this.run() ? Number(this.run()) : undefined,
      search: this.search() || undefined,
    }),
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  protected readonly group = computed((): CauseGroup | null => {
    const list = this.causes().value ?? [];
    if (this.cause() === undefined && this.line() === undefined)
      return this.record() === undefined ? (list[0] ?? null) : null;
    return (
      list.find(
        (g) =>
          g.cause === this.cause() &&
          (g.line ?? undefined) === (this.line() || undefined) &&
          (!this.mapping() || g.mapping === this.mapping()),
      ) ?? null
    );
  });
  protected readonly total = computed(() => (this.causes().value ?? []).reduce((n, c) => n + c.count, 0));
  protected readonly summary = computed(() => {
    if (this.causes().value === null) return '';
    const causes = inWords(this.causes().value!.length, $localize`cause`, $localize`causes`);
    const words = STATES.find(([value]) => value === this.asked().state)![1];
    const where = this.asked().run === undefined ? '' : $localize` in run ${this.asked().run}`;
    return `${capital(figure(this.total()))} ${words}${where}, ${causes}.`;
  });
  protected readonly shownRecord = computed(() =>
    this.record() ? Number(this.record()) : (this.records().value?.[0]?.id ?? null),
  );
  protected readonly place = computed(() => {
    const list = this.records().value ?? [];
    const at = list.findIndex((r) => r.id === this.shownRecord());
    return at < 0 ? '' : $localize`${figure(at + 1)} of ${figure(this.group()?.count ?? list.length)} with this cause`;
  });
  protected readonly open = computed(() => (this.asked().state === 'open' ? (this.group()?.count ?? 0) : 0));
  protected readonly summaryOfMapping = computed(
    () => this.mappings().find((m) => m.id === (this.group()?.mapping ?? this.detail().value?.mapping)) ?? null,
  );

  constructor() {
    this.store.dispatch(mappingsActions.opened());
    effect(() => {
      const asked = this.asked();
      untracked(() => this.store.dispatch(failuresActions.opened({ asked })));
    });
    effect(() => {
      this.group();
      this.asked();
      untracked(() => this.loadRecords());
    });
    effect(() => {
      const id = this.shownRecord();
      if (id !== null) untracked(() => this.store.dispatch(failuresActions.recordOpened({ id })));
    });
    inject(Actions)
      .pipe(ofType(failuresActions.waived), takeUntilDestroyed())
      .subscribe(() => {
        this.ask({ record: null });
        this.again();
      });
    // When a replay ends, everything shown may have changed.
    effect(() => {
      if (this.replay()?.outcome) untracked(() => this.again());
    });
    inject(DestroyRef).onDestroy(() => this.store.dispatch(failuresActions.left()));
  }

  protected loadRecords(): void {
    const g = this.group();
    if (g === null) return;
    const group = { mapping: g.mapping, line: g.line, cause: g.cause };
    this.store.dispatch(failuresActions.groupOpened({ group, asked: this.asked() }));
  }
  protected again(): void {
    this.store.dispatch(failuresActions.opened({ asked: this.asked() }));
    this.store.dispatch(mappingsActions.opened());
    const id = this.shownRecord();
    if (id !== null) this.store.dispatch(failuresActions.recordOpened({ id }));
  }
  protected ask(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected groupParams(g: CauseGroup): Record<string, string | null> {
    return { mapping: g.mapping, line: g.line, cause: g.cause, record: null };
  }
  protected sameGroup(g: CauseGroup): boolean {
    const now = this.group();
    return now?.mapping === g.mapping && now.line === g.line && now.cause === g.cause;
  }
  /** The record stays in view, so that its outcome is seen where it was sent. */
  private keepRecord(): void {
    this.asking.set(false);
    if (this.shownRecord() !== null) this.ask({ record: this.shownRecord() });
  }
  protected replayGroup(): void {
    const g = this.group()!;
    this.keepRecord();
    this.store.dispatch(
      failuresActions.replay({ replay: { mapping: g.mapping, cause: g.cause, line: g.line }, count: g.count }),
    );
  }
  /** These records, or without any all of the group. */
  protected waive(ids: readonly number[] | null, reason: string): void {
    this.waiving.set(null);
    const g = this.group();
    const which = ids === null ? { mapping: g!.mapping, cause: g!.cause, line: g!.line } : { ids: [...ids] };
    this.store.dispatch(
      failuresActions.waive({ waive: { ...which, reason: reason.trim() }, count: ids?.length ?? g!.count }),
    );
  }
  protected replayChosen(): void {
    const ids = this.chosenIds();
    this.keepRecord();
    this.chosen.set(new Set());
    this.store.dispatch(failuresActions.replay({ replay: { ids }, count: ids.length }));
  }
  protected further(): void {
    this.store.dispatch(failuresActions.moreAsked());
  }
  protected replayOne(id: number): void {
    this.keepRecord();
    this.store.dispatch(failuresActions.replay({ replay: { ids: [id] }, count: 1 }));
  }
}
