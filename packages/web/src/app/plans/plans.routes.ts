import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { mappingsState } from '../mappings/mappings.state';
import { systemsState } from '../systems/systems.state';
import * as planEffects from './plan.effects';
import { planFeature } from './plan.feature';
import { planIsKept } from './plan-kept';
import { PlanPage } from './plan.page';
import * as settingsEffects from '../settings/settings.effects';
import { settingsFeature } from '../settings/settings.feature';
import * as plansEffects from './plans.effects';
import { plansFeature } from './plans.feature';
import { PlansPage } from './plans.page';

export const plansRoutes: Routes = [
  {
    path: '',
    providers: [
      ...mappingsState,
      ...systemsState,
      provideState(plansFeature),
      provideState(planFeature),
      provideState(settingsFeature),
      provideEffects(plansEffects, planEffects, settingsEffects),
    ],
    children: [
      { path: '', component: PlansPage },
      { path: ':id', title: $localize`Plan · Versicle`, component: PlanPage, canDeactivate: [planIsKept] },
    ],
  },
];
