import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { RunsAsked, RunSummary } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { SELECT } from '../shared/select';
import { StateComponent } from '../shared/states.component';
import { durationWords, figure, FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { runsActions, runsFeature } from './runs.feature';

const STATES = ['queued', 'running', 'finished', 'cancelled', 'stopped', 'broken', 'asks', 'paused'] as const;

/** How long a run took, in milliseconds; up to now for one that goes on. */
const took = (r: RunSummary): number | null =>
  r.startedAt === null
    ? null
    : (r.finishedAt === null ? Date.now() : Date.parse(r.finishedAt)) - Date.parse(r.startedAt);

/** Every execution of a plan; the server finds, sorts and gives them page by page. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    FormsModule,
    SELECT,
    CellDirective,
    ListComponent,
    StateComponent,
    FigurePipe,
    FullTimePipe,
    TimePipe,
  ],
  template: `
    <div class="page">
      <vs-list
        heading="Runs"
        i18n-heading
        sentence="Every execution of a plan, the newest first. A replay sends failed records again."
        i18n-sentence
        finds="Find a run"
        i18n-finds
        none="Nothing has run yet. Publish a mapping, make a plan of it and start it: what it reads, leaves out, delivers and what fails is shown here."
        i18n-none
        [of]="runs()"
        [columns]="columns"
        [key]="id"
        served
        [more]="more()"
        [filtered]="asked().state !== undefined"
        (again)="open()"
        (moreAsked)="further()"
      >
        <nz-select
          filter
          class="state"
          [ngModel]="asked().state ?? 'any'"
          (ngModelChange)="ask({ state: $event === 'any' ? null : $event })"
          aria-label="State of the run"
          i18n-aria-label
          nzId="state"
        >
          <nz-option nzValue="any" nzLabel="in any state" i18n-nzLabel />
          @for (s of states; track s) {
            <nz-option [nzValue]="s" [nzLabel]="s" />
          }
        </nz-select>
        <a i18n action class="btn quiet" routerLink="/runs/volume">Volume</a>
        <ng-template vsCell="id" [like]="runs()" let-r
          ><a class="mono" [routerLink]="['/runs', r.id]">{{ r.id }}</a></ng-template
        >
        <ng-template vsCell="plan" [like]="runs()" let-r
          ><a [routerLink]="['/runs', r.id]">{{ r.planName }}</a></ng-template
        >
        <ng-template vsCell="what" [like]="runs()" let-r>{{ what(r) }}</ng-template>
        <ng-template vsCell="state" [like]="runs()" let-r><vs-state [state]="r.state" /></ng-template>
        <ng-template vsCell="failed" [like]="runs()" let-r
          ><a routerLink="/failures" [queryParams]="{ run: r.id, state: 'any' }">{{
            r.counts.failed | figure
          }}</a></ng-template
        >
        <ng-template vsCell="began" [like]="runs()" let-r
          ><span [title]="r.startedAt | fullTime">{{ r.startedAt | time }}</span></ng-template
        >
        <ng-template vsCell="took" [like]="runs()" let-r>{{ tookWords(r) }}</ng-template>
      </vs-list>
    </div>
  `,
  styles: `
    .state {
      width: 140px;
    }
  `,
})
export class RunsPage {
  readonly search = input<string | undefined>();
  readonly state = input<string | undefined>();
  readonly sort = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly states = STATES;
  protected readonly runs = this.store.selectSignal(runsFeature.selectRuns);
  protected readonly more = this.store.selectSignal(runsFeature.selectMore);
  protected readonly id = (r: RunSummary): number => r.id;
  protected readonly what = ({ kind, mapping, rowLimit, revision }: RunSummary): string => {
    const few = rowLimit === null ? null : $localize`first ${figure(rowLimit)}`;
    if (kind === 'replay') return $localize`replay, revision ${revision}`;
    if (mapping === null) return few === null ? $localize`the whole plan` : $localize`${few} of each step`;
    return $localize`${few ?? $localize`all records`}, revision ${revision}`;
  };
  protected readonly columns: readonly Column<RunSummary>[] = [
    { key: 'id', title: $localize`Run`, value: (r) => r.id },
    { key: 'plan', title: $localize`Plan`, class: 'name', value: (r) => r.planName },
    { key: 'what', title: $localize`What`, class: 'soft' },
    { key: 'state', title: $localize`State`, value: (r) => r.state },
    { key: 'read', title: $localize`Read`, figures: true, value: (r) => r.counts.read },
    { key: 'delivered', title: $localize`Delivered`, figures: true, value: (r) => r.counts.delivered },
    { key: 'failed', title: $localize`Failed`, figures: true, value: (r) => r.counts.failed },
    { key: 'began', title: $localize`Began`, figures: true, value: (r) => r.startedAt },
    { key: 'took', title: $localize`Took`, figures: true, value: took },
  ];
  protected readonly asked = computed(
    (): RunsAsked => ({
      search: this.search() || undefined,
      state: STATES.find((s) => s === this.state()),
      sort: this.sort() || undefined,
    }),
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );

  constructor() {
    effect(() => {
      this.asked();
      untracked(() => this.open());
    });
  }
  protected open(): void {
    this.store.dispatch(runsActions.opened({ asked: this.asked() }));
  }
  protected further(): void {
    this.store.dispatch(runsActions.moreAsked());
  }
  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected tookWords(run: RunSummary): string {
    const millis = took(run);
    return millis === null ? '' : durationWords(millis);
  }
}
