import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { RunCounts } from '@versicle/contract';
import { figure } from '../shared/words';

const PARTS = [
  ['filtered', $localize`filtered out`],
  ['skipped', $localize`skipped`],
  ['unchanged', $localize`unchanged`],
  ['unmatched', $localize`taken by none`],
  ['delivered', $localize`delivered`],
  ['failed', $localize`failed`],
  ['waiting', $localize`waiting`],
] as const;
/** Said only where there are any. */
const SELDOM: ReadonlySet<string> = new Set(['unchanged', 'unmatched', 'waiting']);

/** What the template says in one case or another. */
const PHRASES = {
  itAddsUp: $localize`· it adds up`,
  itDoesNotAdd: $localize`· it does not add up`,
};

/** What became of what was read: a proportional band that adds up, and the sum as a sentence. */
@Component({
  selector: 'vs-band',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="band" aria-hidden="true">
      @for (part of parts(); track part.key) {
        @if (part.n > 0) {
          <div [class]="part.key" [style.flex-grow]="part.n" [title]="part.text + ' ' + part.words"></div>
        }
      }
    </div>
    <p class="sum">
      <span i18n
        ><b>{{ read() }}</b> read</span
      ><i>=</i>
      @for (part of parts(); track part.key; let last = $last) {
        <span [class.rub]="part.key === 'failed' && part.n > 0"
          ><b>{{ part.text }}</b> {{ part.words }}</span
        >
        @if (!last) {
          <i>+</i>
        }
      }
      <i>{{ addsUp() ? phrases.itAddsUp : phrases.itDoesNotAdd }}{{ remarks() }}</i>
    </p>
  `,
  styles: `
    .band {
      display: flex;
      height: 34px;
      margin: 6px 0 4px;
      gap: 2px;
    }
    .band div {
      min-width: 5px;
      height: 34px;
    }
    .filtered {
      background: repeating-linear-gradient(90deg, var(--line) 0 1px, transparent 1px 5px);
      outline: 1px solid var(--line);
      outline-offset: -1px;
    }
    .skipped {
      background: var(--line);
    }
    .unchanged {
      background: repeating-linear-gradient(0deg, var(--ink-3) 0 1px, transparent 1px 4px);
      outline: 1px solid var(--ink-3);
      outline-offset: -1px;
    }
    .unmatched {
      background: var(--paper);
      outline: 1px solid var(--ink-3);
      outline-offset: -1px;
    }
    .waiting {
      background: repeating-linear-gradient(0deg, var(--line) 0 2px, transparent 2px 6px);
      outline: 1px dashed var(--ink-3);
      outline-offset: -1px;
    }
    .delivered {
      background: var(--ink-2);
    }
    .failed {
      background: repeating-linear-gradient(135deg, var(--rubric) 0 3px, transparent 3px 5px);
      outline: 1px solid var(--rubric);
      outline-offset: -1px;
    }
    .sum {
      display: flex;
      align-items: baseline;
      gap: 9px;
      flex-wrap: wrap;
      font: 15.2px/1.5 var(--serif);
    }
    .sum b {
      font: 600 14.6px var(--mono);
    }
    .sum i {
      font-style: normal;
      color: var(--ink-3);
    }
  `,
})
export class BandComponent {
  protected readonly phrases = PHRASES;
  readonly counts = input.required<RunCounts>();
  /** What became of the records that passed. */
  readonly words = input($localize`delivered`);
  protected readonly read = computed(() => figure(this.counts().read));
  protected readonly parts = computed(() =>
    PARTS.filter(([key]) => !SELDOM.has(key) || this.counts()[key] > 0).map(([key, words]) => ({
      key,
      words: key === 'delivered' ? this.words() : words,
      n: this.counts()[key],
      text: figure(this.counts()[key]),
    })),
  );
  protected readonly addsUp = computed(() => this.counts().read === this.parts().reduce((sum, p) => sum + p.n, 0));
  protected readonly remarks = computed(() => {
    const { remarks } = this.counts();
    return remarks === 0
      ? ''
      : $localize`; ${figure(remarks)} ${remarks === 1 ? $localize`remark` : $localize`remarks`} besides`;
  });
}
