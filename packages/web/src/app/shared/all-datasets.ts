import type { System } from '@versicle/contract';
import { catchError, forkJoin, map, of, switchMap, type Observable } from 'rxjs';
import type { Api } from './api';

export interface SystemDatasets {
  readonly system: System;
  readonly datasets: readonly string[];
}

/** What the systems hold that answer; the others are not waited for. Fails only when the systems themselves can't be listed. */
export function allDatasets(api: Api): Observable<SystemDatasets[]> {
  return api.call('listSystems', {}).pipe(
    map((systems) => systems.filter((s) => s.diagnosis?.ok)),
    switchMap((systems) =>
      systems.length === 0
        ? of([])
        : forkJoin(
            systems.map((system) =>
              api.call('listDatasets', { params: { id: system.id } }).pipe(
                map((list) => ({ system, datasets: list.filter((d) => d.problem === null).map((d) => d.name) })),
                catchError(() => of<SystemDatasets>({ system, datasets: [] })),
              ),
            ),
          ),
    ),
  );
}
/** Their names as mappings write them: system/dataset. */
export function datasetNames(all: readonly SystemDatasets[]): string[] {
  return all.flatMap(({ system, datasets }) => datasets.map((name) => `${system.id}/${name}`));
}
