import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { figure } from '../shared/words';
import type { ReplayState } from './failures.feature';

/** What became of a replay; it stays on the page. */
@Component({
  selector: 'vs-replay',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="replay" [class.bad]="of().problem" role="status">
      {{ words() }}
      @if (of().run; as run) {
        <a i18n [routerLink]="['/runs', run]">Run {{ run }}</a>
      }
    </div>
  `,
  styles: `
    .replay {
      border-left: 3px solid var(--done);
      background: var(--done-wash);
      padding: 8px 12px;
      margin-bottom: 12px;
      font: 14.4px/1.45 var(--serif);
    }
    .replay.bad {
      border-color: var(--rubric);
      background: var(--rubric-wash);
    }
  `,
})
export class ReplayComponent {
  readonly of = input.required<ReplayState>();
  protected readonly words = computed(() => {
    const { count, outcome, problem } = this.of();
    const records = `${figure(count)} ${count === 1 ? $localize`record` : $localize`records`}`;
    if (problem) return problem;
    if (!outcome) return $localize`Sending ${records} again …`;
    if (outcome.state !== 'finished')
      return $localize`The replay of ${records} ${outcome.state === 'broken' ? $localize`broke off: ${outcome.error}` : $localize`was ${outcome.state}`}.`;
    const { delivered, failed, skipped, filtered } = outcome.counts;
    const parts = [$localize`${figure(delivered)} delivered`];
    if (failed > 0) parts.push($localize`${figure(failed)} failed again`);
    if (skipped + filtered > 0) parts.push($localize`${figure(skipped + filtered)} left out by the document now`);
    return $localize`Sent ${records} again through revision ${outcome.revision}\: ${parts.join(', ')}.`;
  });
}
