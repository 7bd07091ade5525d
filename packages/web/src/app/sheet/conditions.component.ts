import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { GIVEN } from '../shared/given';
import { RuleEditorComponent, type EditorField, type Mark } from './rule-editor.component';

/** A condition on records, and what is said where it counts. */
export interface Condition {
  readonly id: string;
  readonly rule: string;
  readonly says: string;
}
/** Words for one kind of conditions. */
export interface ConditionWords {
  readonly one: string;
  readonly add: string;
  /** The name of the second field, and what is written there. */
  readonly says: string;
  readonly hint: string;
}

/** What the template says in one case or another. */
const PHRASES = {
  remove: $localize`Remove `,
};

/**
 * The skip conditions or the checks of a document. One that is not complete stands here only: it comes into the document
 * with its condition and its words. Of one that was emptied the document keeps what it had, until it is written anew or removed.
 */
@Component({
  selector: 'vs-conditions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleEditorComponent, GIVEN],
  template: `
    @for (c of shown(); track c.id) {
      <div class="item">
        <code class="dim">{{ c.id }}</code>
        <div>
          <vs-rule-editor
            [text]="c.rule"
            [label]="words().one + ' ' + c.id"
            [fields]="fields()"
            [marks]="marks()(c.id)"
            (changed)="set(c, { rule: $event })"
          />
          @if (missing(c); as text) {
            <small class="soft" role="status">{{ text }}</small>
          } @else if (problem()(c.id)) {
            <small class="rub">{{ problem()(c.id) }}</small>
          }
        </div>
        <input
          class="input"
          [attr.aria-label]="words().says + ' ' + c.id"
          [placeholder]="words().hint"
          [value]="c.says"
          (vsWritten)="set(c, { says: $event })"
        />
        <button i18n type="button" class="btn quiet" [attr.aria-label]="phrases.remove + c.id" (click)="remove(c.id)">
          Remove
        </button>
      </div>
    }
    <button type="button" class="btn" (click)="add()">{{ words().add }}</button>
  `,
  styles: `
    .item {
      display: grid;
      grid-template-columns: 40px minmax(0, 1.4fr) minmax(0, 1fr) auto;
      gap: 10px;
      align-items: start;
      margin-bottom: 6px;
    }
    .dim {
      color: var(--ink-3);
      line-height: 30px;
    }
  `,
})
export class ConditionsComponent {
  protected readonly phrases = PHRASES;
  readonly items = input.required<readonly Condition[]>();
  readonly words = input.required<ConditionWords>();
  readonly fields = input.required<readonly EditorField[]>();
  readonly marks = input.required<(id: string) => readonly Mark[]>();
  readonly problem = input.required<(id: string) => string | null>();
  /** An id that nothing in the document has, nor any of these. */
  readonly freeId = input.required<(taken: readonly string[]) => string>();
  /** Where those that are not complete wait in this browser while the sheet is left. */
  readonly place = input.required<string>();
  readonly kept = output<Condition>();
  readonly removed = output<string>();
  private readonly pending = linkedSignal(() => unfinished(this.place()));
  protected readonly shown = computed(() => {
    const pending = new Map(this.pending().map((c) => [c.id, c]));
    const there = new Set(this.items().map((c) => c.id));
    return [
      ...this.items().map((c) => pending.get(c.id) ?? c),
      ...[...pending.values()].filter((c) => !there.has(c.id)),
    ];
  });

  protected missing({ id, rule, says }: Condition): string {
    const lacks = [
      rule.trim() === '' ? $localize`a condition` : '',
      says.trim() === '' ? $localize`its words` : '',
    ].filter(Boolean);
    if (lacks.length === 0) return '';
    return this.isThere(id)
      ? $localize`The document keeps what it had; this needs ${lacks.join($localize` and `)}.`
      : $localize`Not in the document yet: it needs ${lacks.join($localize` and `)}.`;
  }
  private isThere(id: string): boolean {
    return this.items().some((c) => c.id === id);
  }
  private setPending(pending: readonly Condition[]): void {
    this.pending.set(pending);
    keepUnfinished(this.place(), pending);
  }
  protected add(): void {
    const id = this.freeId()(this.pending().map((c) => c.id));
    this.setPending([...this.pending(), { id, rule: '', says: '' }]);
  }
  protected set(c: Condition, patch: Partial<Condition>): void {
    const next = { ...c, ...patch };
    const others = this.pending().filter((p) => p.id !== c.id);
    this.setPending([...others, ...(this.missing(next) ? [next] : [])]);
    if (!this.missing(next)) this.kept.emit(next);
  }
  protected remove(id: string): void {
    this.setPending(this.pending().filter((p) => p.id !== id));
    if (this.isThere(id)) this.removed.emit(id);
  }
}

const keyOf = (place: string): string => `versicle.unfinished:${place}`;
function unfinished(place: string): readonly Condition[] {
  try {
    const kept: unknown = JSON.parse(sessionStorage.getItem(keyOf(place)) ?? '[]');
    const text = (value: unknown): boolean => typeof value === 'string';
    return Array.isArray(kept)
      ? (kept as Condition[]).filter((c) => c !== null && text(c.id) && text(c.rule) && text(c.says))
      : [];
  } catch {
    // A browser that keeps nothing has nothing; neither is anybody else's text a condition.
    return [];
  }
}
function keepUnfinished(place: string, pending: readonly Condition[]): void {
  try {
    if (pending.length === 0) sessionStorage.removeItem(keyOf(place));
    else sessionStorage.setItem(keyOf(place), JSON.stringify(pending));
  } catch {
    // They stand on the page for as long as it is open.
  }
}
