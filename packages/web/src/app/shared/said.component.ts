import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** A sentence in which what stands in “quotes” is a value, set as one. */
@Component({
  selector: 'vs-said',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { class: 'said' },
  // textContent, because line breaks of a formatted template would become blanks of the sentence.
  template: `
    @for (part of parts(); track $index) {
      @if (part.value) {
        <code [textContent]="part.text"></code>
      } @else {
        <span [textContent]="part.text"></span>
      }
    }
  `,
})
export class SaidComponent {
  readonly text = input.required<string>();
  protected readonly parts = computed(() =>
    this.text()
      .split(/(“[^”]*”)/)
      .filter((t) => t !== '')
      .map((t) =>
        t.startsWith('“') ? { value: true, text: t.slice(1, -1) || $localize`(empty)` } : { value: false, text: t },
      ),
  );
}
