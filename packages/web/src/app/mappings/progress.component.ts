import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** “13 of 16 agreed” with a meter; red only for questions. */
@Component({
  selector: 'vs-progress',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<span class="words">{{ words() }}</span
    ><span class="meter" aria-hidden="true">
      @for (part of parts(); track part.state) {
        <i [style.width.%]="part.share" [class]="part.look"></i>
      }
    </span>`,
  styles: `
    :host {
      display: inline-flex;
      align-items: center;
      gap: 8px;
      white-space: nowrap;
    }
    .meter {
      width: var(--meter, 130px);
      height: 7px;
      display: flex;
      gap: 1px;
    }
    i {
      display: block;
      height: 7px;
    }
    .agreed {
      background: var(--ink-2);
    }
    .drafted {
      background: var(--line);
    }
    .question {
      background: var(--rubric);
    }
    .tomap {
      background: repeating-linear-gradient(90deg, var(--line) 0 2px, transparent 2px 4px);
    }
  `,
})
export class ProgressComponent {
  readonly states = input.required<Readonly<Record<string, number>>>();
  readonly lines = input.required<number>();
  protected readonly words = computed(() => $localize`${this.states()['agreed'] ?? 0} of ${this.lines()} agreed`);
  protected readonly parts = computed(() =>
    ['agreed', 'drafted', 'question', 'to map']
      .map((state) => ({
        state,
        look: state.replace(' ', ''),
        share: (100 * (this.states()[state] ?? 0)) / Math.max(1, this.lines()),
      }))
      .filter((p) => p.share > 0),
  );
}
