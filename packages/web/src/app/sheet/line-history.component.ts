import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import type { LineHistory } from '@versicle/contract';
import { frameActions } from '../frame/frame.feature';
import { Api, type ServerProblem } from '../shared/api';
import { FullTimePipe, TimePipe } from '../shared/words';

const FIRST = 4;

/** Who did and said what about a line, newest first; what people say is added here. */
@Component({
  selector: 'vs-line-history',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TimePipe, FullTimePipe],
  template: `
    <h3>History</h3>
    <form (submit)="say($event, box)">
      <input
        #box
        class="input"
        aria-label="Comment on this line"
        placeholder="say something about this line"
        maxlength="4000"
      />
      <button type="submit" class="btn">Comment</button>
    </form>
    @for (e of shown(); track e.id) {
      <p class="small">
        <span class="soft" [title]="e.at | fullTime">{{ e.at | time }}</span>&ngsp;<b>{{ e.by }}</b>
        @switch (e.what) {
          @case ('comment') {
            says: {{ e.message }}
          }
          @case ('state') {
            {{ e.parts[0]?.after === 'agreed' ? 'agreed to it' : 'set it to ' + e.parts[0]?.after }},
            {{ e.parts[0]?.before || 'nothing' }} before
          }
          @case ('edited') {
            changed
            @for (p of e.parts; track p.part) {
              <span class="part"
                >{{ p.part }}: <code>{{ p.before || 'nothing' }}</code> → <code>{{ p.after || 'nothing' }}</code></span
              >
            }
          }
          @default {
            {{ e.what }} it
          }
        }
      </p>
    } @empty {
      <p class="soft small">{{ problem() ?? 'Nothing happened to this line yet.' }}</p>
    }
    @if (events().length > shown().length) {
      <button type="button" class="btn quiet" (click)="all.set(true)">
        {{ events().length - shown().length }} more
      </button>
    }
  `,
  styles: `
    form {
      display: flex;
      gap: 8px;
      margin-bottom: 6px;
    }
    p {
      margin-bottom: 4px;
    }
    .part {
      margin-right: 8px;
      overflow-wrap: anywhere;
    }
  `,
})
export class LineHistoryComponent {
  readonly mapping = input.required<string>();
  readonly line = input.required<string>();
  /** Asked again when this changes: the draft was saved. */
  readonly version = input.required<number>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly events = signal<LineHistory>([]);
  protected readonly problem = signal<string | null>(null);
  protected readonly all = signal(false);
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

  protected say(event: Event, box: HTMLInputElement): void {
    event.preventDefault();
    const text = box.value.trim();
    if (text === '') return;
    const params = { id: this.mapping(), line: this.line() };
    this.api.call('commentOnLine', { params, body: { text } }).subscribe({
      next: (events) => {
        this.events.set(events);
        box.value = '';
      },
      error: (error: ServerProblem) => this.store.dispatch(frameActions.say({ text: error.message, problem: true })),
    });
  }
}
