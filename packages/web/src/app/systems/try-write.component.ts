import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { endpoint, type Endpoint, type TriedWrite } from '@versicle/contract';
import { Api, type ServerProblem } from '../shared/api';
import { FieldComponent } from '../shared/form/field.component';
import { systemsActions } from './systems.feature';

/** What the template says in one case or another. */
const PHRASES = {
  aRecord: $localize`a record`,
  someRecords: $localize`some records`,
  it: $localize`it`,
  them: $localize`them`,
  sending: $localize`Sending …`,
  send: $localize`Send`,
};

/** Sends records of which one must be refused, shows the answer, and settles how such answers are read. */
@Component({
  selector: 'vs-try-write',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule],
  template: `
    @if (!open()) {
      <button i18n type="button" class="btn" (click)="open.set(true)">Try how a refusal is told …</button>
    } @else {
      <form (submit)="$event.preventDefault(); send()">
        <p i18n>
          Write {{ of().write?.batch === 1 ? phrases.aRecord : phrases.someRecords }} as the API takes
          {{ of().write?.batch === 1 ? phrases.it : phrases.them }}, one of which it must refuse. They are really sent
          ({{ of().write?.method }} <code>{{ of().write?.path }}</code>), the others may be taken.
        </p>
        <vs-field label="Records, as JSON" i18n-label>
          <textarea class="input mono" name="records" rows="4" [(ngModel)]="records"></textarea>
        </vs-field>
        <div class="row">
          @if (of().write?.batch !== 1) {
            <vs-field label="To be refused, from 1" i18n-label
              ><input class="input mono" name="bad" inputmode="numeric" [(ngModel)]="bad" autocomplete="off"
            /></vs-field>
          }
          <button type="submit" class="btn first" [disabled]="busy()">
            {{ busy() ? phrases.sending : phrases.send }}
          </button>
          <button i18n type="button" class="btn quiet" (click)="open.set(false)">Give up</button>
        </div>
        @if (problem()) {
          <p class="rub" role="alert">{{ problem() }}</p>
        }
        @if (tried(); as t) {
          <div role="status">
            <p i18n>
              Status {{ t.status }}. As the settings are, this means: <b>{{ t.means }}</b>.
            </p>
            <pre class="mono">{{ t.answer }}</pre>
            @if (t.proposal; as p) {
              <p i18n>
                Seen in it: {{ p.because }}.
                <button type="button" class="btn first" (click)="settle(p.patch)">Read answers so</button>
              </p>
            } @else {
              <p i18n>Nothing in it shows how it says which record was refused; settle it by hand above.</p>
            }
          </div>
        }
      </form>
    }
  `,
  styles: `
    form {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 12px 18px;
      margin-top: 14px;
    }
    .row {
      display: flex;
      gap: 12px;
      align-items: end;
    }
    .row .btn {
      margin-bottom: 8px;
    }
    textarea {
      width: 100%;
    }
    pre {
      background: var(--paper);
      border: 1px solid var(--hair);
      padding: 6px 10px;
      max-height: 180px;
      overflow: auto;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
  `,
})
export class TryWriteComponent {
  protected readonly phrases = PHRASES;
  readonly system = input.required<string>();
  readonly dataset = input.required<string>();
  readonly of = input.required<Endpoint>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly open = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal('');
  protected readonly tried = signal<TriedWrite | null>(null);
  protected records = '';
  protected bad = '1';

  protected send(): void {
    this.busy.set(true);
    this.problem.set('');
    this.tried.set(null);
    const body = { dataset: this.dataset(), records: this.records, bad: Number(this.bad) || 1 };
    this.api.call('tryWrite', { params: { id: this.system() }, body }).subscribe({
      next: (tried) => {
        this.busy.set(false);
        this.tried.set(tried);
      },
      error: (error: ServerProblem) => {
        this.busy.set(false);
        this.problem.set(error.message);
      },
    });
  }
  protected settle(patch: Record<string, unknown>): void {
    const made = endpoint.parse({ ...this.of(), write: { ...this.of().write, ...patch } });
    this.store.dispatch(
      systemsActions.settle({
        id: this.system(),
        dataset: this.dataset(),
        setting: { kind: 'endpoint', endpoint: made },
      }),
    );
    this.open.set(false);
  }
}
