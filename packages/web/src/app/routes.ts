import type { Routes } from '@angular/router';

/** Every view has an address; its filters are in the query. Each area brings its own state when it is first opened. */
export const routes: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'today' },
  {
    path: 'today',
    title: $localize`Today · Versicle`,
    loadChildren: () => import('./today/today.routes').then((m) => m.todayRoutes),
  },
  {
    path: 'systems',
    title: $localize`Systems · Versicle`,
    loadChildren: () => import('./systems/systems.routes').then((m) => m.systemsRoutes),
  },
  {
    path: 'mappings',
    title: $localize`Mappings · Versicle`,
    loadChildren: () => import('./mappings/mappings.routes').then((m) => m.mappingsRoutes),
  },
  {
    path: 'plans',
    title: $localize`Plans · Versicle`,
    loadChildren: () => import('./plans/plans.routes').then((m) => m.plansRoutes),
  },
  {
    path: 'runs',
    title: $localize`Runs · Versicle`,
    loadChildren: () => import('./runs/runs.routes').then((m) => m.runsRoutes),
  },
  {
    path: 'failures',
    title: $localize`Failed records · Versicle`,
    loadChildren: () => import('./failures/failures.routes').then((m) => m.failuresRoutes),
  },
  {
    path: 'codes',
    title: $localize`Code tables · Versicle`,
    loadChildren: () => import('./codes/codes.routes').then((m) => m.codesRoutes),
  },
  {
    path: 'settings',
    title: $localize`Settings · Versicle`,
    loadChildren: () => import('./settings/settings.routes').then((m) => m.settingsRoutes),
  },
  { path: 'help', pathMatch: 'full', redirectTo: 'help/first-steps' },
  {
    path: 'help/:chapter',
    title: $localize`Help · Versicle`,
    loadComponent: () => import('./help/help.page').then((m) => m.HelpPage),
  },
  {
    path: '**',
    title: $localize`Not found · Versicle`,
    loadComponent: () => import('./frame/not-found.page').then((m) => m.NotFoundPage),
  },
];
