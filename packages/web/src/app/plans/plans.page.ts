import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { SELECT } from '../shared/select';
import { mappingsActions, mappingsFeature } from '../mappings/mappings.feature';
import { LoadingComponent } from '../shared/loading.component';
import { StateComponent } from '../shared/states.component';
import { FullTimePipe, TimePipe } from '../shared/words';
import { plansActions, plansFeature } from './plans.feature';
import { StartPlanComponent } from './start-plan.component';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    FormsModule,
    SELECT,
    LoadingComponent,
    StateComponent,
    StartPlanComponent,
    FullTimePipe,
    TimePipe,
  ],
  template: `
    <div class="page">
      <div class="top">
        <h1>Plans</h1>
        <span class="grow"></span>
        <button type="button" class="btn first" (click)="adding.set(!adding())" [attr.aria-expanded]="adding()">
          New plan
        </button>
      </div>
      <p class="sub">What is carried out. A run of a plan carries out the newest published revision of its mapping.</p>
      @if (adding()) {
        <form class="new" (ngSubmit)="create()" aria-label="New plan">
          <label class="field"
            ><span>Name</span
            ><input class="input" name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" autocomplete="off"
          /></label>
          <div class="field">
            <span>Mapping</span>
            <nz-select
              name="mapping"
              [ngModel]="mapping()"
              (ngModelChange)="mapping.set($event)"
              nzPlaceHolder="Choose a mapping"
              aria-label="Mapping"
              nzShowSearch
              nzId="mapping"
            >
              @for (m of mappings(); track m.id) {
                <nz-option [nzValue]="m.id" [nzLabel]="m.name" />
              }
            </nz-select>
          </div>
          <button type="submit" class="btn first" [disabled]="!name().trim() || !mapping()">Make the plan</button>
          <button type="button" class="btn quiet" (click)="adding.set(false)">Give up</button>
        </form>
      }
      @if (problem()) {
        <p class="rub" role="alert">{{ problem() }}</p>
      }
      <vs-loading [of]="loading()" (again)="open()" />
      @if (plans(); as list) {
        @if (list.length > 0) {
          <table class="rows">
            <thead>
              <tr>
                <th scope="col">Plan</th>
                <th scope="col">Mapping</th>
                <th scope="col">Writes</th>
                <th scope="col">Last run</th>
                <th scope="col"><span class="visually-hidden">Start</span></th>
              </tr>
            </thead>
            <tbody>
              @for (p of list; track p.id) {
                <tr>
                  <td class="name">{{ p.name }}</td>
                  <td>
                    <a [routerLink]="['/mappings', p.mapping]">{{ p.mappingName }}</a><span class="soft">{{
                      p.revision === null ? ', not published yet' : ', revision ' + p.revision
                    }}</span>
                  </td>
                  <td class="soft">{{ p.writes }}</td>
                  <td>
                    @if (p.lastRun !== null) {
                      <a class="run" [routerLink]="['/runs', p.lastRun]">run {{ p.lastRun }}</a>
                      <vs-state [state]="p.lastState ?? ''" />
                      <span class="dim" [title]="p.lastAt | fullTime">{{ p.lastAt | time }}</span>
                    } @else {
                      <span class="dim">has not run yet</span>
                    }
                  </td>
                  <td class="n">
                    <button type="button" class="btn" (click)="opened.set(p.id)" [attr.aria-label]="'Start ' + p.name">
                      Run …
                    </button>
                  </td>
                </tr>
                @if (chosen() === p.id) {
                  <tr>
                    <td colspan="5" class="starting">
                      @if (p.revision === null) {
                        <p class="soft">
                          Publish the mapping first: <a [routerLink]="['/mappings', p.mapping]">open the sheet</a>.
                        </p>
                      } @else {
                        <vs-start-plan [plan]="p" (closed)="opened.set('')" />
                      }
                    </td>
                  </tr>
                }
              }
            </tbody>
          </table>
        } @else if (!adding()) {
          <p class="empty">No plan yet. A plan carries out a mapping; make one for each load.</p>
        }
      }
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
    .starting {
      padding: 0 0 8px;
    }
    .run {
      margin-right: 8px;
    }
    vs-state {
      margin-right: 8px;
    }
    .empty {
      font: 15.2px/1.5 var(--serif);
    }
  `,
})
export class PlansPage {
  /** The plan whose start form is open, when the page is reached from elsewhere. */
  readonly start = input<string | undefined>();
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(plansFeature.selectPlans);
  protected readonly problem = this.store.selectSignal(plansFeature.selectProblem);
  protected readonly plans = computed(() => this.loading().value);
  protected readonly mappings = computed(() => this.store.selectSignal(mappingsFeature.selectMappings)().value ?? []);
  protected readonly adding = signal(false);
  protected readonly opened = signal<string | null>(null);
  protected readonly chosen = computed(() => this.opened() ?? this.start() ?? null);
  protected readonly name = signal('');
  protected readonly mapping = signal<string | null>(null);

  constructor() {
    this.open();
    this.store.dispatch(mappingsActions.opened());
  }
  protected open(): void {
    this.store.dispatch(plansActions.opened());
  }
  protected create(): void {
    this.store.dispatch(plansActions.create({ name: this.name().trim(), mapping: this.mapping()! }));
    this.adding.set(false);
    this.name.set('');
  }
}
