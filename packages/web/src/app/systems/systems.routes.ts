import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as filtersEffects from '../filters/filters.effects';
import { filtersFeature } from '../filters/filters.feature';
import * as profilesEffects from '../profiles/profiles.effects';
import { profilesFeature } from '../profiles/profiles.feature';
import * as waitingEffects from '../waiting/waiting.effects';
import { waitingFeature } from '../waiting/waiting.feature';
import { systemsState } from './systems.state';

export const systemsRoutes: Routes = [
  {
    path: '',
    providers: systemsState,
    children: [
      { path: '', loadComponent: () => import('./systems.page').then((m) => m.SystemsPage) },
      {
        path: ':id',
        title: $localize`System · Versicle`,
        loadComponent: () => import('./system.page').then((m) => m.SystemPage),
      },
      {
        path: ':id/waiting',
        title: $localize`Waiting · Versicle`,
        providers: [provideState(waitingFeature), provideEffects(waitingEffects)],
        loadComponent: () => import('../waiting/waiting.page').then((m) => m.WaitingPage),
      },
      {
        path: ':id/dataset',
        title: $localize`Dataset · Versicle`,
        providers: [
          provideState(profilesFeature),
          provideState(filtersFeature),
          provideEffects(profilesEffects, filtersEffects),
        ],
        loadComponent: () => import('./dataset.page').then((m) => m.DatasetPage),
      },
    ],
  },
];
