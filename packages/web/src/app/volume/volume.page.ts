import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { VolumeQuery, VolumeRow } from '@versicle/contract';
import { CrumbsComponent } from '../shared/crumbs.component';
import { giveCsv } from '../shared/csv-file';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';
import { SELECT } from '../shared/select';
import { bytesWords, figure } from '../shared/words';
import { MEASURES, type Measure } from './times';
import { VolumeChartComponent } from './volume-chart.component';
import { volumeActions, volumeFeature } from './volume.feature';

const HEADER = [
  $localize`Time`,
  $localize`Plan`,
  $localize`From`,
  $localize`Into`,
  $localize`Runs`,
  $localize`Read`,
  $localize`Delivered`,
  $localize`Failed`,
  $localize`Bytes read`,
  $localize`Bytes sent`,
  $localize`Requests`,
];

/** What the template says in one case or another. */
const PHRASES = {
  runs: $localize`Runs`,
};

/** How many records, bytes and requests were moved, by month or day, plan and systems. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CellDirective, CrumbsComponent, FormsModule, ListComponent, RouterLink, SELECT, VolumeChartComponent],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: phrases.runs, to: '/runs' }]" />
      <vs-list
        heading="Volume"
        i18n-heading
        [sentence]="sentence()"
        finds="Find a plan or a system"
        i18n-finds
        none="Nothing was moved yet."
        i18n-none
        [of]="rows()"
        [columns]="columns"
        [key]="key"
        (again)="open()"
      >
        <nz-select
          filter
          class="by"
          [ngModel]="asked().by"
          (ngModelChange)="ask({ by: $event === 'month' ? null : $event })"
          aria-label="By day or month"
          i18n-aria-label
          nzId="volume-by"
        >
          <nz-option nzValue="month" nzLabel="by month" i18n-nzLabel />
          <nz-option nzValue="day" nzLabel="by day" i18n-nzLabel />
        </nz-select>
        <nz-select
          filter
          class="measure"
          [ngModel]="shown()"
          (ngModelChange)="ask({ measure: $event === 'delivered' ? null : $event })"
          aria-label="What the chart shows"
          i18n-aria-label
          nzId="volume-measure"
        >
          @for (m of measures; track m[0]) {
            <nz-option [nzValue]="m[0]" [nzLabel]="m[1]" />
          }
        </nz-select>
        <button i18n action type="button" class="btn" [disabled]="!rows().value?.length" (click)="download()">
          Download
        </button>
        @if (drawn(); as volume) {
          <vs-volume-chart above [of]="volume" [measure]="shown()" />
        }
        <ng-template vsCell="plan" [like]="rows()" let-r
          ><a [routerLink]="['/plans', r.plan]">{{ r.planName }}</a></ng-template
        >
        <ng-template vsCell="failed" [like]="rows()" let-r>{{ some(r.failed) }}</ng-template>
        <ng-template vsCell="requests" [like]="rows()" let-r>{{ some(r.requests) }}</ng-template>
        <ng-template vsCell="bytesRead" [like]="rows()" let-r>{{ bytes(r.bytesRead) }}</ng-template>
        <ng-template vsCell="bytesSent" [like]="rows()" let-r>{{ bytes(r.bytesSent) }}</ng-template>
      </vs-list>
    </div>
  `,
  styles: `
    .by {
      width: 110px;
    }
    .measure {
      width: 170px;
    }
  `,
})
export class VolumePage {
  protected readonly phrases = PHRASES;
  readonly by = input<string | undefined>();
  readonly measure = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly loading = this.store.selectSignal(volumeFeature.selectVolume);
  protected readonly rows = computed((): Loadable<readonly VolumeRow[]> => {
    const { state, value, problem } = this.loading();
    const rows = value?.rows ?? null;
    const before = rows === null ? idle<readonly VolumeRow[]>() : loaded<readonly VolumeRow[]>(rows);
    return state === 'loading' ? loading(before) : state === 'failed' ? failed(problem!, before) : before;
  });
  protected readonly drawn = computed(() => (this.rows().value?.length ? this.loading().value : null));
  protected readonly measures = Object.entries(MEASURES) as [Measure, string][];
  protected readonly shown = computed(
    (): Measure => this.measures.find(([m]) => m === this.measure())?.[0] ?? 'delivered',
  );
  protected readonly asked = computed((): VolumeQuery => ({ by: this.by() === 'day' ? 'day' : 'month' }), {
    equal: (a, b) => a.by === b.by,
  });
  protected readonly sentence = computed(() => {
    const span = this.asked().by === 'day' ? $localize`the last 31 days` : $localize`the last twelve months`;
    return $localize`What was moved in ${span}, by plan and by the systems between which it went; days are those of UTC.`;
  });
  protected readonly key = (r: VolumeRow): string => [r.time, r.plan, r.source, r.target].join(' ');
  /** None is left empty, so that what there is stands out. */
  protected readonly some = (n: number): string => (n === 0 ? '' : figure(n));
  protected readonly bytes = (n: number): string => (n === 0 ? '' : bytesWords(n));
  protected readonly columns: readonly Column<VolumeRow>[] = [
    { key: 'time', title: $localize`Time`, class: 'mono nowrap', value: (r) => r.time },
    { key: 'plan', title: $localize`Plan`, class: 'name', value: (r) => r.planName },
    { key: 'source', title: $localize`From`, sign: 'source', value: (r) => r.sourceName || null },
    { key: 'target', title: $localize`Into`, sign: 'target', value: (r) => r.targetName || null },
    { key: 'runs', title: $localize`Runs`, figures: true, value: (r) => r.runs },
    { key: 'read', title: $localize`Read`, figures: true, value: (r) => r.read },
    { key: 'delivered', title: $localize`Delivered`, figures: true, value: (r) => r.delivered },
    { key: 'failed', title: $localize`Failed`, figures: true, value: (r) => r.failed },
    { key: 'bytesRead', title: $localize`Bytes read`, figures: true, value: (r) => r.bytesRead },
    { key: 'bytesSent', title: $localize`Bytes sent`, figures: true, value: (r) => r.bytesSent },
    { key: 'requests', title: $localize`Requests`, figures: true, value: (r) => r.requests },
  ];

  constructor() {
    effect(() => {
      this.asked();
      untracked(() => this.open());
    });
  }
  protected open(): void {
    this.store.dispatch(volumeActions.opened({ asked: this.asked() }));
  }
  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected download(): void {
    const rows = (this.rows().value ?? []).map((r) => [
      r.time,
      r.planName,
      r.sourceName,
      r.targetName,
      r.runs,
      r.read,
      r.delivered,
      r.failed,
      r.bytesRead,
      r.bytesSent,
      r.requests,
    ]);
    giveCsv(`volume-by-${this.asked().by}.csv`, [HEADER, ...rows]);
  }
}
