import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { sourceSetKey } from '@versicle/core';
import { catchError, forkJoin, map, of, switchMap } from 'rxjs';
import { allDatasets, datasetNames } from '../shared/all-datasets';
import { Api, type ServerProblem } from '../shared/api';
import { request } from '../shared/request';
import { sheetFeature } from '../sheet/sheet.feature';
import { sourceSetActions as a, sourceSetsFeature } from './source-sets.feature';

const place = (name: string): { system: string; dataset: string } => ({
  system: name.slice(0, name.indexOf('/')),
  dataset: name.slice(name.indexOf('/') + 1),
});

export const loadDatasets = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(() =>
        allDatasets(api).pipe(
          map((all) => a.datasetsLoaded({ datasets: datasetNames(all) })),
          catchError((error: ServerProblem) => of(a.datasetsFailed({ problem: error.message }))),
        ),
      ),
    ),
  { functional: true },
);

/** The fields of the datasets that are in the set. */
export const loadMembers = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ datasets }) =>
        forkJoin(
          datasets.map((name) => {
            const { system, dataset } = place(name);
            return api.call('getDataset', { params: { id: system }, query: { dataset } }).pipe(
              map((detail) => [name, detail.fields.map((f) => f.name)] as const),
              catchError(() => of([name, []] as const)),
            );
          }),
        ),
      ),
      map((entries) => a.membersLoaded({ members: Object.fromEntries(entries) })),
    ),
  { functional: true },
);

export const loadChoice = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.chosen),
      concatLatestFrom(() => store.select(sourceSetsFeature.selectMapping)),
      switchMap(([{ dataset: name }, id]) => {
        const { system, dataset } = place(name);
        return forkJoin([
          api.call('getDataset', { params: { id: system }, query: { dataset } }),
          api.call('proposeKeys', { params: { id }, query: { dataset: name } }),
        ]).pipe(
          map(([detail, keys]) => a.choiceLoaded({ choice: { dataset: name, detail, keys } })),
          catchError((error: ServerProblem) => of(a.choiceFailed({ problem: error.message }))),
        );
      }),
    ),
  { functional: true },
);

export const countMatches = request(a.count, 'countJoins', 'newest', {
  from: sheetFeature.selectSheetState,
  call: (_, { id, stored }) => (stored === null ? null : { params: { id } }),
  done: (figures, _, { stored }) => a.counted({ figures, key: sourceSetKey(stored!) }),
  failed: (problem) => a.countFailed({ problem }),
});
