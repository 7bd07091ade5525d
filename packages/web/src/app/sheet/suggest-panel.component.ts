import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { changeLine, suggestedLine, type MappingDocument, type Suggestion } from '@versicle/core';
import { Api, type ServerProblem } from '../shared/api';
import type { Loadable } from '../shared/loadable';
import { LoadingComponent } from '../shared/loading.component';
import { SignComponent } from '../shared/signs.component';
import { capital, inWords } from '../shared/words';
import { sheetActions } from './sheet.actions';

/** From here on suggestions are taken together. */
const SURE = 0.8;

/** What the template says in one case or another. */
const PHRASES = {
  noLineIsLeft: $localize`No line is left to map.`,
  nothingInTheSource: $localize`Nothing in the source is enough like the fields that are left to map.`,
  takeTheSuggestionFor: $localize`Take the suggestion for `,
};

/** What could fill the lines that are still to map, each with its reason; what is taken becomes a draft. */
@Component({
  selector: 'vs-suggest-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, LoadingComponent, SignComponent],
  template: `
    <section class="panel" aria-label="Suggestions" i18n-aria-label>
      <div class="top">
        <h2 i18n>Suggestions</h2>
        <span class="grow"></span>
        <button i18n type="button" class="btn quiet" [attr.aria-expanded]="words() !== null" (click)="openWords()">
          Words of one meaning
        </button>
        @if (sure().length > 1) {
          <button i18n type="button" class="btn first" (click)="take(sure())">
            Take the {{ sure().length }} of at least 80 %
          </button>
        }
        <button i18n type="button" class="btn quiet" (click)="close()">Close</button>
      </div>
      @if (words(); as text) {
        <form class="words" (ngSubmit)="keepWords(box.value)">
          <label i18n for="synonyms"
            >Words that mean the same in names of fields here; a group a line, with commas between. Common ones are
            known.</label
          >
          <textarea
            #box
            id="synonyms"
            class="input mono"
            rows="4"
            [value]="text.groups"
            placeholder="dock, slot, stand"
            i18n-placeholder
          ></textarea>
          @if (wordsProblem()) {
            <p class="rub" role="alert">{{ wordsProblem() }}</p>
          }
          <button i18n type="submit" class="btn">Keep and suggest again</button>
        </form>
      }
      @if (list().length === 0) {
        @if (of().state === 'loaded') {
          <p class="soft" role="status">
            {{ toMap() === 0 ? phrases.noLineIsLeft : phrases.nothingInTheSource }}
          </p>
        } @else {
          <vs-loading [of]="of()" (again)="again()" words="Comparing names and values …" i18n-words />
        }
      } @else {
        <table class="rows">
          <thead>
            <tr>
              <th i18n scope="col"><vs-sign of="target" [size]="13" /> Target field</th>
              <th i18n scope="col">Filled by</th>
              <th i18n scope="col" class="n">Sure by</th>
              <th i18n scope="col">Because</th>
              <th scope="col"><span i18n class="unseen">Take it</span></th>
            </tr>
          </thead>
          <tbody>
            @for (s of list(); track s.line) {
              <tr>
                <td>{{ labels().get(s.target) ?? s.target }}</td>
                <td>
                  <code>{{ s.rule ?? s.source ?? s.value }}</code>
                  @if (s.kind === 'lookup') {
                    <ng-container i18n> by the code table {{ s.codeTable }} </ng-container>
                  } @else if (s.kind === 'constant') {
                    <span i18n class="soft">a constant</span>
                  }
                </td>
                <td class="n">{{ percent(s.confidence) }}</td>
                <td class="soft">{{ s.reason }}</td>
                <td>
                  <button
                    i18n
                    type="button"
                    class="btn quiet"
                    [attr.aria-label]="phrases.takeTheSuggestionFor + (labels().get(s.target) ?? s.target)"
                    (click)="take([s])"
                  >
                    Take
                  </button>
                </td>
              </tr>
            }
          </tbody>
        </table>
      }
    </section>
  `,
  styles: `
    .panel {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--act);
      padding: 8px 16px 12px;
      margin: 0 24px 10px;
      max-height: 46vh;
      overflow: auto;
    }
    .top {
      display: flex;
      align-items: center;
      gap: 10px;
    }
    h2 {
      margin: 4px 0;
    }
    .words {
      display: grid;
      gap: 6px;
      max-width: 620px;
      margin: 4px 0 10px;
      justify-items: start;
    }
    .grow {
      flex: 1;
    }
  `,
})
export class SuggestPanelComponent {
  protected readonly phrases = PHRASES;
  readonly of = input.required<Loadable<Suggestion[]>>();
  readonly document = input.required<MappingDocument>();
  readonly taken = output<string>();
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  /** The workspace’s own words while they are shown, as text. */
  protected readonly words = signal<{ readonly groups: string } | null>(null);
  protected readonly wordsProblem = signal('');
  protected readonly labels = computed(
    () => new Map(this.document().target.fields.map((f) => [f.name, f.label ?? f.name])),
  );
  private readonly open = computed(
    () => new Set(this.document().lines.flatMap((l) => (l.kind === undefined ? [l.id] : []))),
  );
  protected readonly toMap = computed(() => this.open().size);
  /** Those for lines that nobody has filled meanwhile. */
  protected readonly list = computed(() => (this.of().value ?? []).filter((s) => this.open().has(s.line)));
  protected readonly sure = computed(() => this.list().filter((s) => s.confidence >= SURE));

  protected openWords(): void {
    if (this.words() !== null) return this.words.set(null);
    this.api.call('getSynonyms', {}).subscribe({
      next: ({ groups }) => this.words.set({ groups: groups.map((g) => g.join(', ')).join('\n') }),
      error: (problem: ServerProblem) => this.wordsProblem.set(problem.message),
    });
  }
  protected keepWords(text: string): void {
    const groups = text
      .split('\n')
      .map((line) =>
        line
          .split(',')
          .map((w) => w.trim())
          .filter(Boolean),
      )
      .filter((g) => g.length > 0);
    const single = groups.find((g) => g.length < 2);
    if (single)
      return this.wordsProblem.set($localize`“${single[0]}” stands alone; a line needs two words that mean the same.`);
    this.api.call('setSynonyms', { body: { groups } }).subscribe({
      next: () => {
        this.wordsProblem.set('');
        this.words.set(null);
        this.again();
      },
      error: (problem: ServerProblem) => this.wordsProblem.set(problem.message),
    });
  }
  protected percent(confidence: number): string {
    return `${Math.floor(confidence * 100)} %`;
  }
  protected again(): void {
    this.store.dispatch(sheetActions.suggestionsAsked());
  }
  protected close(): void {
    this.store.dispatch(sheetActions.suggestionsClosed());
  }
  /** All at once are one step of undo. */
  protected take(suggestions: readonly Suggestion[]): void {
    const document = suggestions.reduce((d, s) => changeLine(d, s.line, suggestedLine(s)), this.document());
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
    this.taken.emit(
      $localize`${capital(inWords(suggestions.length, $localize`line`, $localize`lines`))} drafted from suggestions; Ctrl+Z takes it back.`,
    );
  }
}
