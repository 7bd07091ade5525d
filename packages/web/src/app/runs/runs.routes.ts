import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as compareEffects from './compare.effects';
import { compareFeature } from './compare.feature';
import * as volumeEffects from '../volume/volume.effects';
import { volumeFeature } from '../volume/volume.feature';
import * as runsEffects from './runs.effects';
import { runsFeature } from './runs.feature';

export const runsRoutes: Routes = [
  {
    path: '',
    providers: [provideState(runsFeature), provideEffects(runsEffects)],
    children: [
      { path: '', loadComponent: () => import('./runs.page').then((m) => m.RunsPage) },
      {
        path: 'volume',
        title: $localize`Volume · Versicle`,
        providers: [provideState(volumeFeature), provideEffects(volumeEffects)],
        loadComponent: () => import('../volume/volume.page').then((m) => m.VolumePage),
      },
      {
        path: ':id/compare',
        title: $localize`Two runs · Versicle`,
        providers: [provideState(compareFeature), provideEffects(compareEffects)],
        loadComponent: () => import('./compare.page').then((m) => m.ComparePage),
      },
      {
        path: ':id',
        title: $localize`Run · Versicle`,
        loadComponent: () => import('./run.page').then((m) => m.RunPage),
      },
    ],
  },
];
