import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { mappingsState } from '../mappings/mappings.state';
import * as failuresEffects from './failures.effects';
import { failuresFeature } from './failures.feature';
import { FailuresPage } from './failures.page';

export const failuresRoutes: Routes = [
  {
    path: '',
    component: FailuresPage,
    providers: [...mappingsState, provideState(failuresFeature), provideEffects(failuresEffects)],
  },
];
