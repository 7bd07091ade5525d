import { registerLocaleData } from '@angular/common';
import { provideHttpClient, withFetch, withInterceptors } from '@angular/common/http';
import en from '@angular/common/locales/en-GB';
import { type ApplicationConfig, LOCALE_ID, provideBrowserGlobalErrorListeners } from '@angular/core';
import { provideRouter, withComponentInputBinding, withInMemoryScrolling } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideRouterStore, routerReducer } from '@ngrx/router-store';
import { provideStore } from '@ngrx/store';
import { en_GB, provideNzI18n } from 'ng-zorro-antd/i18n';
import { provideNzIcons } from 'ng-zorro-antd/icon';
import * as codesEffects from './codes/codes.effects';
import { codesFeature } from './codes/codes.feature';
import * as failuresEffects from './failures/failures.effects';
import { failuresFeature } from './failures/failures.feature';
import * as frameEffects from './frame/frame.effects';
import { frameFeature } from './frame/frame.feature';
import * as mappingsEffects from './mappings/mappings.effects';
import { mappingsFeature } from './mappings/mappings.feature';
import * as plansEffects from './plans/plans.effects';
import { plansFeature } from './plans/plans.feature';
import * as profilesEffects from './profiles/profiles.effects';
import { profilesFeature } from './profiles/profiles.feature';
import { routes } from './routes';
import * as runsEffects from './runs/runs.effects';
import { runsFeature } from './runs/runs.feature';
import { icons } from './shared/icons';
import { asPerson } from './shared/who';
import * as structuresEffects from './structures/structures.effects';
import { structuresFeature } from './structures/structures.feature';
import * as systemsEffects from './systems/systems.effects';
import { systemsFeature } from './systems/systems.feature';
import * as todayEffects from './today/today.effects';
import { todayFeature } from './today/today.feature';

registerLocaleData(en);

export const appConfig: ApplicationConfig = {
  providers: [
    provideBrowserGlobalErrorListeners(),
    provideRouter(routes, withComponentInputBinding(), withInMemoryScrolling({ scrollPositionRestoration: 'enabled' })),
    provideHttpClient(withFetch(), withInterceptors([asPerson])),
    provideStore({
      router: routerReducer,
      [frameFeature.name]: frameFeature.reducer,
      [todayFeature.name]: todayFeature.reducer,
      [systemsFeature.name]: systemsFeature.reducer,
      [structuresFeature.name]: structuresFeature.reducer,
      [profilesFeature.name]: profilesFeature.reducer,
      [mappingsFeature.name]: mappingsFeature.reducer,
      [codesFeature.name]: codesFeature.reducer,
      [plansFeature.name]: plansFeature.reducer,
      [runsFeature.name]: runsFeature.reducer,
      [failuresFeature.name]: failuresFeature.reducer,
    }),
    provideEffects(
      frameEffects,
      todayEffects,
      systemsEffects,
      structuresEffects,
      profilesEffects,
      mappingsEffects,
      codesEffects,
      plansEffects,
      runsEffects,
      failuresEffects,
    ),
    provideRouterStore(),
    { provide: LOCALE_ID, useValue: 'en-GB' },
    provideNzI18n(en_GB),
    provideNzIcons(icons),
  ],
};
