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
        title: 'New mapping · Versicle',
        loadComponent: () => import('./new-mapping.page').then((m) => m.NewMappingPage),
      },
      {
        path: 'new/spreadsheet',
        title: 'From a spreadsheet · Versicle',
        loadComponent: () => import('../foreign/foreign.page').then((m) => m.ForeignPage),
      },
      {
        path: 'all/lines',
        title: 'All lines · Versicle',
        loadComponent: () => import('./lines.page').then((m) => m.LinesPage),
      },
      {
        path: 'all/awaiting',
        title: 'What awaits whom · Versicle',
        loadComponent: () => import('./awaiting.page').then((m) => m.AwaitingPage),
      },
      {
        path: ':id/revisions',
        title: 'Revisions · Versicle',
        loadComponent: () => import('./revisions.page').then((m) => m.RevisionsPage),
      },
      {
        path: ':id',
        title: 'Mapping sheet · Versicle',
        loadChildren: () => import('../sheet/sheet.routes').then((m) => m.sheetRoutes),
      },
    ],
  },
];
