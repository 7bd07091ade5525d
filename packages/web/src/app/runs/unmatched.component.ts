import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { UnmatchedRecords } from '@versicle/contract';
import { Api, type ServerProblem } from '../shared/api';
import { FigurePipe } from '../shared/words';

/** Columns of the records that stand beside one another. */
const COLUMNS = 6;

/** The records that none of those took among which a run shared them out; they may be shared out once more. */
@Component({
  selector: 'vs-unmatched',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigurePipe, RouterLink],
  template: `
    @if (found(); as f) {
      @if (f.all > 0) {
        <h2 i18n>
          Taken by none <small>{{ f.all | figure }} of the records that were shared out</small>
        </h2>
        @if (f.open > 0) {
          <p class="do">
            <button i18n type="button" class="btn" [disabled]="busy() || !over()" (click)="again()">
              Share {{ f.open | figure }} out again
            </button>
            <span i18n class="soft"
              >by the conditions that <a [routerLink]="['/plans', plan()]">the plan</a> has now</span
            >
          </p>
        }
        @if (problem()) {
          <p class="rub" role="alert">{{ problem() }}</p>
        }
        <div class="scroll" tabindex="0" role="region" aria-label="Records taken by none" i18n-aria-label>
          <table>
            <thead>
              <tr>
                <th i18n class="n">Row</th>
                @for (name of columns(); track name) {
                  <th>{{ name }}</th>
                }
                <th i18n>Why</th>
              </tr>
            </thead>
            <tbody>
              @for (r of f.records; track $index) {
                <tr>
                  <td class="n mono">{{ r.row | figure }}</td>
                  @for (name of columns(); track name) {
                    <td class="mono cell" [title]="r.source[name] ?? ''">{{ r.source[name] ?? '' }}</td>
                  }
                  <td class="why">
                    {{ r.why }}
                    @if (r.sharedBy !== null) {
                      <a i18n [routerLink]="['/runs', r.sharedBy]">shared out again by run {{ r.sharedBy }}</a>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </div>
        @if (f.all > f.records.length) {
          <p i18n class="soft">The first {{ f.records.length | figure }} are shown.</p>
        }
      }
    }
  `,
  styles: `
    .do {
      display: flex;
      align-items: center;
      gap: 10px;
    }
    .scroll {
      overflow: auto;
      max-height: 320px;
    }
    table {
      width: 100%;
      border-collapse: collapse;
    }
    th {
      text-align: left;
      font: 600 12px var(--sans);
      color: var(--ink-2);
    }
    th,
    td {
      padding: 3px 14px 3px 0;
      vertical-align: top;
    }
    td {
      border-top: 1px solid var(--hair);
    }
    .n {
      text-align: right;
    }
    .cell {
      max-width: 200px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .why {
      min-width: 220px;
      color: var(--ink-2);
    }
  `,
})
export class UnmatchedComponent {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  readonly run = input.required<number>();
  readonly plan = input.required<string>();
  readonly over = input.required<boolean>();
  /** How many there are by now: when that changes, or the run ends, they are asked for again. */
  readonly count = input.required<number>();
  protected readonly found = signal<UnmatchedRecords | null>(null);
  protected readonly problem = signal('');
  protected readonly busy = signal(false);
  protected readonly columns = computed(() => {
    const names = new Set((this.found()?.records ?? []).flatMap((r) => Object.keys(r.source)));
    return [...names].slice(0, COLUMNS);
  });

  constructor() {
    effect((onCleanup) => {
      this.count();
      this.over();
      const asked = this.api.call('listUnmatched', { params: { id: this.run() } }).subscribe({
        next: (found) => this.found.set(found),
        error: (error: ServerProblem) => this.problem.set(error.message),
      });
      // What is on its way still may be older than what holds now.
      onCleanup(() => asked.unsubscribe());
    });
  }
  protected again(): void {
    this.busy.set(true);
    this.api.call('shareAgain', { params: { id: this.run() } }).subscribe({
      next: ({ run }) => void this.router.navigate(['/runs', run]),
      error: (error: ServerProblem) => {
        this.busy.set(false);
        this.problem.set(error.message);
      },
    });
  }
}
