import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import type { KeptFor } from '@versicle/contract';
import { AskComponent } from '../shared/ask.component';
import { GIVEN } from '../shared/given';
import { LoadingComponent } from '../shared/loading.component';
import { bytesWords, FigurePipe, shortDay } from '../shared/words';
import { settingsActions, settingsFeature } from './settings.feature';

const WORDS: Readonly<Record<KeptFor['name'], readonly [what: string, more: string]>> = {
  runs: [
    $localize`Runs`,
    $localize`with their steps; what they moved stays in the volume, and runs with open failed records stay`,
  ],
  logs: [$localize`Logs`, $localize`line by line`],
  courses: [$localize`Courses`, $localize`what the rate of a run is drawn from`],
  records: [$localize`Failed records that are closed`, $localize`with their history`],
  received: [$localize`What webhooks brought`, $localize`as it came`],
  messages: [$localize`Messages`, $localize`that were sent, or seen`],
};

/** What the template says in one case or another. */
const PHRASES = {
  daysFor: $localize`Days for `,
  megabytesFor: $localize`Megabytes for `,
};

/** How long what is over is kept, and what that takes. */
@Component({
  selector: 'vs-retention',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AskComponent, FigurePipe, GIVEN, LoadingComponent],
  template: `
    <section aria-labelledby="retention">
      <h2 i18n id="retention">What is kept</h2>
      <p i18n class="soft">
        What is over is removed once a day when it is older than this, or beyond this size, the oldest first. What is
        still to be done is never removed.
      </p>
      <vs-loading [of]="retention()" (again)="load()" />
      @if (retention().value; as r) {
        <table>
          <thead>
            <tr>
              <th i18n scope="col">What</th>
              <th i18n scope="col">Days</th>
              <th i18n scope="col">MB at the most</th>
              <th i18n scope="col" class="n">There are</th>
              <th i18n scope="col" class="n">Take</th>
              <th i18n scope="col" class="n">Oldest</th>
            </tr>
          </thead>
          <tbody>
            @for (k of r.kept; track k.name) {
              <tr>
                <th scope="row">
                  {{ words[k.name][0] }} <small>{{ words[k.name][1] }}</small>
                </th>
                <td>
                  <input
                    class="input"
                    inputmode="numeric"
                    [attr.aria-label]="phrases.daysFor + words[k.name][0]"
                    [value]="days()[k.name] ?? ''"
                    (vsTyped)="setDays(k.name, $event)"
                  />
                </td>
                <td>
                  <input
                    class="input"
                    inputmode="numeric"
                    placeholder="no bound"
                    i18n-placeholder
                    [attr.aria-label]="phrases.megabytesFor + words[k.name][0]"
                    [value]="megabytes()[k.name] ?? ''"
                    (vsTyped)="setMegabytes(k.name, $event)"
                  />
                </td>
                <td class="n">{{ k.rows | figure }}</td>
                <td class="n">{{ bytes(k.bytes) }}</td>
                <td class="n">{{ k.oldest === null ? '' : day(k.oldest) }}</td>
              </tr>
            }
            <tr>
              <th i18n scope="row">Records that wait <small>for their targets; never removed by their age</small></th>
              <td></td>
              <td></td>
              <td class="n">{{ r.waiting.rows | figure }}</td>
              <td class="n">{{ bytes(r.waiting.bytes) }}</td>
              <td class="n">{{ r.waiting.oldest === null ? '' : day(r.waiting.oldest) }}</td>
            </tr>
          </tbody>
        </table>
        <p i18n class="soft store">The whole store takes {{ bytes(r.bytes) }}.</p>
        @if (problem()) {
          <p class="rub" role="alert">{{ problem() }}</p>
        }
        @if (asking()) {
          <vs-ask
            i18n
            about="Remove at once"
            i18n-about
            does="Remove it now"
            i18n-does
            [busy]="busy()"
            (done)="asking.set(false); remove()"
            (letBe)="asking.set(false)"
            >What is older or beyond is removed for good, by what is kept above.</vs-ask
          >
        }
        <p class="acts">
          <button i18n type="button" class="btn first" [disabled]="busy() || !changed()" (click)="save()">
            Keep it so
          </button>
          <button i18n type="button" class="btn quiet" [disabled]="busy() || changed()" (click)="asking.set(true)">
            Remove now …
          </button>
        </p>
      }
    </section>
  `,
  styles: `
    section {
      margin-top: 34px;
    }
    table {
      border-collapse: collapse;
      width: 100%;
      max-width: 980px;
    }
    th {
      text-align: left;
    }
    thead th {
      font: 600 12px var(--sans);
      color: var(--ink-2);
    }
    tbody th {
      font-weight: 500;
    }
    th,
    td {
      padding: 4px 14px 4px 0;
      border-bottom: 1px solid var(--hair);
    }
    small {
      display: block;
      color: var(--ink-3);
      font-weight: 400;
    }
    .n {
      text-align: right;
      font-variant-numeric: tabular-nums;
    }
    .input {
      width: 92px;
    }
    .store {
      margin: 8px 0 0;
    }
    .acts {
      display: flex;
      gap: 8px;
      margin-top: 10px;
    }
  `,
})
export class RetentionComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly retention = this.store.selectSignal(settingsFeature.selectRetention);
  protected readonly busy = this.store.selectSignal(settingsFeature.selectRetaining);
  private readonly refused = this.store.selectSignal(settingsFeature.selectRetentionProblem);
  private readonly complaint = signal('');
  protected readonly problem = computed(() => this.complaint() || this.refused());
  protected readonly asking = signal(false);
  protected readonly words = WORDS;
  protected readonly bytes = bytesWords;
  protected readonly day = (iso: string): string => shortDay(iso);
  /** As they are written. */
  protected readonly days = signal<Readonly<Record<string, string>>>({});
  protected readonly megabytes = signal<Readonly<Record<string, string>>>({});
  private readonly known = computed(() => this.retention().value?.kept ?? []);
  protected readonly changed = computed(() =>
    this.known().some(
      (k) =>
        (this.days()[k.name] ?? '').trim() !== String(k.days) ||
        (this.megabytes()[k.name] ?? '').trim() !== String(k.megabytes ?? ''),
    ),
  );

  constructor() {
    this.load();
    // What is typed stays until it is kept: only what is kept starts it anew.
    const kept = computed(() =>
      JSON.stringify(this.known().map(({ name, days, megabytes }) => [name, days, megabytes])),
    );
    effect(() => {
      kept();
      untracked(() => {
        this.days.set(Object.fromEntries(this.known().map((k) => [k.name, String(k.days)])));
        this.megabytes.set(Object.fromEntries(this.known().map((k) => [k.name, String(k.megabytes ?? '')])));
      });
    });
  }
  protected load(): void {
    this.store.dispatch(settingsActions.retentionOpened());
  }
  protected setDays(name: string, text: string): void {
    this.days.update((all) => ({ ...all, [name]: text }));
  }
  protected setMegabytes(name: string, text: string): void {
    this.megabytes.update((all) => ({ ...all, [name]: text }));
  }
  protected save(): void {
    const kept = this.known().map(({ name }) => {
      const megabytes = (this.megabytes()[name] ?? '').trim();
      return { name, days: whole(this.days()[name]), megabytes: megabytes === '' ? null : whole(megabytes) };
    });
    const bad = kept.find((k) => Number.isNaN(k.days) || Number.isNaN(k.megabytes));
    this.complaint.set(
      bad ? $localize`${WORDS[bad.name][0]}\: write whole numbers from 1 on; without a bound, no megabytes.` : '',
    );
    if (!bad) this.store.dispatch(settingsActions.saveRetention({ retention: { kept } }));
  }
  protected remove(): void {
    this.store.dispatch(settingsActions.removeOld());
  }
}
const whole = (text: string | undefined): number => (/^[1-9]\d{0,6}$/.test((text ?? '').trim()) ? Number(text) : NaN);
