import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const LINES: Record<string, string> = { agreed: 'full', drafted: 'half', question: 'round rubric', 'to map': 'dashed' };
const RUNS: Record<string, string> = {
  queued: 'dashed',
  running: 'going',
  finished: 'full',
  cancelled: '',
  stopped: 'round rubric',
  broken: 'round rubric',
  asks: 'round rubric',
  paused: 'half',
  'left out': 'dashed',
};
const RECORDS: Record<string, string> = {
  open: 'round rubric',
  replaying: 'going',
  delivered: 'full',
  closed: 'half',
  waived: 'half',
  remark: 'dashed',
};

/** States of runs and records in words. Those of lines are words of the document, the same wherever it is read. */
const WORDS: Record<string, string> = {
  queued: $localize`queued`,
  running: $localize`running`,
  finished: $localize`finished`,
  cancelled: $localize`cancelled`,
  stopped: $localize`stopped`,
  broken: $localize`broken`,
  asks: $localize`asks`,
  paused: $localize`paused`,
  'left out': $localize`left out`,
  open: $localize`open`,
  replaying: $localize`replaying`,
  delivered: $localize`delivered`,
  closed: $localize`closed`,
  waived: $localize`waived`,
  remark: $localize`remark`,
};

/** A state: always a word with its shape. */
@Component({
  selector: 'vs-state',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<i class="shape {{ shape() }}"></i><span [class.rub]="shape().includes('rubric')">{{ words() }}</span>`,
  styles: `
    :host {
      color: var(--ink-2);
      white-space: nowrap;
    }
  `,
})
export class StateComponent {
  readonly state = input.required<string>();
  protected readonly words = computed(() => WORDS[this.state()] ?? this.state());
  protected readonly shape = computed(() => LINES[this.state()] ?? RUNS[this.state()] ?? RECORDS[this.state()] ?? '');
}
