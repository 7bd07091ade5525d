import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { WorkerInfo } from '@versicle/contract';
import { interval } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { LoadingComponent } from '../shared/loading.component';
import { FullTimePipe, TimePipe } from '../shared/words';
import { settingsActions, settingsFeature } from './settings.feature';

const WORK: Readonly<Record<WorkerInfo['work'], string>> = {
  all: $localize`serves pages, carries runs out`,
  pages: $localize`serves pages only`,
  runs: $localize`carries runs out only`,
};
const DUTIES: Readonly<Record<WorkerInfo['duties'][number], string>> = {
  plans: $localize`what is due`,
  systems: $localize`connections and looks`,
  house: $localize`what is old`,
};
/** Milliseconds after which is looked again. */
const AGAIN = 5000;

/** What the template says in one case or another. */
const PHRASES = {
  answersThisPage: $localize`answers this page`,
  answersNobody: $localize`answers nobody`,
};

/** The processes that work on the store, and what each of them is at. */
@Component({
  selector: 'vs-workers',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FullTimePipe, LoadingComponent, RouterLink, TimePipe],
  template: `
    <section aria-labelledby="workers">
      <h2 i18n id="workers">Workers</h2>
      <p i18n class="soft">
        The processes that work on this store. Where one goes away, the others take over what it did.
        @if (!anyoneWorks()) {
          <span class="rub">None of them carries runs out: start one without VERSICLE_WORK=pages.</span>
        }
      </p>
      <vs-loading [of]="workers()" (again)="load()" />
      @if (workers().value; as all) {
        <table>
          <thead>
            <tr>
              <th i18n scope="col">Process</th>
              <th i18n scope="col">Does</th>
              <th i18n scope="col">Is at</th>
              <th i18n scope="col">Sees to, for all</th>
              <th i18n scope="col">Since</th>
              <th i18n scope="col">Heard of</th>
            </tr>
          </thead>
          <tbody>
            @for (w of all; track w.id) {
              <tr [class.silent]="w.silent">
                <th i18n scope="row">
                  process {{ w.pid }} on {{ w.host }}
                  <small>{{ w.isThis ? phrases.answersThisPage : (w.address ?? phrases.answersNobody) }}</small>
                </th>
                <td>{{ does[w.work] }}</td>
                <td>
                  @for (a of at(w); track $index) {
                    @if (!$first) {
                      {{ ', ' }}
                    }
                    @if (a.run === null) {
                      {{ a.does }} <span class="mono">{{ a.of }}</span>
                    } @else {
                      <a i18n [routerLink]="['/runs', a.run]">run {{ a.run }}</a>
                    }
                  } @empty {
                    <span i18n class="dim">nothing now</span>
                  }
                </td>
                <td [attr.data-of]="w.duties.length > 0 ? 'sees to ' : null">{{ duties(w) }}</td>
                <td data-of="since ">
                  <span [title]="w.startedAt | fullTime">{{ w.startedAt | time }}</span>
                </td>
                <td data-of="heard of ">
                  @if (w.silent) {
                    <span i18n class="rub" [title]="w.seenAt | fullTime">silent since {{ w.seenAt | time }}</span>
                  } @else {
                    <ng-container i18n> now </ng-container>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      }
    </section>
  `,
  styles: `
    section {
      margin-top: 34px;
    }
    table {
      width: 100%;
      border-collapse: collapse;
    }
    th,
    td {
      text-align: left;
      vertical-align: baseline;
      padding: 6px 14px 6px 0;
      border-bottom: 1px solid var(--hair);
      font-weight: inherit;
    }
    thead th {
      color: var(--ink-2);
      font-size: 12px;
      font-weight: 600;
    }
    tbody th {
      font-weight: 600;
      white-space: nowrap;
    }
    small {
      display: block;
      font-weight: 400;
      color: var(--ink-2);
    }
    .silent {
      color: var(--ink-2);
    }
    @media (max-width: 800px) {
      thead {
        display: none;
      }
      tr {
        display: grid;
        padding: 6px 0;
        border-bottom: 1px solid var(--hair);
      }
      th,
      td {
        border: 0;
        padding: 1px 0;
      }
      td::before {
        content: attr(data-of);
        color: var(--ink-2);
      }
    }
  `,
})
export class WorkersComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly workers = this.store.selectSignal(settingsFeature.selectWorkers);
  protected readonly does = WORK;

  constructor() {
    this.load();
    interval(AGAIN)
      .pipe(takeUntilDestroyed())
      .subscribe(() => this.load());
  }
  protected load(): void {
    this.store.dispatch(settingsActions.workersOpened());
  }
  protected anyoneWorks(): boolean {
    const all = this.workers().value;
    return all === null || all.some((w) => w.work !== 'pages' && !w.silent);
  }
  /** What a process is at, one after the other. */
  protected at({ runs, sends, listens, profiles }: WorkerInfo): { run: number | null; does: string; of: string }[] {
    const all = (does: string, names: readonly string[]): { run: null; does: string; of: string }[] =>
      names.map((of) => ({ run: null, does, of }));
    return [
      ...runs.map((run) => ({ run, does: '', of: '' })),
      ...all($localize`sends to`, sends),
      ...all($localize`listens to`, listens),
      ...all('profiles', profiles),
    ];
  }
  protected duties({ duties }: WorkerInfo): string {
    return duties.map((d) => DUTIES[d]).join(', ');
  }
}
