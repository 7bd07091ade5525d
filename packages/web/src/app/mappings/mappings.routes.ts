import type { Routes } from '@angular/router';
import { systemsState } from '../systems/systems.state';
import { mappingsState } from './mappings.state';

export const mappingsRoutes: Routes = [
  {
    path: '',
    providers: [...mappingsState, ...systemsState],
    children: [
      { path: '', loadComponent: () => import('./mappings.page').then((m) => m.MappingsPage) },
      {
        path: 'new',
        title: $localize`New mapping · Versicle`,
        loadComponent: () => import('./new-mapping.page').then((m) => m.NewMappingPage),
      },
      {
        path: 'new/spreadsheet',
        title: $localize`From a spreadsheet · Versicle`,
        loadComponent: () => import('../foreign/foreign.page').then((m) => m.ForeignPage),
      },
      {
        path: 'all/lines',
        title: $localize`All lines · Versicle`,
        loadComponent: () => import('./lines.page').then((m) => m.LinesPage),
      },
      {
        path: 'all/awaiting',
        title: $localize`What awaits whom · Versicle`,
        loadComponent: () => import('./awaiting.page').then((m) => m.AwaitingPage),
      },
      {
        path: ':id/revisions',
        title: $localize`Revisions · Versicle`,
        loadComponent: () => import('./revisions.page').then((m) => m.RevisionsPage),
      },
      {
        path: ':id',
        title: $localize`Mapping sheet · Versicle`,
        loadChildren: () => import('../sheet/sheet.routes').then((m) => m.sheetRoutes),
      },
    ],
  },
];
