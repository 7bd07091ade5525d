import { ApplicationRef, ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { LineOfAll } from '@versicle/contract';
import { LINE_STATES } from '@versicle/core';
import { LoadingComponent } from '../shared/loading.component';
import { SELECT } from '../shared/select';
import { SignComponent } from '../shared/signs.component';
import { StateComponent } from '../shared/states.component';
import { capital, FigurePipe, FullTimePipe, inWords, shortDay } from '../shared/words';
import { harmlessCsv } from './harmless-csv';
import { mappingsActions, mappingsFeature } from './mappings.feature';

/** Lines that are drawn at once; finding and filtering looks at all. */
const DRAWN = 500;

/** The lines of all mappings together: what is agreed, what waits for whom, target by target. */
@Component({
  host: { '(window:beforeprint)': 'beforePrint()', '(window:afterprint)': 'printing.set(false)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CrumbsComponent,
    FormsModule,
    RouterLink,
    SELECT,
    LoadingComponent,
    SignComponent,
    StateComponent,
    FigurePipe,
    FullTimePipe,
  ],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: 'Mappings', to: '/mappings' }]" />
      <div class="top">
        <h1>All lines</h1>
        <span class="grow"></span>
        <nz-select
          [ngModel]="state() ?? 'all'"
          (ngModelChange)="ask({ state: $event === 'all' ? null : $event })"
          aria-label="State of the lines"
          nzId="lines-state"
        >
          <nz-option nzValue="all" nzLabel="all states" />
          @for (s of states; track s) {
            <nz-option [nzValue]="s" [nzLabel]="s" />
          }
          <nz-option nzValue="asked" nzLabel="open questions" />
          <nz-option nzValue="failing" nzLabel="with failed records" />
        </nz-select>
        <input
          class="input find"
          type="search"
          aria-label="Find in all lines"
          placeholder="Find in all lines"
          [value]="search() ?? ''"
          (input)="ask({ search: $any($event.target).value || null })"
        />
        <button type="button" class="btn" [disabled]="found().length === 0" (click)="print()">Print</button>
        <button type="button" class="btn" [disabled]="found().length === 0" (click)="download()">
          Download as CSV
        </button>
      </div>
      <p class="sub">{{ summary() }}</p>
      <vs-loading [of]="lines()" (again)="open()" />
      @if (found().length > 0) {
        <table class="rows">
          <thead>
            <tr>
              <th scope="col"><vs-sign of="target" [size]="13" /> Field</th>
              <th scope="col">Type</th>
              <th scope="col"><vs-sign of="source" [size]="13" /> Filled by</th>
              <th scope="col">State</th>
              <th scope="col">By, or waits for</th>
              <th scope="col" class="n">Failed</th>
              <th scope="col">Mapping, line</th>
            </tr>
          </thead>
          <tbody>
            @for (item of drawn(); track item.line.mapping + ' ' + item.line.line) {
              @if (item.begins) {
                <tr class="target">
                  <td colspan="7">
                    <b>{{ item.line.target }}</b>
                  </td>
                </tr>
              }
              @if (item.line; as l) {
                <tr>
                  <td>
                    {{ l.label }}
                    @if (l.key) {
                      <span class="dim">key</span>
                    } @else if (l.required) {
                      <span title="required" aria-label="required">*</span>
                    }
                  </td>
                  <td>
                    <code class="dim">{{ l.type }}</code>
                  </td>
                  <td class="how">
                    <code>{{ l.source && l.how !== 'straight' ? l.source + ' · ' + l.how : l.source || l.how }}</code>
                  </td>
                  <td><vs-state [state]="l.state" /></td>
                  <td [class.rub]="l.questions > 0">
                    @if (l.questions > 0) {
                      {{ l.waitsFor.join(', ') || 'somebody' }}
                    } @else if (l.stateBy) {
                      <span class="soft" [title]="l.stateAt | fullTime">{{ l.stateBy }}, {{ day(l.stateAt!) }}</span>
                    }
                  </td>
                  <td class="n" [class.rub]="l.failures > 0">
                    @if (l.failures > 0) {
                      <a
                        routerLink="/failures"
                        [queryParams]="{ mapping: l.mapping, line: l.line }"
                        [attr.aria-label]="l.failures + ' failed records on line ' + l.number + ' of ' + l.name"
                        >{{ l.failures | figure }}</a
                      >
                    }
                  </td>
                  <td class="mapping">
                    <a [routerLink]="['/mappings', l.mapping]" [queryParams]="{ line: l.line }"
                      >{{ l.name }}, {{ l.number }}</a
                    >
                  </td>
                </tr>
              }
            }
          </tbody>
        </table>
        @if (found().length > drawn().length) {
          <p class="soft">
            The first {{ drawn().length | figure }} are shown; find or filter to see the others, or download them all.
          </p>
        }
      }
    </div>
  `,
  styles: `
    nz-select {
      width: 168px;
    }
    .find {
      width: 190px;
    }
    .target td {
      padding-top: 14px;
      font: 14.5px/1.3 var(--serif);
      border-bottom-color: var(--line);
    }
    td:first-child,
    .mapping {
      white-space: nowrap;
    }
    .how {
      max-width: 300px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .target {
      break-after: avoid;
    }
    @media print {
      .how {
        max-width: none;
        width: 40%;
        white-space: normal;
        overflow-wrap: anywhere;
      }
    }
  `,
})
export class LinesPage {
  readonly search = input<string | undefined>();
  readonly state = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly states = LINE_STATES;
  protected readonly day = shortDay;
  protected readonly lines = this.store.selectSignal(mappingsFeature.selectLines);
  protected readonly found = computed(() => {
    const words = (this.search() ?? '').toLowerCase();
    const wanted = this.state();
    const meets = (l: LineOfAll): boolean =>
      !wanted || (wanted === 'asked' ? l.questions > 0 : wanted === 'failing' ? l.failures > 0 : l.state === wanted);
    return (this.lines().value ?? []).filter(
      (l) =>
        meets(l) &&
        `${l.target} ${l.field} ${l.label} ${l.source} ${l.how} ${l.name} ${l.stateBy ?? ''} ${l.waitsFor.join(' ')}`
          .toLowerCase()
          .includes(words),
    );
  });
  protected readonly drawn = computed(() =>
    this.found()
      .slice(0, this.printing() ? undefined : DRAWN)
      .map((line, i, all) => ({ line, begins: line.target !== all[i - 1]?.target })),
  );
  protected readonly summary = computed(() => {
    const all = this.lines().value;
    if (all === null) return '';
    const found = this.found();
    const count = (meets: (l: LineOfAll) => boolean): number => found.filter(meets).length;
    const targets = new Set(found.map((l) => l.target)).size;
    const agreed = count((l) => l.state === 'agreed');
    const asked = found.reduce((sum, l) => sum + l.questions, 0);
    if (found.length === 0) return all.length === 0 ? 'There is no mapping yet.' : 'No line is like that.';
    return `${capital(inWords(found.length, 'line'))} of ${inWords(targets, 'target')}: ${inWords(agreed, 'line')} agreed, ${inWords(
      count((l) => l.state === 'to map'),
      'line',
    )} to map, ${inWords(asked, 'question')} open.`;
  });

  /** Paper takes all of them. */
  protected readonly printing = signal(false);
  private readonly app = inject(ApplicationRef);
  protected beforePrint(): void {
    this.printing.set(true);
    this.app.tick();
  }
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
      l.required ? 'yes' : 'no',
      l.key ? 'yes' : 'no',
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
    const link = document.createElement('a');
    link.href = URL.createObjectURL(
      new Blob(['\ufeff', harmlessCsv([header.split(','), ...rows])], { type: 'text/csv' }),
    );
    link.download = 'all-lines.csv';
    link.click();
    URL.revokeObjectURL(link.href);
  }
}
