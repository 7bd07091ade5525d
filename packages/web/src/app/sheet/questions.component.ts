import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import {
  answerQuestion,
  askQuestion,
  withdrawQuestion,
  type MappingDocument,
  type Question,
  type Said,
} from '@versicle/core';
import { frameFeature } from '../frame/frame.feature';
import { FullTimePipe, TimePipe } from '../shared/words';
import { FieldComponent } from '../shared/form/field.component';
import { sheetActions } from './sheet.actions';

/** What the template says in one case or another. */
const PHRASES = {
  question: $localize`Question `,
  somebody: $localize`Somebody`,
  to: $localize` to `,
  askAboutTheWhole: $localize`Ask about the whole document`,
  askAQuestionOn: $localize`Ask a question on this line`,
};

/** The questions on a line, or on the whole document: asked, answered, withdrawn in place. */
@Component({
  selector: 'vs-questions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FullTimePipe, TimePipe],
  templateUrl: './questions.component.html',
  styleUrl: './questions.component.less',
})
export class QuestionsComponent {
  protected readonly phrases = PHRASES;
  readonly document = input.required<MappingDocument>();
  /** The line that they are about; null: all of the document's. */
  readonly line = input<string | null>(null);
  /** A line was chosen, to be seen on the sheet. */
  readonly shown = output<string>();
  private readonly store = inject(Store);
  private readonly session = this.store.selectSignal(frameFeature.selectSession);
  protected readonly asking = signal(false);
  protected readonly answering = signal<string | null>(null);
  /** Open ones first, each in the order in which they were asked. */
  protected readonly list = computed(() => {
    const wanted = this.line();
    const numbers = new Map(this.document().lines.map((l, i) => [l.id, { number: i + 1, target: l.target }]));
    const labels = new Map(this.document().target.fields.map((f) => [f.name, f.label ?? f.name]));
    const all = this.document()
      .questions.filter((q) => wanted === null || q.line === wanted)
      .map((question) => {
        const on = question.line === undefined ? undefined : numbers.get(question.line);
        return { question, number: on?.number ?? null, label: on ? (labels.get(on.target) ?? on.target) : '' };
      });
    const open = (q: Question): boolean => q.answer === undefined;
    return [...all.filter((q) => open(q.question)), ...all.filter((q) => !open(q.question))];
  });
  /** Whom questions were put to before. */
  protected readonly people = computed(() => [
    ...new Set(this.document().questions.flatMap((q) => [q.to ?? [], q.answeredBy ?? []].flat())),
  ]);

  private said(): Said {
    return { by: this.session()?.person ?? 'somebody', at: new Date().toISOString() };
  }
  private give(document: MappingDocument): void {
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
  }
  protected ask(text: string, to: string): void {
    if (text.trim() === '') return;
    const line = this.line();
    const question = { ...(line === null ? {} : { line }), text: text.trim(), to: to.trim() };
    this.give(askQuestion(this.document(), question, this.said()));
    this.asking.set(false);
  }
  protected answer(id: string, text: string): void {
    if (text.trim() === '') return;
    this.give(answerQuestion(this.document(), id, text.trim(), this.said()));
    this.answering.set(null);
  }
  protected withdraw(id: string): void {
    this.give(withdrawQuestion(this.document(), id));
  }
}
