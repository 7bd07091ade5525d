import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output } from '@angular/core';
import { NgTemplateOutlet } from '@angular/common';
import { planParagraphs, type NameOf, type PlanDocument, type PlanWords } from '@versicle/core';
import { type Part, partOf, samePart } from './edit-plan';

/**
 * The plan as a text with gaps; each gap is a word that can be entered with Tab and opened with Enter. Gaps are no button
 * elements, which never break at the end of a line.
 */
@Component({
  selector: 'vs-plan-sentence',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgTemplateOutlet],
  template: `
    <div class="text">
      <p><ng-container *ngTemplateOutlet="piece; context: { $implicit: paragraphs().begins }" /></p>
      <ng-content select="[begins]" />
      <ol>
        @for (wave of paragraphs().waves; track $index) {
          <li>
            <span class="mono dim">{{ $index + 1 }}</span>
            <p><ng-container *ngTemplateOutlet="piece; context: { $implicit: wave }" /></p>
          </li>
        }
      </ol>
      <ng-content select="[steps]" />
      @if (paragraphs().ends.length > 0) {
        <p><ng-container *ngTemplateOutlet="piece; context: { $implicit: paragraphs().ends }" /></p>
      }
    </div>
    <ng-template #piece let-words>
      @for (word of words; track $index) {
        @if (word.path) {
          <span
            role="button"
            tabindex="0"
            class="gap"
            [class.open]="isOpen(word)"
            [attr.data-path]="word.path"
            [attr.aria-expanded]="isOpen(word)"
            (click)="open.emit(word.path)"
            (keydown.enter)="open.emit(word.path)"
            (keydown.space)="$event.preventDefault(); open.emit(word.path)"
            [textContent]="word.text"
          ></span>
        } @else {
          <span [textContent]="word.text"></span>
        }
      }
    </ng-template>
  `,
  styles: `
    .text {
      font: 18.5px/1.65 var(--serif);
      max-width: 640px;
    }
    p {
      margin: 0;
      white-space: pre-wrap;
    }
    ol {
      list-style: none;
      margin: 6px 0;
      padding: 0;
    }
    li {
      display: grid;
      grid-template-columns: 27px 1fr;
      align-items: baseline;
      padding: 2px 0;
    }
    li .mono {
      font-size: 13px;
    }
    .gap {
      font: inherit;
      font-weight: 600;
      color: var(--ink);
      background: none;
      border: 0;
      border-bottom: 1.5px solid var(--act);
      padding: 0 1px;
      margin: 0;
      cursor: pointer;
      text-align: left;
      overflow-wrap: anywhere;
      -webkit-box-decoration-break: clone;
      box-decoration-break: clone;
    }
    .gap:hover {
      background: var(--raised);
    }
    .gap.open {
      background: var(--act-wash);
      outline: 1.5px solid var(--act);
      border-radius: 2px;
    }
    @media print {
      .gap {
        border: 0;
      }
    }
  `,
})
export class PlanSentenceComponent {
  readonly plan = input.required<PlanDocument>();
  readonly names = input.required<NameOf>();
  readonly opened = input<Part | null>(null);
  readonly open = output<string>();
  protected readonly paragraphs = computed(() => planParagraphs(this.plan(), this.names()));
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;

  protected isOpen(word: PlanWords): boolean {
    return samePart(this.opened(), partOf(word.path!));
  }
  /** Goes to a gap: the one with this path, or the first of what it belongs to. */
  focus(path: string): void {
    const gaps = [...this.host.querySelectorAll<HTMLElement>('.gap')];
    const part = partOf(path);
    (
      gaps.find((g) => g.dataset['path'] === path) ??
      gaps.find((g) => samePart(partOf(g.dataset['path']!), part)) ??
      gaps[0]
    )?.focus();
  }
}
