import { inject } from '@angular/core';
import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as sourceSetsEffects from '../source-sets/source-sets.effects';
import { sourceSetsFeature } from '../source-sets/source-sets.feature';
import * as trialEffects from '../trial/trial.effects';
import { trialFeature } from '../trial/trial.feature';
import { SheetKeeper } from './sheet-keeper';
import * as sheetEffects from './sheet.effects';
import { sheetFeature } from './sheet.feature';
import { SheetPage } from './sheet.page';

/** The sheet with all that it works with: documents, rules, trials. No other page needs them. */
export const sheetRoutes: Routes = [
  {
    path: '',
    component: SheetPage,
    // Nothing that was typed is lost by leaving.
    canDeactivate: [() => inject(SheetKeeper).settled()],
    providers: [
      provideState(sheetFeature),
      provideState(trialFeature),
      provideState(sourceSetsFeature),
      provideEffects(sheetEffects, trialEffects, sourceSetsEffects),
    ],
  },
];
