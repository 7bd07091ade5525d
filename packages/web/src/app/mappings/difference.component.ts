import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { Difference } from '@versicle/contract';

/** What differs between two states of a document, line by line. */
@Component({
  selector: 'vs-difference',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (line of of().lines; track line.line) {
      <div class="line">
        <b>{{ line.target }}</b> <span class="soft">{{ line.change }}</span>
        @for (part of line.parts; track part.part) {
          <div class="part">
            <span class="soft">{{ part.part }}</span>
            @if (part.before) {
              <code class="was">{{ part.before }}</code>
            } @else {
              <i class="dim">nothing</i>
            }
            <span class="soft" aria-label="becomes">→</span>
            @if (part.after) {
              <code>{{ part.after }}</code>
            } @else {
              <i class="dim">nothing</i>
            }
          </div>
        }
      </div>
    }
    @if (of().other.length > 0) {
      <p class="soft">Also different: {{ of().other.join(', ') }}.</p>
    }
    @if (of().lines.length === 0 && of().other.length === 0) {
      <p class="soft">Nothing differs.</p>
    }
  `,
  styles: `
    .line {
      padding: 6px 0;
      border-top: 1px solid var(--hair);
    }
    .line b {
      margin-right: 7px;
    }
    .part {
      display: grid;
      grid-template-columns: 90px minmax(0, 1fr) 16px minmax(0, 1fr);
      gap: 8px;
      padding: 2px 0;
      overflow-wrap: anywhere;
    }
    .was {
      color: var(--ink-3);
      text-decoration: line-through;
      text-decoration-color: var(--line);
    }
  `,
})
export class DifferenceComponent {
  readonly of = input.required<Difference>();
}
