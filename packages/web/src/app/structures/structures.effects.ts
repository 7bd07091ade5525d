import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { debounceTime, map, switchMap } from 'rxjs';
import { Api } from '../shared/api';
import { systemsActions } from '../systems/systems.feature';
import { structuresActions as a } from './structures.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ id, dataset }) =>
        api.asAction(
          'listStructures',
          { params: { id }, query: { dataset } },
          (versions) => a.loaded({ versions }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const bringIn = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.import),
      switchMap(({ id, dataset, fileName, content }) =>
        api.asAction(
          'importStructure',
          { params: { id }, body: { dataset, fileName, content } },
          (imported) => a.imported({ id, imported }),
          (problem) => a.importFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** What is brought in or looked at may show in the list of datasets. */
export const lookAgain = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.imported, a.catalogued),
      map(({ id }) => systemsActions.datasetsOpened({ id })),
    ),
  { functional: true },
);

export const catalogue = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.catalogue),
      switchMap(({ id, profile }) =>
        api.asAction(
          'catalogue',
          { params: { id }, body: { profile } },
          (c) => {
            const problems = c.problems.map((p) => `${p.dataset}: ${p.message}`).join(' ');
            const looked = `Looked at ${c.datasets} datasets with ${c.fields} fields; they can be found now.`;
            return a.catalogued({
              id,
              sentence: `${looked}${profile ? ' Their records are being profiled.' : ''}${problems ? ` Not read: ${problems}` : ''}`,
            });
          },
          (problem) => a.importFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const find = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.find),
      debounceTime(200),
      switchMap(({ text }) =>
        api.asAction(
          'findFields',
          { query: { text, limit: 200 } },
          (fields) => a.found({ fields }),
          (problem) => a.findFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
