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
import * as frameEffects from './frame/frame.effects';
import { frameFeature } from './frame/frame.feature';
import { routes } from './routes';
import { icons } from './shared/icons';
import { asPerson } from './shared/who';

registerLocaleData(en);

export const appConfig: ApplicationConfig = {
  providers: [
    provideBrowserGlobalErrorListeners(),
    provideRouter(routes, withComponentInputBinding(), withInMemoryScrolling({ scrollPositionRestoration: 'enabled' })),
    provideHttpClient(withFetch(), withInterceptors([asPerson])),
    provideStore({ router: routerReducer, [frameFeature.name]: frameFeature.reducer }),
    provideEffects(frameEffects),
    provideRouterStore(),
    { provide: LOCALE_ID, useValue: 'en-GB' },
    provideNzI18n(en_GB),
    provideNzIcons(icons),
  ],
};
