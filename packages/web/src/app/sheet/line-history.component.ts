import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Observable } from 'rxjs';
import type { LineHistory } from '@versicle/contract';
import { frameActions } from '../frame/frame.feature';
import { Api, type ServerProblem } from '../shared/api';
import { FullTimePipe, TimePipe } from '../shared/words';

const FIRST = 4;

/** What the template says in one case or another. */
const PHRASES = {
  agreedToIt: $localize`agreed to it`,
  setItTo: $localize`set it to `,
  nothing: $localize`nothing`,
  whyWasItChanged: $localize`why was it changed after it was agreed?`,
  why: $localize`why?`,
  nothingHappenedToThis: $localize`Nothing happened to this line yet.`,
};

/**
 * Who did and said what about a line, and why, newest first; what people say is added here. Whoever changes what was agreed
 * is asked for the reason.
 */
@Component({
  selector: 'vs-line-history',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TimePipe, FullTimePipe],
  templateUrl: './line-history.component.html',
  styles: `
    form {
      display: flex;
      gap: 8px;
      margin-bottom: 6px;
    }
    .event {
      margin-bottom: 4px;
    }
    .why {
      margin: 4px 0 6px;
    }
    .reason {
      font-style: italic;
      overflow-wrap: anywhere;
    }
    .part {
      margin-right: 8px;
      overflow-wrap: anywhere;
    }
  `,
})
export class LineHistoryComponent {
  protected readonly phrases = PHRASES;
  readonly mapping = input.required<string>();
  readonly line = input.required<string>();
  /** Asked again when this changes: the draft was saved. */
  readonly version = input.required<number>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly events = signal<LineHistory>([]);
  protected readonly problem = signal<string | null>(null);
  protected readonly all = signal(false);
  /** The event whose reason is being written. */
  protected readonly asking = signal<number | null>(null);
  protected shown(): LineHistory {
    return this.all() ? this.events() : this.events().slice(0, FIRST);
  }

  constructor() {
    effect((onCleanup) => {
      const params = { id: this.mapping(), line: this.line() };
      this.version();
      const asked = untracked(() =>
        this.api.call('lineHistory', { params }).subscribe({
          next: (events) => this.events.set(events),
          error: (error: ServerProblem) => this.problem.set(error.message),
        }),
      );
      onCleanup(() => asked.unsubscribe());
    });
  }

  protected signatureLost(e: LineHistory[number]): boolean {
    return e.what === 'state' && e.parts.some((p) => p.before === 'agreed' && p.after === 'drafted');
  }
  /** The newest change that took a signature away is asked about without a click. */
  protected asked(e: LineHistory[number]): boolean {
    const newest = this.events().find((o) => o.what === 'state');
    return e.yours && e.why === '' && newest?.id === e.id && this.signatureLost(e);
  }

  protected say(event: Event, box: HTMLInputElement): void {
    event.preventDefault();
    const text = box.value.trim();
    if (text === '') return;
    const params = { id: this.mapping(), line: this.line() };
    this.take(this.api.call('commentOnLine', { params, body: { text } }), () => (box.value = ''));
  }
  protected sayWhy(event: Event, id: number, box: HTMLInputElement): void {
    event.preventDefault();
    const params = { id: this.mapping(), line: this.line(), event: id };
    this.take(this.api.call('sayWhy', { params, body: { why: box.value.trim() } }), () => this.asking.set(null));
  }
  private take(answer: Observable<LineHistory>, done: () => void): void {
    answer.subscribe({
      next: (events) => {
        this.events.set(events);
        done();
      },
      error: (error: ServerProblem) => this.store.dispatch(frameActions.say({ text: error.message, problem: true })),
    });
  }
}
