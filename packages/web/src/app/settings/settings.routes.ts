import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as plansEffects from '../plans/plans.effects';
import { plansFeature } from '../plans/plans.feature';
import { systemsState } from '../systems/systems.state';
import * as settingsEffects from './settings.effects';
import { settingsFeature } from './settings.feature';
import { SettingsPage } from './settings.page';

export const settingsRoutes: Routes = [
  {
    path: '',
    component: SettingsPage,
    providers: [
      ...systemsState,
      provideState(plansFeature),
      provideState(settingsFeature),
      provideEffects(plansEffects, settingsEffects),
    ],
  },
];
