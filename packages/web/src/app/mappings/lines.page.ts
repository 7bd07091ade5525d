import { ChangeDetectionStrategy, Component, computed, inject, input, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { LineOfAll } from '@versicle/contract';
import { LINE_STATES } from '@versicle/core';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import type { Loadable } from '../shared/loadable';
import { SELECT } from '../shared/select';
import { StateComponent } from '../shared/states.component';
import { capital, FigurePipe, FullTimePipe, inWords, shortDay } from '../shared/words';
import { giveCsv } from '../shared/csv-file';
import { mappingsActions, mappingsFeature } from './mappings.feature';

/** What the template says in one case or another. */
const PHRASES = {
  mappings: $localize`Mappings`,
  somebody: $localize`somebody`,
  failedRecordsOnLine: $localize` failed records on line `,
  of: $localize` of `,
};

/** The lines of all mappings together: what is agreed, what waits for whom, target by target. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CrumbsComponent,
    FormsModule,
    RouterLink,
    SELECT,
    CellDirective,
    ListComponent,
    StateComponent,
    FigurePipe,
    FullTimePipe,
  ],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: phrases.mappings, to: '/mappings' }]" />
      <vs-list
        heading="All lines"
        i18n-heading
        [sentence]="summary()"
        finds="Find in all lines"
        i18n-finds
        none="There is no mapping yet, so there are no lines."
        i18n-none
        [of]="meeting()"
        [columns]="columns"
        [key]="id"
        [group]="target"
        [alsoFound]="alsoFound"
        [filtered]="!!state()"
        (again)="open()"
      >
        <nz-select
          filter
          [ngModel]="state() ?? 'all'"
          (ngModelChange)="ask({ state: $event === 'all' ? null : $event })"
          aria-label="State of the lines"
          i18n-aria-label
          nzId="lines-state"
        >
          <nz-option nzValue="all" nzLabel="all states" i18n-nzLabel />
          @for (s of states; track s) {
            <nz-option [nzValue]="s" [nzLabel]="s" />
          }
          <nz-option nzValue="asked" nzLabel="open questions" i18n-nzLabel />
          <nz-option nzValue="failing" nzLabel="with failed records" i18n-nzLabel />
        </nz-select>
        <button i18n action type="button" class="btn" [disabled]="found().length === 0" (click)="print()">Print</button>
        <button i18n action type="button" class="btn" [disabled]="found().length === 0" (click)="download()">
          Download as CSV
        </button>
        <ng-template vsCell="field" [like]="meeting()" let-l>
          {{ l.label }}
          @if (l.key) {
            <span i18n class="dim">key</span>
          } @else if (l.required) {
            <span title="required" i18n-title aria-label="required" i18n-aria-label>*</span>
          }
        </ng-template>
        <ng-template vsCell="type" [like]="meeting()" let-l
          ><code class="dim">{{ l.type }}</code></ng-template
        >
        <ng-template vsCell="filled" [like]="meeting()" let-l
          ><code>{{ filledBy(l) }}</code></ng-template
        >
        <ng-template vsCell="state" [like]="meeting()" let-l><vs-state [state]="l.state" /></ng-template>
        <ng-template vsCell="by" [like]="meeting()" let-l>
          @if (l.questions > 0) {
            <span class="rub">{{ l.waitsFor.join(', ') || phrases.somebody }}</span>
          } @else if (l.stateBy) {
            <span class="soft" [title]="l.stateAt | fullTime">{{ l.stateBy }}, {{ day(l.stateAt!) }}</span>
          }
        </ng-template>
        <ng-template vsCell="failed" [like]="meeting()" let-l>
          @if (l.failures > 0) {
            <a
              class="rub"
              routerLink="/failures"
              [queryParams]="{ mapping: l.mapping, line: l.line }"
              [attr.aria-label]="l.failures + phrases.failedRecordsOnLine + l.number + phrases.of + l.name"
              >{{ l.failures | figure }}</a
            >
          }
        </ng-template>
        <ng-template vsCell="line" [like]="meeting()" let-l
          ><a [routerLink]="['/mappings', l.mapping]" [queryParams]="{ line: l.line }"
            >{{ l.name }}, {{ l.number }}</a
          ></ng-template
        >
      </vs-list>
    </div>
  `,
  styles: `
    nz-select {
      width: 168px;
    }
  `,
})
export class LinesPage {
  protected readonly phrases = PHRASES;
  readonly state = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly states = LINE_STATES;
  protected readonly day = shortDay;
  private readonly lines = this.store.selectSignal(mappingsFeature.selectLines);
  /** Lines that meet the chosen state. */
  protected readonly meeting = computed((): Loadable<readonly LineOfAll[]> => {
    const lines = this.lines();
    const wanted = this.state();
    const meets = (l: LineOfAll): boolean =>
      !wanted || (wanted === 'asked' ? l.questions > 0 : wanted === 'failing' ? l.failures > 0 : l.state === wanted);
    return { ...lines, value: lines.value?.filter(meets) ?? null };
  });
  protected readonly id = (l: LineOfAll): string => `${l.mapping} ${l.line}`;
  protected readonly target = (l: LineOfAll): string => l.target;
  protected readonly alsoFound = (l: LineOfAll): string => `${l.target} ${l.field} ${l.waitsFor.join(' ')}`;
  protected readonly filledBy = (l: LineOfAll): string =>
    l.source && l.how !== 'straight' ? `${l.source} · ${l.how}` : l.source || l.how;
  protected readonly columns: readonly Column<LineOfAll>[] = [
    { key: 'field', title: $localize`Field`, sign: 'target', class: 'nowrap', value: (l) => l.label },
    { key: 'type', title: $localize`Type`, value: (l) => l.type },
    { key: 'filled', title: $localize`Filled by`, sign: 'source', class: 'short whole-on-paper', value: this.filledBy },
    { key: 'state', title: $localize`State`, value: (l) => l.state },
    {
      key: 'by',
      title: $localize`By, or waits for`,
      value: (l) => (l.questions > 0 ? l.waitsFor.join(', ') : l.stateBy),
    },
    { key: 'failed', title: $localize`Failed`, figures: true, value: (l) => l.failures },
    { key: 'line', title: $localize`Mapping, line`, class: 'nowrap', value: (l) => `${l.name}, ${l.number}` },
  ];
  private readonly list = viewChild<ListComponent<LineOfAll>>(ListComponent);
  /** What the list shows and paper and file take: found, filtered and sorted. */
  protected readonly found = computed(() => this.list()?.found() ?? []);
  protected readonly summary = computed(() => {
    const all = this.lines().value;
    if (all === null) return '';
    const found = this.found();
    const count = (meets: (l: LineOfAll) => boolean): number => found.filter(meets).length;
    const targets = new Set(found.map((l) => l.target)).size;
    const agreed = count((l) => l.state === 'agreed');
    const asked = found.reduce((sum, l) => sum + l.questions, 0);
    if (found.length === 0)
      return all.length === 0 ? $localize`There is no mapping yet.` : $localize`No line is like that.`;
    return $localize`${capital(inWords(found.length, $localize`line`, $localize`lines`))} of ${inWords(targets, $localize`target`, $localize`targets`)}\: ${inWords(agreed, $localize`line`, $localize`lines`)} agreed, ${inWords(
      count((l) => l.state === 'to map'),
      $localize`line`,
      $localize`lines`,
    )} to map, ${inWords(asked, $localize`question`, $localize`questions`)} open.`;
  });

  protected print(): void {
    window.print();
  }

  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(mappingsActions.linesOpened());
  }
  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected download(): void {
    const header =
      'Target,Field,Label,Type,Required,Key,Source,How,State,State by,State since,Open questions,Waits for,Failed records,Mapping,Line';
    const rows = this.found().map((l) => [
      l.target,
      l.field,
      l.label,
      l.type,
      l.required ? $localize`yes` : $localize`no`,
      l.key ? $localize`yes` : $localize`no`,
      l.source,
      l.how,
      l.state,
      l.stateBy ?? '',
      l.stateAt ?? '',
      l.questions,
      l.waitsFor.join('; '),
      l.failures,
      l.name,
      l.number,
    ]);
    giveCsv('all-lines.csv', [header.split(','), ...rows]);
  }
}
