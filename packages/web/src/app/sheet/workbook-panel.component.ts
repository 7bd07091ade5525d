import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { WorkbookRead } from '@versicle/contract';
import type { MappingDocument } from '@versicle/core';
import { DifferenceComponent } from '../mappings/difference.component';
import { capital, inWords } from '../shared/words';

/** What the template says in one case or another. */
const PHRASES = {
  oneCell: $localize`One cell`,
  someCells: $localize`Some cells`,
};

/** What a workbook that came back would change; taken over, it is one step of undo. */
@Component({
  selector: 'vs-workbook-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DifferenceComponent],
  template: `
    <section class="panel" aria-label="The workbook against the draft" i18n-aria-label>
      <div class="top">
        <h2>
          {{ of().difference.to }} <small>{{ summary() }}</small>
        </h2>
        <span class="grow"></span>
        @if (differs()) {
          <button i18n type="button" class="btn first" (click)="taken.emit(of().document)">Take it over</button>
        }
        <button i18n type="button" class="btn quiet" (click)="closed.emit()">Close</button>
      </div>
      @if (of().ofOther; as other) {
        <p i18n class="rub" role="alert">
          This workbook was made of another mapping, {{ other }}. Taken over, it replaces this document.
        </p>
      }
      @if (of().clashes.length > 0) {
        <p i18n class="rub" role="alert">
          Changed here, too, since the workbook went out: {{ clashes() }}. The workbook’s words are taken.
        </p>
      }
      @if (of().mistaken.length > 0) {
        <div class="rub" role="alert">
          <ng-container i18n>
            {{ of().mistaken.length === 1 ? phrases.oneCell : phrases.someCells }} can’t be taken; there the document
            stays as it was. All else of the workbook counts.
          </ng-container>
          <ul>
            @for (m of of().mistaken; track m.sheet + m.row + m.column) {
              <li i18n>
                {{ m.sheet }}, row {{ m.row }}, <i>{{ m.column }}</i>: {{ m.says }}
              </li>
            }
          </ul>
        </div>
      }
      <vs-difference [of]="of().difference" />
    </section>
  `,
  styles: `
    .panel {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--act);
      padding: 8px 16px 12px;
      margin: 10px 24px;
      max-height: 46vh;
      overflow: auto;
    }
    .top {
      display: flex;
      align-items: baseline;
      gap: 10px;
    }
    h2 {
      margin: 4px 0;
    }
    .grow {
      flex: 1;
    }
    ul {
      margin: 4px 0 8px;
      padding-left: 18px;
    }
  `,
})
export class WorkbookPanelComponent {
  protected readonly phrases = PHRASES;
  readonly of = input.required<WorkbookRead>();
  readonly taken = output<MappingDocument>();
  readonly closed = output();
  protected readonly clashes = computed(() =>
    this.of()
      .clashes.map((c) => c.what)
      .join(', '),
  );
  protected readonly differs = computed(
    () => this.of().difference.lines.length > 0 || this.of().difference.other.length > 0,
  );
  protected readonly summary = computed(() => {
    const { lines, other } = this.of().difference;
    if (lines.length === 0 && other.length === 0) return $localize`says the same as the draft`;
    const count = (change: string, words: string): string => {
      const n = lines.filter((l) => l.change === change).length;
      return n === 0 ? '' : `${inWords(n, $localize`line`, $localize`lines`)} ${words}`;
    };
    const parts = [count('changed', 'changed'), count('added', 'added'), count('removed', $localize`taken out`)];
    if (other.length > 0)
      parts.push($localize`${inWords(other.length, $localize`other part`, $localize`other parts`)} changed`);
    return capital(parts.filter(Boolean).join(', '));
  });
}
