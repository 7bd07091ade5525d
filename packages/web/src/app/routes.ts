import type { Routes } from '@angular/router';

/** Every view has an address; its filters are in the query. */
export const routes: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'today' },
  {
    path: 'today',
    title: 'Today · Versicle',
    loadComponent: () => import('./today/today.page').then((m) => m.TodayPage),
  },
  {
    path: 'systems',
    title: 'Systems · Versicle',
    loadComponent: () => import('./systems/systems.page').then((m) => m.SystemsPage),
  },
  {
    path: 'systems/:id',
    title: 'System · Versicle',
    loadComponent: () => import('./systems/system.page').then((m) => m.SystemPage),
  },
  {
    path: 'systems/:id/dataset',
    title: 'Dataset · Versicle',
    loadComponent: () => import('./systems/dataset.page').then((m) => m.DatasetPage),
  },
  {
    path: 'mappings',
    title: 'Mappings · Versicle',
    loadComponent: () => import('./mappings/mappings.page').then((m) => m.MappingsPage),
  },
  {
    path: 'mappings/new',
    title: 'New mapping · Versicle',
    loadComponent: () => import('./mappings/new-mapping.page').then((m) => m.NewMappingPage),
  },
  {
    path: 'mappings/new/spreadsheet',
    title: 'From a spreadsheet · Versicle',
    loadComponent: () => import('./foreign/foreign.page').then((m) => m.ForeignPage),
  },
  {
    path: 'mappings/all/lines',
    title: 'All lines · Versicle',
    loadComponent: () => import('./mappings/lines.page').then((m) => m.LinesPage),
  },
  {
    path: 'mappings/all/awaiting',
    title: 'What awaits whom · Versicle',
    loadComponent: () => import('./mappings/awaiting.page').then((m) => m.AwaitingPage),
  },
  {
    path: 'mappings/:id/revisions',
    title: 'Revisions · Versicle',
    loadComponent: () => import('./mappings/revisions.page').then((m) => m.RevisionsPage),
  },
  {
    path: 'mappings/:id',
    title: 'Mapping sheet · Versicle',
    loadChildren: () => import('./sheet/sheet.routes').then((m) => m.sheetRoutes),
  },
  {
    path: 'plans',
    title: 'Plans · Versicle',
    loadComponent: () => import('./plans/plans.page').then((m) => m.PlansPage),
  },
  { path: 'runs', title: 'Runs · Versicle', loadComponent: () => import('./runs/runs.page').then((m) => m.RunsPage) },
  { path: 'runs/:id', title: 'Run · Versicle', loadComponent: () => import('./runs/run.page').then((m) => m.RunPage) },
  {
    path: 'failures',
    title: 'Failed records · Versicle',
    loadComponent: () => import('./failures/failures.page').then((m) => m.FailuresPage),
  },
  {
    path: 'codes',
    title: 'Code tables · Versicle',
    loadComponent: () => import('./codes/codes.page').then((m) => m.CodesPage),
  },
  {
    path: 'codes/:name',
    title: 'Code table · Versicle',
    loadComponent: () => import('./codes/code-table.page').then((m) => m.CodeTablePage),
  },
  { path: 'help', title: 'Help · Versicle', loadComponent: () => import('./help/help.page').then((m) => m.HelpPage) },
  {
    path: '**',
    title: 'Not found · Versicle',
    loadComponent: () => import('./frame/not-found.page').then((m) => m.NotFoundPage),
  },
];
