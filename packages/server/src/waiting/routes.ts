import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { waitingForSystem } from './waiting.ts';

export function waitingRoutes(api: Api, { db, systems, waitingRecords, waitingChanges }: Services): void {
  api.on('getWaiting', ({ params }) => waitingForSystem(db, systems, params.id));
  api.on('listWaiting', async ({ params, query }) => {
    await systems.get(params.id);
    return waitingRecords.list(params.id, query);
  });
  api.on('changeWaiting', ({ params, body }, who) => waitingChanges.change(params.id, body, who.person));
}
