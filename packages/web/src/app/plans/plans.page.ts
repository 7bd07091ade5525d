import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, linkedSignal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { SELECT } from '../shared/select';
import { mappingsActions, mappingsFeature } from '../mappings/mappings.feature';
import type { Plan } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { StateComponent } from '../shared/states.component';
import { FullTimePipe, TimePipe } from '../shared/words';
import { plansActions, plansFeature } from './plans.feature';
import { StartPlanComponent } from './start-plan.component';
import { FieldComponent } from '../shared/form/field.component';

/** What the template says in one case or another. */
const PHRASES = {
  asItComes: $localize`as it comes`,
  byHand: $localize`by hand`,
  start: $localize`Start `,
  theMapping: $localize`the mapping`,
};

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FieldComponent,
    RouterLink,
    FormsModule,
    SELECT,
    CellDirective,
    ListComponent,
    StateComponent,
    StartPlanComponent,
    FullTimePipe,
    TimePipe,
  ],
  template: `
    <div class="page">
      <vs-list
        heading="Plans"
        i18n-heading
        sentence="What is carried out, and when. A run carries out published revisions, the newest unless the plan names another."
        i18n-sentence
        finds="Find a plan"
        i18n-finds
        [none]="adding() ? '' : none()"
        [of]="plans()"
        [columns]="columns"
        [key]="id"
        [below]="chosen()"
        (again)="open()"
      >
        <button
          i18n
          action
          type="button"
          class="btn first"
          (click)="adding.set(!adding())"
          [attr.aria-expanded]="adding()"
        >
          New plan
        </button>
        <label i18n action class="btn" tabindex="0" (keydown.enter)="file.click()">
          Read a plan in
          <input
            #file
            class="visually-hidden"
            type="file"
            accept=".json,application/json"
            tabindex="-1"
            (change)="readIn(file)"
          />
        </label>
        @if (adding()) {
          <form above class="new" (ngSubmit)="create()" aria-label="New plan" i18n-aria-label>
            <vs-field label="Name" i18n-label
              ><input
                class="input"
                name="name"
                [ngModel]="name()"
                (ngModelChange)="name.set($event)"
                autocomplete="off"
            /></vs-field>
            <vs-field label="Mapping" i18n-label>
              <nz-select
                name="mapping"
                [ngModel]="mapping()"
                (ngModelChange)="mapping.set($event)"
                nzPlaceHolder="Choose a mapping"
                i18n-nzPlaceHolder
                aria-label="Mapping"
                i18n-aria-label
                nzShowSearch
                nzId="mapping"
              >
                @for (m of mappings(); track m.id) {
                  <nz-option [nzValue]="m.id" [nzLabel]="m.name" />
                }
              </nz-select>
            </vs-field>
            <button i18n type="submit" class="btn first" [disabled]="!name().trim() || !mapping()">
              Make the plan
            </button>
            <button i18n type="button" class="btn quiet" (click)="adding.set(false)">Give up</button>
          </form>
        }
        @if (problem()) {
          <p above class="rub" role="alert">{{ problem() }}</p>
        }
        @if (mappings().length === 0) {
          <a i18n empty class="btn" routerLink="/mappings/new">New mapping</a>
        }
        <ng-template vsCell="name" [like]="plans()" let-p
          ><a [routerLink]="['/plans', p.id]">{{ p.name }}</a></ng-template
        >
        <ng-template vsCell="sentence" [like]="plans()" let-p
          ><span class="says">{{ p.sentence }}</span>
          @if (p.mappings.length === 1) {
            <span class="soft">{{ p.mappings[0]!.writes }}</span>
          }
          @if (unpublished(p); as words) {
            <span class="soft">{{ words }}</span>
          }
        </ng-template>
        <ng-template vsCell="next" [like]="plans()" let-p>
          @if (p.held) {
            <span i18n class="soft">held</span>
          } @else if (p.next !== null) {
            <span [title]="p.next | fullTime">{{ p.next | time }}</span>
          } @else {
            <span class="dim">{{ p.startsItself ? phrases.asItComes : phrases.byHand }}</span>
          }
        </ng-template>
        <ng-template vsCell="last" [like]="plans()" let-p>
          @if (p.lastRun !== null) {
            <a i18n class="run" [routerLink]="['/runs', p.lastRun]">run {{ p.lastRun }}</a>
            <vs-state [state]="p.lastState ?? ''" />
            <span class="dim" [title]="p.lastAt | fullTime">{{ p.lastAt | time }}</span>
          } @else {
            <span i18n class="dim">has not run yet</span>
          }
        </ng-template>
        <ng-template vsCell="start" [like]="plans()" let-p
          ><button i18n type="button" class="btn" (click)="chosen.set(p.id)" [attr.aria-label]="phrases.start + p.name">
            Run …
          </button></ng-template
        >
        <ng-template vsCell="below" [like]="plans()" let-p>
          @if (firstUnpublished(p); as m) {
            <p i18n class="soft">
              Publish {{ p.mappings.length === 1 ? phrases.theMapping : m.name }} first:
              <a [routerLink]="['/mappings', m.id]">open the sheet</a>.
            </p>
          } @else {
            <vs-start-plan [plan]="p" (closed)="chosen.set(null)" />
          }
        </ng-template>
      </vs-list>
    </div>
  `,
  styles: `
    .new {
      display: grid;
      grid-template-columns: 260px 300px auto auto 1fr;
      gap: 14px;
      align-items: end;
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 14px 18px;
      margin-bottom: 14px;
    }
    .new .field {
      margin: 0;
    }
    nz-select {
      width: 100%;
    }
    .says {
      font: 14.2px/1.4 var(--serif);
      display: block;
    }
    .run {
      margin-right: 8px;
    }
    vs-state {
      margin-right: 8px;
    }
  `,
})
export class PlansPage {
  protected readonly phrases = PHRASES;
  /** The plan whose start form is open, when the page is reached from elsewhere. */
  readonly start = input<string | undefined>();
  /** A mapping that a plan is to be made of, when the page is reached from its sheet. */
  readonly of = input<string | undefined>();
  private readonly store = inject(Store);
  protected readonly plans = this.store.selectSignal(plansFeature.selectPlans);
  protected readonly problem = this.store.selectSignal(plansFeature.selectProblem);
  protected readonly id = (p: Plan): string => p.id;
  protected readonly columns: readonly Column<Plan>[] = [
    { key: 'name', title: $localize`Plan`, class: 'name', value: (p) => p.name },
    { key: 'sentence', title: $localize`How it reads`, value: (p) => p.sentence },
    { key: 'next', title: $localize`Next`, value: (p) => p.next },
    { key: 'last', title: $localize`Last run`, value: (p) => p.lastAt },
    { key: 'start', title: '', figures: true },
  ];
  private readonly mappingList = this.store.selectSignal(mappingsFeature.selectMappings);
  protected readonly mappings = computed(() => this.mappingList().value ?? []);
  private readonly asked = computed(() => this.mappings().find((m) => m.id === this.of()) ?? null);
  protected readonly none = computed(() =>
    this.mappingList().value?.length === 0
      ? $localize`No plan yet. A plan carries out a mapping, and there is none: make the mapping first.`
      : $localize`No plan yet. A plan carries out a mapping; make one for each load.`,
  );
  protected readonly adding = linkedSignal(() => this.of() !== undefined);
  /** The plan whose start form is open. */
  protected readonly chosen = linkedSignal<string | null>(() => this.start() ?? null);
  protected readonly name = linkedSignal(() => this.asked()?.name ?? '');
  protected readonly mapping = linkedSignal<string | null>(() => this.asked()?.id ?? null);

  constructor() {
    this.open();
    this.store.dispatch(mappingsActions.opened());
    // What was refused stays as it was written.
    inject(Actions)
      .pipe(ofType(plansActions.made), takeUntilDestroyed())
      .subscribe(() => {
        this.adding.set(false);
        this.name.set('');
      });
    inject(DestroyRef).onDestroy(() => this.store.dispatch(plansActions.left()));
  }
  protected open(): void {
    this.store.dispatch(plansActions.opened());
  }
  protected firstUnpublished(p: Plan): Plan['mappings'][number] | null {
    return p.mappings.find((m) => m.revision === null) ?? null;
  }
  protected unpublished(p: Plan): string {
    const missing = p.mappings.filter((m) => m.revision === null);
    if (missing.length === 0) return '';
    return p.mappings.length === 1
      ? $localize`not published yet`
      : $localize`${missing.map((m) => m.name).join(', ')} not published yet`;
  }
  protected readIn(input: HTMLInputElement): void {
    const file = input.files?.[0];
    input.value = '';
    void file?.text().then((text) => {
      try {
        this.store.dispatch(plansActions.readIn({ document: JSON.parse(text.replace(/^\ufeff/, '')) as unknown }));
      } catch (error) {
        this.store.dispatch(
          plansActions.actFailed({ problem: $localize`${file.name} is not JSON: ${(error as Error).message}` }),
        );
      }
    });
  }
  protected create(): void {
    this.store.dispatch(plansActions.create({ name: this.name().trim(), mapping: this.mapping()! }));
  }
}
