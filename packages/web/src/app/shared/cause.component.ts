import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { CauseGroup } from '@versicle/contract';
import { SaidComponent } from './said.component';

/** A cause as a sentence: the line, its field, and what is wrong there. */
@Component({
  selector: 'vs-cause',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SaidComponent],
  template: `
    <span [textContent]="before()"></span>
    @if (group().lineNumber !== null) {
      <i [textContent]="group().label"></i><span [textContent]="': '"></span>
    }
    <vs-said [text]="group().message" />
  `,
  styles: `
    span {
      white-space: pre-wrap;
    }
  `,
})
export class CauseComponent {
  readonly group = input.required<Pick<CauseGroup, 'line' | 'lineNumber' | 'label' | 'message'>>();
  /** Within a sentence it begins with a small letter. */
  readonly within = input(false);
  protected readonly before = computed(() => {
    const { line, lineNumber } = this.group();
    const words = lineNumber !== null ? $localize`Line ${lineNumber} ` : line !== null ? $localize`Check: ` : '';
    return this.within() ? words.toLowerCase() : words;
  });
}
