import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as todayEffects from './today.effects';
import { todayFeature } from './today.feature';
import { TodayPage } from './today.page';

export const todayRoutes: Routes = [
  { path: '', component: TodayPage, providers: [provideState(todayFeature), provideEffects(todayEffects)] },
];
