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

/** A state: always a word with its shape. */
@Component({
  selector: 'vs-state',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<i class="shape {{ shape() }}"></i><span [class.rub]="shape().includes('rubric')">{{ state() }}</span>`,
  styles: `
    :host {
      color: var(--ink-2);
      white-space: nowrap;
    }
  `,
})
export class StateComponent {
  readonly state = input.required<string>();
  protected readonly shape = computed(() => LINES[this.state()] ?? RUNS[this.state()] ?? RECORDS[this.state()] ?? '');
}
