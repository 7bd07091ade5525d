import { learn } from './learning.ts';
import { refused } from '@versicle/core';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function systemRoutes(api: Api, { systems, signIn, events }: Services): void {
  const changed = async <T>(result: Promise<T>): Promise<T> => {
    const value = await result;
    await events.waitingChanged();
    return value;
  };
  api.on('listKinds', () => systems.kinds.shown());
  api.forAll('listSystems', () => systems.list());
  api.on('createSystem', ({ body }) => changed(systems.create(body)));
  api.forAll('getSystem', ({ params }) => systems.get(params.id));
  api.on('deleteSystem', async ({ params }) => {
    await changed(systems.remove(params.id));
    return { done: true };
  });
  api.on('testSystem', ({ params }) => changed(systems.test(params.id)));
  api.on('listDatasets', ({ params }) => systems.datasets(params.id));
  api.on('getRows', ({ params, query }, { signal }) =>
    systems.rowsToShow(params.id, query.dataset, {
      filter: query.filter?.trim() || null,
      sort: query.sort?.trim() || null,
      limit: query.limit,
      signal,
    }),
  );
  api.on('countRows', ({ params, query }, { signal }) => systems.count(params.id, query.dataset, query.filter, signal));
  api.on('beginSignIn', ({ params, body }) => signIn.begin(params.id, body.origin));
  api.on('changeSystem', ({ params, body }) => changed(systems.change(params.id, body)));
  api.on('settleDataset', ({ params, body }) => systems.settle(params.id, body.dataset, body.setting));
  api.on('learnDataset', ({ params, body }, { signal }) => learn(systems, params.id, body.dataset, signal));
  api.on('tryWrite', async ({ params, body }) => {
    const { system } = await systems.openById(params.id);
    if (!system.tryWrite) throw refused('Only datasets of APIs are tried so.');
    return system.tryWrite(body.dataset, body.records, body.bad);
  });
  api.on('unsettleDataset', async ({ params, query }) => {
    await systems.unsettle(params.id, query.dataset);
    return { done: true };
  });
}
