import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Plan, TargetFit } from '@versicle/contract';
import { AheadComponent } from '../shared/ahead.component';
import { Api } from '../shared/api';
import { FieldComponent } from '../shared/form/field.component';
import { SELECT } from '../shared/select';
import { plansActions, plansFeature } from './plans.feature';

/** What the template says in one case or another. */
const PHRASES = {
  rulesAskForIt: $localize`rules ask for it, and the plan does not say it`,
  ofEachMapping: $localize` of each mapping`,
  allTheSame: $localize` all the same`,
};

/** What a run will do, then the start: only a few records first, or all. */
@Component({
  selector: 'vs-start-plan',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AheadComponent, FieldComponent, FormsModule, RouterLink, SELECT],
  template: `
    <form (ngSubmit)="start()" aria-label="Start a run" i18n-aria-label>
      <p class="what">
        @if (single(); as m) {
          <ng-container i18n>
            Carries out <b>revision {{ m.revision }}</b> of <b>{{ m.name }}</b>: {{ m.writes }}.
          </ng-container>
        } @else {
          {{ plan().sentence }}
        }
      </p>
      @if (replaces()) {
        <p i18n class="what">
          It asks first when more of a table would go than
          <a [routerLink]="['/plans', plan().id]">the plan lets go without asking</a>.
        </p>
      }
      @if (twice(); as words) {
        <p class="what" role="status"><b i18n>Look first:</b> {{ words }}</p>
      }
      @if (ahead().length > 0) {
        <vs-ahead class="what" [of]="ahead()" [records]="profiled()" [mapping]="single()!.id" />
      }
      @if (plan().variants.length > 0 || plan().variables.length > 0) {
        <div class="given">
          @if (plan().variants.length > 0) {
            <vs-field label="Which of its variants" i18n-label>
              <nz-select
                nzId="variant"
                name="variant"
                aria-label="Which of its variants"
                i18n-aria-label
                [ngModel]="variant()"
                (ngModelChange)="variant.set($event)"
              >
                <nz-option nzValue="" nzLabel="none, as it stands" i18n-nzLabel />
                @for (name of plan().variants; track name) {
                  <nz-option [nzValue]="name" [nzLabel]="name" />
                }
              </nz-select>
            </vs-field>
          }
          @for (v of plan().variables; track v.name) {
            <vs-field [label]="v.name" [help]="v.value === null ? phrases.rulesAskForIt : ''">
              <input
                class="input mono"
                [name]="'variable-' + v.name"
                [attr.aria-label]="v.name"
                [placeholder]="v.value ?? ''"
                [value]="values()[v.name] ?? ''"
                (input)="give(v.name, $event)"
              />
            </vs-field>
          }
        </div>
      }
      <label i18n class="choice"
        ><input type="radio" name="much" value="few" [ngModel]="much()" (ngModelChange)="much.set($event)" /> the
        first</label
      >
      <input
        class="input mono"
        type="number"
        name="rows"
        aria-label="How many records"
        i18n-aria-label
        min="1"
        [ngModel]="rows()"
        (ngModelChange)="rows.set($event)"
        (focus)="much.set('few')"
      />
      <span i18n>records{{ single() ? '' : phrases.ofEachMapping }}, as a try</span>
      @if (plan().onlyChanges) {
        <label i18n class="choice"
          ><input type="radio" name="much" value="plan" [ngModel]="much()" (ngModelChange)="much.set($event)" /> only
          what changed</label
        >
        <label i18n class="choice"
          ><input type="radio" name="much" value="all" [ngModel]="much()" (ngModelChange)="much.set($event)" /> all
          records, also what was delivered before</label
        >
      } @else {
        <label i18n class="choice"
          ><input type="radio" name="much" value="plan" [ngModel]="much()" (ngModelChange)="much.set($event)" /> all
          records</label
        >
      }
      <span class="grow"></span>
      @if (!kept()) {
        <p i18n class="what" role="status">What you see is not kept yet; a run would go by the version before.</p>
      }
      <button type="submit" class="btn first" [disabled]="starting() !== null || lacks() || !kept()">
        {{ verb() }}{{ twice() ? phrases.allTheSame : '' }}
      </button>
      <button i18n type="button" class="btn quiet" (click)="closed.emit()">Give up</button>
    </form>
  `,
  styles: `
    form {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 8px;
      background: var(--raised);
      border-left: 3px solid var(--ink);
      padding: 10px 14px;
    }
    .what {
      width: 100%;
      font: 14.4px/1.45 var(--serif);
    }
    .input[type='number'] {
      width: 92px;
    }
    .given {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
      width: 100%;
    }
    nz-select {
      min-width: 190px;
    }
    .choice {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
    .choice + .choice,
    span + .choice {
      margin-left: 14px;
    }
    .grow {
      flex: 1;
    }
  `,
})
export class StartPlanComponent {
  protected readonly phrases = PHRASES;
  readonly plan = input.required<Plan>();
  /** Whether the plan is kept as it is seen. */
  readonly kept = input(true);
  readonly closed = output();
  /** The mapping, where the plan carries out just one. */
  protected readonly single = computed(() => (this.plan().mappings.length === 1 ? this.plan().mappings[0]! : null));
  protected readonly replaces = computed(() => this.plan().mappings.some((m) => m.writes.startsWith('replace')));
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  protected readonly starting = this.store.selectSignal(plansFeature.selectStarting);
  protected readonly much = signal<'few' | 'plan' | 'all'>('plan');
  protected readonly rows = signal(100);
  /** The name of a variant; empty: none. */
  protected readonly variant = signal('');
  /** What is to stand for variables in this run alone; what is left empty is as the plan says. */
  protected readonly values = signal<Readonly<Record<string, string>>>({});

  protected readonly verb = computed(() => {
    if (this.much() === 'few') return $localize`Run the first ${this.rows()}`;
    return this.single() && (this.much() === 'all' || !this.plan().onlyChanges)
      ? $localize`Run all`
      : $localize`Run it`;
  });

  /** Why records would be there twice after the run; empty while that is not known, or where they would not. */
  protected readonly twice = signal('');
  /** What the profile of the source tells of the lines, and of how many records. */
  protected readonly ahead = signal<TargetFit['ahead']>([]);
  protected readonly profiled = signal(0);
  constructor() {
    effect((done) => {
      const mapping = this.single()?.id;
      if (mapping === undefined) return;
      const params = { id: mapping };
      const asked = this.api.call('targetOutlook', { params, query: { of: 'revision' } }).subscribe({
        next: ({ twice, ahead, of }) => {
          this.twice.set(twice ?? '');
          this.ahead.set(ahead);
          this.profiled.set(of ?? 0);
        },
        // The run itself says what is wrong with the target.
        error: () => {
          this.twice.set('');
          this.ahead.set([]);
        },
      });
      done(() => asked.unsubscribe());
    });
  }

  protected start(): void {
    const rowLimit = this.much() === 'few' ? Math.max(1, Math.floor(Number(this.rows()) || 1)) : null;
    const variables = Object.fromEntries(Object.entries(this.values()).filter(([, value]) => value !== ''));
    this.store.dispatch(
      plansActions.start({
        id: this.plan().id,
        rowLimit,
        all: this.much() === 'all',
        variables,
        variant: this.variant() || null,
      }),
    );
  }

  protected give(name: string, event: Event): void {
    this.values.set({ ...this.values(), [name]: (event.target as HTMLInputElement).value });
  }
  /** Whether rules ask for something that nobody has said yet. */
  protected readonly lacks = computed(() =>
    this.plan().variables.some((v) => v.value === null && !this.values()[v.name]),
  );
}
