import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { PlanDetail } from '@versicle/contract';
import { canonicalPlan, type PlanDocument } from '@versicle/core';
import { LoadingComponent } from '../shared/loading.component';
import { StateComponent } from '../shared/states.component';
import { HABITS } from '../shared/locale';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { planActions, planFeature } from './plan.feature';

/** What the template says in one case or another. */
const PHRASES = {
  made: $localize`made`,
  bringBackVersion: $localize`Bring back version `,
  unchanged: $localize` unchanged`,
  takenByNone: $localize` taken by none`,
  noneWhileItIs: $localize`None while it is held.`,
  onlyWhenSomebodyStarts: $localize`Only when somebody starts it.`,
  noneThatAClock: $localize`None that a clock knows.`,
};

/** Beside the plan: what the last run made of its steps, when it is next due, and its versions. */
@Component({
  selector: 'vs-plan-side',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigurePipe, FullTimePipe, LoadingComponent, RouterLink, StateComponent, TimePipe],
  template: `
    @if (versionsOpen()) {
      <h2 i18n>Versions</h2>
      <vs-loading [of]="versions()" (again)="ask()" />
      @for (v of versions().value ?? []; track v.number) {
        <div class="line">
          <span
            ><b>{{ v.number }}</b> <span class="soft">{{ v.person || phrases.made }}</span>
            <span class="dim" [title]="v.at | fullTime">{{ v.at | time }}</span></span
          >
          @if (v.number === plan().version) {
            <span i18n class="dim">now</span>
          } @else {
            <button
              i18n
              type="button"
              class="btn quiet"
              (click)="restore.emit(v.document)"
              [attr.aria-label]="phrases.bringBackVersion + v.number"
            >
              Bring back
            </button>
          }
        </div>
        @if (changes().get(v.number); as words) {
          <p class="soft what">{{ words }}</p>
        }
      }
    }
    <h2 i18n>
      The last run
      @if (plan().lastRun !== null) {
        <small
          ><a [routerLink]="['/runs', plan().lastRun]">run {{ plan().lastRun }}</a
          >, <span [title]="plan().lastAt | fullTime">{{ plan().lastAt | time }}</span></small
        >
      }
    </h2>
    @if (plan().lastRun === null) {
      <p i18n class="soft">It has not run yet.</p>
    } @else {
      <p class="line"><span i18n>The whole</span><vs-state [state]="plan().lastState ?? ''" /></p>
      @for (s of plan().lastSteps; track s.step) {
        <a class="line" [routerLink]="['/runs', s.run]">
          <span class="mono">{{ s.step }}</span>
          <span>
            @if (s.failed > 0) {
              <span i18n class="rub">{{ s.failed | figure }} failed</span>,
            }
            @if (s.read > 0) {
              <ng-container i18n>
                {{ s.delivered | figure }} delivered{{
                  s.unchanged > 0 ? ', ' + (s.unchanged | figure) + phrases.unchanged : ''
                }}{{ s.unmatched > 0 ? ', ' + (s.unmatched | figure) + phrases.takenByNone : '' }}
              </ng-container>
            } @else {
              <vs-state [state]="s.state" />
            }
          </span>
        </a>
      }
    }
    @for (lack of lacks(); track lack) {
      <p class="lack" role="status">{{ lack }}</p>
    }
    <h2 i18n>
      Next times
      @if (zone()) {
        <small>{{ zone() }}</small>
      }
    </h2>
    @for (problem of problems(); track problem) {
      <p i18n class="rub" role="alert">It could not be started: {{ problem }}</p>
    }
    @for (n of next(); track n.at) {
      <p class="mono next">
        {{ n.words }}
        @if (n.odd) {
          <span class="soft">{{ n.odd }}</span>
        }
      </p>
    } @empty {
      <p class="soft">
        {{
          plan().held
            ? phrases.noneWhileItIs
            : plan().document.triggers.length === 0
              ? phrases.onlyWhenSomebodyStarts
              : phrases.noneThatAClock
        }}
      </p>
    }
  `,
  styles: `
    h2 {
      margin: 0 0 6px;
      padding-bottom: 6px;
      border-bottom: 1px solid var(--line);
    }
    h2:not(:first-child) {
      margin-top: 22px;
    }
    .line {
      display: flex;
      justify-content: space-between;
      align-items: baseline;
      gap: 10px;
      padding: 5px 0;
      margin: 0;
      border-bottom: 1px solid var(--hair);
      color: var(--ink);
      text-decoration: none;
    }
    a.line {
      font-weight: 400;
    }
    a.line:hover {
      background: var(--act-wash);
    }
    .what {
      margin: 2px 0 6px;
    }
    .next {
      margin: 4px 0;
      font-size: 13px;
    }
  `,
})
export class PlanSideComponent {
  protected readonly phrases = PHRASES;
  readonly plan = input.required<PlanDetail>();
  readonly versionsOpen = input(false);
  readonly restore = output<PlanDocument>();
  private readonly store = inject(Store);
  protected readonly versions = this.store.selectSignal(planFeature.selectVersions);
  protected readonly zone = computed(
    () => this.plan().document.triggers.find((t) => t.kind === 'schedule')?.zone ?? null,
  );
  /** What keeps it from being carried out as it stands. */
  protected readonly lacks = computed(() => this.plan().problems.map((p) => p.message));
  protected readonly problems = computed(() => this.plan().triggers.flatMap((t) => t.problem ?? []));
  /** The next times of all that starts it by the clock, in order. */
  protected readonly next = computed(() => {
    const { triggers, document } = this.plan();
    return triggers
      .flatMap((t) => {
        const trigger = document.triggers.find((one) => one.id === t.id);
        const zone = trigger?.kind === 'schedule' ? trigger.zone : undefined;
        return t.next.map((n) => ({ at: n.at, words: clock(n.at, zone), odd: n.odd && ODD[n.odd] }));
      })
      .sort((a, b) => (a.at < b.at ? -1 : 1))
      .slice(0, 10);
  });
  /** What each version changed in what it reads as. */
  protected readonly changes = computed(() => {
    const all = this.versions().value ?? [];
    return new Map(
      all.map((v, i) => {
        const before = all[i + 1];
        return [v.number, before === undefined ? '' : changedWords(before.document, v.document)] as const;
      }),
    );
  });
  constructor() {
    effect(() => {
      if (this.versionsOpen()) this.ask();
    });
  }
  protected ask(): void {
    this.store.dispatch(planActions.versionsOpened());
  }
}

const ODD = {
  'skipped hour': $localize`the clock jumps over its time`,
  'doubled hour': $localize`the clock shows its time twice`,
} as const;
const clock = (at: string, timeZone?: string): string =>
  new Intl.DateTimeFormat(HABITS.dates, {
    ...(timeZone === undefined ? {} : { timeZone }),
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  }).format(new Date(at));

/** Which parts of a plan differ, in words. */
export function changedWords(before: PlanDocument, after: PlanDocument): string {
  const parts: string[] = [];
  const differ = (a: unknown, b: unknown): boolean => JSON.stringify(a) !== JSON.stringify(b);
  if (differ(before.name, after.name)) parts.push($localize`the name`);
  if (differ([before.purpose, before.sort], [after.purpose, after.sort])) parts.push($localize`the purpose`);
  if (differ(before.triggers, after.triggers)) parts.push($localize`what starts it`);
  for (const step of after.steps) {
    const was = before.steps.find((s) => s.id === step.id);
    if (was === undefined) parts.push($localize`step ${step.id} is new`);
    else if (differ(was, step)) parts.push($localize`step ${step.id}`);
  }
  for (const step of before.steps)
    if (!after.steps.some((s) => s.id === step.id)) parts.push($localize`step ${step.id} is gone`);
  if (differ([before.stop, before.overlap], [after.stop, after.overlap])) parts.push('limits');
  if (differ(before.variables, after.variables)) parts.push('variables');
  return parts.length === 0 && canonicalPlan(before) !== canonicalPlan(after)
    ? $localize`other settings`
    : parts.join(', ');
}
