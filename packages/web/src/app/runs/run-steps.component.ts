import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { RunStep, RunSummary } from '@versicle/contract';
import { StateComponent } from '../shared/states.component';
import { durationWords, FigurePipe } from '../shared/words';

/** What the template says in one case or another. */
const PHRASES = {
  notBegun: $localize`not begun`,
  waitsForTheSteps: $localize`waits for the steps before it`,
};

/** The steps of a run as the plan says them, each with what has become of it. */
@Component({
  selector: 'vs-run-steps',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigurePipe, RouterLink, StateComponent],
  template: `
    <table aria-label="Steps" i18n-aria-label>
      <thead>
        <tr>
          <th i18n>Step</th>
          <th i18n>State</th>
          <th i18n class="n">Read</th>
          @if (leaves()) {
            <th i18n class="n">Left out</th>
          }
          <th i18n class="n">Unchanged</th>
          @if (shares()) {
            <th i18n class="n">To none</th>
          }
          <th i18n class="n">Delivered</th>
          <th i18n class="n">Failed</th>
          <th i18n class="n">Waiting</th>
          <th i18n class="n">Took</th>
        </tr>
      </thead>
      <tbody>
        @for (s of steps(); track s.id + s.depth) {
          @if (s.runs.length === 0) {
            <tr>
              <td [style.padding-left.px]="s.depth * 20">
                <span class="words soft">{{ s.words }}</span>
              </td>
              <td [attr.colspan]="wide() - 1" class="dim">
                {{ over() ? phrases.notBegun : phrases.waitsForTheSteps }}
              </td>
            </tr>
          }
          @for (r of s.runs; track r.id; let i = $index) {
            <tr>
              <td [style.padding-left.px]="s.depth * 20">
                <a class="words" [routerLink]="['/runs', r.id]">{{ s.words }}</a>
                @if (s.runs.length > 1) {
                  <span class="dim">{{ i + 1 }}</span>
                }
              </td>
              <td><vs-state [state]="r.state" /></td>
              <td class="n">{{ moves(r) ? (r.counts.read | figure) : '' }}</td>
              @if (leaves()) {
                <td class="n" title="by a filter or a skip" i18n-title>
                  {{ moves(r) ? (r.counts.filtered + r.counts.skipped | figure) : '' }}
                </td>
              }
              <td class="n">{{ moves(r) ? (r.counts.unchanged | figure) : '' }}</td>
              @if (shares()) {
                <td class="n">
                  @if (r.counts.unmatched > 0) {
                    <a [routerLink]="['/runs', r.id]">{{ r.counts.unmatched | figure }}</a>
                  }
                </td>
              }
              <td class="n">{{ moves(r) ? (r.counts.delivered | figure) : '' }}</td>
              <td class="n" [class.rub]="r.counts.failed > 0">{{ moves(r) ? (r.counts.failed | figure) : '' }}</td>
              <td class="n">{{ moves(r) ? (r.counts.waiting | figure) : '' }}</td>
              <td class="n dim">{{ took(r) }}</td>
            </tr>
            @if (r.error && r.state !== 'finished') {
              <tr class="why">
                <td [attr.colspan]="wide()" class="rub" [style.padding-left.px]="s.depth * 20">
                  {{ r.error }}
                </td>
              </tr>
            }
          }
        }
      </tbody>
    </table>
  `,
  styles: `
    table {
      width: 100%;
      border-collapse: collapse;
      margin: 0 0 16px;
    }
    th {
      text-align: left;
      font: 600 12px var(--sans);
      color: var(--ink-3);
      padding: 3px 8px 3px 0;
      border-bottom: 1px solid var(--line);
    }
    td {
      padding: 5px 8px 5px 0;
      border-bottom: 1px solid var(--hair);
      vertical-align: baseline;
    }
    .words {
      font: 14.4px/1.4 var(--serif);
    }
    .n {
      text-align: right;
      font-family: var(--mono);
      font-size: 12.6px;
      width: 84px;
    }
    th.n {
      font-family: var(--sans);
    }
    .why td {
      border-top: 0;
      font-size: 13px;
    }
  `,
})
export class RunStepsComponent {
  protected readonly phrases = PHRASES;
  readonly steps = input.required<readonly RunStep[]>();
  /** Whether records are shared out in it, so that some may be taken by none. */
  protected readonly shares = computed(() => this.steps().some((s) => s.runs.some((r) => r.counts.unmatched > 0)));
  /** Whether filters or skips leave some out. */
  protected readonly leaves = computed(() =>
    this.steps().some((s) => s.runs.some((r) => r.counts.filtered + r.counts.skipped > 0)),
  );
  protected readonly wide = computed(() => 8 + Number(this.shares()) + Number(this.leaves()));
  /** The whole run has ended: what was not begun never will be. */
  readonly over = input(false);
  protected moves(r: RunSummary): boolean {
    return r.mapping !== null || r.counts.read > 0;
  }
  protected took(r: RunSummary): string {
    if (r.startedAt === null) return '';
    const end = r.finishedAt === null ? Date.now() : Date.parse(r.finishedAt);
    return durationWords(Math.max(1, end - Date.parse(r.startedAt)));
  }
}
