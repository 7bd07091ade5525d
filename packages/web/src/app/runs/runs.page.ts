import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { SELECT } from '../shared/select';
import { LoadingComponent } from '../shared/loading.component';
import { StateComponent } from '../shared/states.component';
import { durationWords, FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { runsActions, runsFeature } from './runs.feature';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, FormsModule, SELECT, LoadingComponent, StateComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <div class="page">
      <div class="top">
        <h1>Runs</h1>
        <span class="grow"></span>
        <input
          class="input find"
          type="search"
          aria-label="Find a run"
          placeholder="Find a run"
          [value]="search() ?? ''"
          (input)="ask({ search: $any($event.target).value || null })"
        />
        <nz-select
          class="state"
          [ngModel]="state() ?? 'any'"
          (ngModelChange)="ask({ state: $event === 'any' ? null : $event })"
          aria-label="State of the run"
          nzId="state"
        >
          <nz-option nzValue="any" nzLabel="in any state" />
          @for (s of states; track s) {
            <nz-option [nzValue]="s" [nzLabel]="s" />
          }
        </nz-select>
      </div>
      <p class="sub">Every execution of a plan, the newest first. A replay sends failed records again.</p>
      <vs-loading [of]="loading()" (again)="open()" />
      @if (runs(); as list) {
        @if (list.length > 0) {
          <table class="rows">
            <thead>
              <tr>
                <th scope="col" class="id">Run</th>
                <th scope="col">Plan</th>
                <th scope="col">What</th>
                <th scope="col">State</th>
                <th scope="col" class="n">Read</th>
                <th scope="col" class="n">Delivered</th>
                <th scope="col" class="n">Failed</th>
                <th scope="col" class="n">Began</th>
                <th scope="col" class="n">Took</th>
              </tr>
            </thead>
            <tbody>
              @for (r of list; track r.id) {
                <tr>
                  <td class="mono">
                    <a [routerLink]="['/runs', r.id]">{{ r.id }}</a>
                  </td>
                  <td class="name">
                    <a [routerLink]="['/runs', r.id]">{{ r.planName }}</a>
                  </td>
                  <td class="soft">
                    {{
                      r.kind === 'replay'
                        ? 'replay'
                        : r.rowLimit !== null
                          ? 'first ' + (r.rowLimit | figure)
                          : 'all records'
                    }}, revision {{ r.revision }}
                  </td>
                  <td><vs-state [state]="r.state" /></td>
                  <td class="n">{{ r.counts.read | figure }}</td>
                  <td class="n">{{ r.counts.delivered | figure }}</td>
                  <td class="n">
                    <a routerLink="/failures" [queryParams]="{ run: r.id, state: 'any' }">{{
                      r.counts.failed | figure
                    }}</a>
                  </td>
                  <td class="n">
                    <span [title]="r.startedAt | fullTime">{{ r.startedAt | time }}</span>
                  </td>
                  <td class="n">{{ took(r.startedAt, r.finishedAt) }}</td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <p class="empty">
            {{ search() || state() ? 'No run fits what is asked for.' : 'Nothing has run yet. Start a plan.' }}
          </p>
        }
      }
    </div>
  `,
  styles: `
    .find {
      width: 200px;
    }
    .state {
      width: 140px;
    }
    .id {
      width: 52px;
    }
    .empty {
      font: 15.2px/1.5 var(--serif);
    }
  `,
})
export class RunsPage {
  readonly search = input<string | undefined>();
  readonly state = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly states = ['queued', 'running', 'finished', 'cancelled', 'stopped', 'broken', 'asks'];
  protected readonly loading = this.store.selectSignal(runsFeature.selectRuns);
  protected readonly runs = computed(() => {
    const words = (this.search() ?? '').toLowerCase();
    return (
      this.loading().value?.filter(
        (r) =>
          (!this.state() || r.state === this.state()) &&
          `${r.id} ${r.planName} ${r.mappingName} ${r.kind}`.toLowerCase().includes(words),
      ) ?? null
    );
  });

  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(runsActions.opened());
  }
  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected took(from: string | null, to: string | null): string {
    return from === null ? '' : durationWords((to === null ? Date.now() : Date.parse(to)) - Date.parse(from));
  }
}
