import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  numberAttribute,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { RunDetail, RunSummary } from '@versicle/contract';
import { CauseComponent } from '../shared/cause.component';
import { FieldComponent } from '../shared/form/field.component';
import { LoadingComponent } from '../shared/loading.component';
import { pageTitle } from '../shared/page-title';
import { SELECT } from '../shared/select';
import { StateComponent } from '../shared/states.component';
import { FigurePipe, timeWords } from '../shared/words';
import { idle } from '../shared/loadable';
import { compareActions, compareFeature } from './compare.feature';
import { comparedCauses, comparedFigures, comparedSteps } from './compared';

/** What the template says in one case or another. */
const PHRASES = {
  twoRunsOf: $localize`Two runs of `,
  twoRuns: $localize`Two runs`,
  another: $localize`another`,
  notThere: $localize`not there`,
  new: $localize`new`,
  gone: $localize`gone`,
};

/** Two runs of a plan beside each other: their figures, their steps, and what failed in one and not in the other. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    CauseComponent,
    FieldComponent,
    FigurePipe,
    FormsModule,
    LoadingComponent,
    RouterLink,
    SELECT,
    StateComponent,
  ],
  template: `
    <div class="page">
      <h1>{{ two() ? phrases.twoRunsOf + two()!.other.planName : phrases.twoRuns }}</h1>
      <p i18n class="sub">What the later one did otherwise. Choose any two runs of the plan.</p>
      <div class="which">
        <vs-field label="The earlier run" i18n-label>
          <nz-select
            nzId="compare-one"
            aria-label="The earlier run"
            i18n-aria-label
            nzShowSearch
            [ngModel]="oneId()"
            (ngModelChange)="choose($event, id())"
          >
            @for (r of others(); track r.id) {
              <nz-option [nzValue]="r.id" [nzLabel]="words(r)" />
            }
          </nz-select>
        </vs-field>
        <vs-field label="The later run" i18n-label>
          <nz-select
            nzId="compare-other"
            aria-label="The later run"
            i18n-aria-label
            nzShowSearch
            [ngModel]="id()"
            (ngModelChange)="choose(oneId(), $event)"
          >
            @for (r of others(); track r.id) {
              <nz-option [nzValue]="r.id" [nzLabel]="words(r)" />
            }
          </nz-select>
        </vs-field>
      </div>
      <vs-loading [of]="later()" (again)="ask(id())" />
      @if (oneId() !== null) {
        <vs-loading [of]="earlier()" (again)="ask(oneId()!)" />
      } @else if (later().value !== null && list().value !== null) {
        <p i18n class="soft">There is no earlier run of this plan to compare it with.</p>
      }
      @if (two(); as t) {
        <table class="t figures" aria-label="Figures" i18n-aria-label>
          <thead>
            <tr>
              <td></td>
              <th class="n">
                <a i18n [routerLink]="['/runs', t.one.id]">run {{ t.one.id }}</a>
              </th>
              <th class="n">
                <a i18n [routerLink]="['/runs', t.other.id]">run {{ t.other.id }}</a>
              </th>
              <th i18n class="n">more or less</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <td i18n>State</td>
              <td class="n"><vs-state [state]="t.one.state" /></td>
              <td class="n"><vs-state [state]="t.other.state" /></td>
              <td></td>
            </tr>
            <tr>
              <td i18n>Carried out</td>
              <td class="n">{{ carried(t.one) }}</td>
              <td class="n">{{ carried(t.other) }}</td>
              <td class="n soft">{{ carried(t.one) === carried(t.other) ? '' : phrases.another }}</td>
            </tr>
            @for (f of figures(); track f.name) {
              <tr>
                <td>{{ f.name }}</td>
                <td class="n mono">{{ f.one }}</td>
                <td class="n mono">{{ f.other }}</td>
                <td class="n mono" [class.rub]="f.bad">{{ f.more }}</td>
              </tr>
            }
          </tbody>
        </table>
        @if (steps().length > 0) {
          <h2 i18n>By step</h2>
          <table class="t" aria-label="Steps of both" i18n-aria-label>
            <thead>
              <tr>
                <th i18n>Step</th>
                <th i18n class="n">Delivered, {{ t.one.id }}</th>
                <th i18n class="n">Delivered, {{ t.other.id }}</th>
                <th i18n class="n">Failed, {{ t.one.id }}</th>
                <th i18n class="n">Failed, {{ t.other.id }}</th>
              </tr>
            </thead>
            <tbody>
              @for (s of steps(); track s.id) {
                <tr>
                  <td class="words">{{ s.words }}</td>
                  @for (r of [s.one, s.other]; track $index) {
                    <td class="n mono">
                      {{ r === null ? phrases.notThere : moves(r) ? (r.counts.delivered | figure) : '' }}
                    </td>
                  }
                  @for (r of [s.one, s.other]; track $index) {
                    <td class="n mono" [class.rub]="(r?.counts?.failed ?? 0) > 0">
                      {{ r !== null && moves(r) ? (r.counts.failed | figure) : '' }}
                    </td>
                  }
                </tr>
              }
            </tbody>
          </table>
        }
        <h2 i18n>What failed, by cause</h2>
        @if (causes().length === 0) {
          <p i18n class="soft">Nothing failed in either of them.</p>
        } @else {
          <table class="t" aria-label="Causes of both" i18n-aria-label>
            <thead>
              <tr>
                <th i18n>Cause</th>
                <th i18n class="n">run {{ t.one.id }}</th>
                <th i18n class="n">run {{ t.other.id }}</th>
                <td></td>
              </tr>
            </thead>
            <tbody>
              @for (c of causes(); track $index) {
                <tr>
                  <td class="words"><vs-cause [group]="c.group" /></td>
                  <td class="n mono">{{ c.one | figure }}</td>
                  <td class="n mono">{{ c.other | figure }}</td>
                  <td class="n" [class.rub]="c.one === 0">
                    {{ c.one === 0 ? phrases.new : c.other === 0 ? phrases.gone : '' }}
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
  `,
  styles: `
    .which {
      display: flex;
      flex-wrap: wrap;
      gap: 0 18px;
    }
    nz-select {
      width: 330px;
    }
    .t {
      width: 100%;
      border-collapse: collapse;
      margin: 0 0 18px;
    }
    .figures {
      max-width: 780px;
    }
    th {
      font: 600 11.5px var(--sans);
      color: var(--ink-2);
      text-align: left;
      padding: 5px 8px;
      border-bottom: 1px solid var(--line);
    }
    td {
      padding: 5px 8px;
      border-bottom: 1px solid var(--hair);
      vertical-align: top;
    }
    .n {
      text-align: right;
      white-space: nowrap;
    }
    .words {
      font: 14.2px/1.38 var(--serif);
    }
    h2 {
      margin: 18px 0 4px;
    }
  `,
})
export class ComparePage {
  protected readonly phrases = PHRASES;
  /** The later run. */
  readonly id = input.required({ transform: numberAttribute });
  /** The earlier one; left out, the last before it. */
  readonly with = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly runs = this.store.selectSignal(compareFeature.selectRuns);
  protected readonly list = this.store.selectSignal(compareFeature.selectOthers);
  protected readonly later = computed(() => this.runs()[this.id()] ?? idle<RunDetail>());
  protected readonly others = computed(() => {
    const known = this.list().value ?? [];
    const own = this.later().value;
    return own === null || known.some((r) => r.id === own.id) ? known : [own, ...known];
  });
  protected readonly oneId = computed((): number | null => {
    const asked = Number(this.with());
    if (Number.isInteger(asked) && asked > 0) return asked;
    return this.others().find((r) => r.id < this.id() && r.kind !== 'replay')?.id ?? null;
  });
  protected readonly earlier = computed(() => this.runs()[this.oneId() ?? 0] ?? idle<RunDetail>());
  protected readonly two = computed(() => {
    const [one, other] = [this.earlier().value, this.later().value];
    return one === null || other === null ? null : { one, other };
  });
  protected readonly figures = computed(() => comparedFigures(this.two()!.one, this.two()!.other));
  protected readonly steps = computed(() => comparedSteps(this.two()!.one, this.two()!.other));
  protected readonly causes = computed(() => comparedCauses(this.two()!.one, this.two()!.other));

  constructor() {
    pageTitle(() => (this.two() === null ? null : $localize`Runs ${this.two()!.one.id} and ${this.two()!.other.id}`));
    effect(() => this.ask(this.id()));
    effect(() => {
      const one = this.oneId();
      if (one !== null) this.ask(one);
    });
    const plan = computed(() => this.later().value?.plan);
    effect(() => {
      const of = plan();
      if (of !== undefined) this.store.dispatch(compareActions.othersAsked({ plan: of }));
    });
    inject(DestroyRef).onDestroy(() => this.store.dispatch(compareActions.left()));
  }
  protected ask(id: number): void {
    this.store.dispatch(compareActions.runAsked({ id }));
  }
  /** A statement or a request has no records. */
  protected moves(r: RunSummary): boolean {
    return r.kind !== 'sql' && r.kind !== 'request';
  }
  protected words(r: RunSummary): string {
    return $localize`run ${r.id}, ${timeWords(r.startedAt ?? r.createdAt)}, ${r.kind === 'replay' ? $localize`replay, ` : ''}${r.state}`;
  }
  protected carried(r: {
    readonly revision: number | null;
    readonly planVersion: number | null;
    readonly only: string | null;
  }): string {
    const what =
      r.revision !== null ? $localize`revision ${r.revision}` : $localize`version ${r.planVersion} of the plan`;
    return r.only === null ? what : $localize`${what}, only ${r.only}`;
  }
  protected choose(one: number | null, other: number | null): void {
    if (one === null || other === null) return;
    const [earlier, later] = one < other ? [one, other] : [other, one];
    void this.router.navigate(['/runs', later, 'compare'], { queryParams: { with: earlier } });
  }
}
