import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as codesEffects from './codes.effects';
import { codesFeature } from './codes.feature';

export const codesRoutes: Routes = [
  {
    path: '',
    providers: [provideState(codesFeature), provideEffects(codesEffects)],
    children: [
      { path: '', loadComponent: () => import('./codes.page').then((m) => m.CodesPage) },
      {
        path: ':name',
        title: $localize`Code table · Versicle`,
        loadComponent: () => import('./code-table.page').then((m) => m.CodeTablePage),
      },
    ],
  },
];
