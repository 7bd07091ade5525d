import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import type { Difference } from '@versicle/contract';

const FIRST = 40;

/** What the template says in one case or another. */
const PHRASES = {
  nothing: $localize`nothing`,
  differs: $localize`differs`,
};

/** What differs between two states of a document, line by line, then the rest of it. */
@Component({
  selector: 'vs-difference',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgTemplateOutlet],
  template: `
    @for (line of of().lines; track line.line) {
      <div class="line">
        <b>{{ line.target }}</b> <span class="soft">{{ line.change }}</span>
        <ng-container [ngTemplateOutlet]="parts" [ngTemplateOutletContext]="{ $implicit: line.parts }" />
      </div>
    }
    @if (of().other.length > 0) {
      <div class="line">
        <b i18n>Beside the lines</b>
        <ng-container
          [ngTemplateOutlet]="parts"
          [ngTemplateOutletContext]="{ $implicit: of().other.slice(0, shown()) }"
        />
        @if (of().other.length > shown()) {
          <button i18n type="button" class="btn quiet" (click)="shown.set(of().other.length)">
            {{ of().other.length - shown() }} more
          </button>
        }
      </div>
    }
    <ng-template #parts let-list>
      @for (part of list; track part.part) {
        <div class="part">
          <span class="soft">{{ part.part }}</span>
          @if (part.before) {
            <code class="was">{{ part.before }}</code>
          } @else {
            <i class="dim">{{ part.after ? phrases.nothing : phrases.differs }}</i>
          }
          @if (part.before || part.after) {
            <span class="soft" aria-label="becomes" i18n-aria-label>→</span>
          }
          @if (part.after) {
            <code>{{ part.after }}</code>
          } @else if (part.before) {
            <i i18n class="dim">nothing</i>
          }
        </div>
      }
    </ng-template>
    @if (of().lines.length === 0 && of().other.length === 0) {
      <p i18n class="soft">Nothing differs.</p>
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
      grid-template-columns: 110px minmax(0, 1fr) 16px minmax(0, 1fr);
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
  protected readonly phrases = PHRASES;
  readonly of = input.required<Difference>();
  protected readonly shown = signal(FIRST);
}
