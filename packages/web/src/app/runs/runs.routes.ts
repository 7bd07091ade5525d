import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as runsEffects from './runs.effects';
import { runsFeature } from './runs.feature';

export const runsRoutes: Routes = [
  {
    path: '',
    providers: [provideState(runsFeature), provideEffects(runsEffects)],
    children: [
      { path: '', loadComponent: () => import('./runs.page').then((m) => m.RunsPage) },
      { path: ':id', title: 'Run · Versicle', loadComponent: () => import('./run.page').then((m) => m.RunPage) },
    ],
  },
];
