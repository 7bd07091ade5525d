import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import type { Answer } from '@versicle/contract';
import { debounceTime, map } from 'rxjs';
import { request } from '../shared/request';
import { systemsActions } from '../systems/systems.feature';
import { structuresActions as a } from './structures.feature';

type Catalogued = Answer<'catalogue'>;

export const load = request(a.opened, 'listStructures', 'newest', {
  call: ({ id, dataset }) => ({ params: { id }, query: { dataset } }),
  done: (versions) => a.loaded({ versions }),
  failed: (problem) => a.failed({ problem }),
});

export const bringIn = request(a.import, 'importStructure', 'in turn', {
  call: ({ id, dataset, fileName, content }) => ({ params: { id }, body: { dataset, fileName, content } }),
  done: (imported, { id }) => a.imported({ id, imported }),
  failed: (problem) => a.importFailed({ problem }),
});

/** What is brought in or looked at may show in the list of datasets. */
export const lookAgain = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.imported, a.catalogued),
      map(({ id }) => systemsActions.datasetsOpened({ id })),
    ),
  { functional: true },
);

export const catalogue = request(a.catalogue, 'catalogue', 'once', {
  call: ({ id, profile }) => ({ params: { id }, body: { profile } }),
  done: (looked, { id, profile }) => a.catalogued({ id, sentence: lookedAt(looked, profile) }),
  failed: (problem) => a.importFailed({ problem }),
});
function lookedAt({ datasets, fields, problems }: Catalogued, profile: boolean): string {
  const notRead = problems.map((p) => `${p.dataset}: ${p.message}`).join(' ');
  const looked = $localize`Looked at ${datasets} datasets with ${fields} fields; they can be found now.`;
  return `${looked}${profile ? $localize` Their records are being profiled.` : ''}${notRead ? $localize` Not read: ${notRead}` : ''}`;
}

/** While somebody types, the last text is looked for. */
export const find = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.find),
      debounceTime(200),
      map(({ text }) => a.findNow({ text })),
    ),
  { functional: true },
);
export const findNow = request(a.findNow, 'findFields', 'newest', {
  call: ({ text }) => ({ query: { text, limit: 200 } }),
  done: (fields) => a.found({ fields }),
  failed: (problem) => a.findFailed({ problem }),
});
