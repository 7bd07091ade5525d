import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { mappingsState } from '../mappings/mappings.state';
import * as plansEffects from './plans.effects';
import { plansFeature } from './plans.feature';
import { PlansPage } from './plans.page';

export const plansRoutes: Routes = [
  {
    path: '',
    component: PlansPage,
    providers: [...mappingsState, provideState(plansFeature), provideEffects(plansEffects)],
  },
];
