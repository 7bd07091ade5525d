import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { volumeOf } from '../volume/volume.ts';
import { removeOld, retention, saveRetention } from './retention.ts';

export function storeRoutes(api: Api, { db }: Services): void {
  api.on('getRetention', () => retention(db));
  api.on('saveRetention', ({ body }) => saveRetention(db, body));
  api.on('removeOld', async () => {
    await removeOld(db);
    return retention(db);
  });
  api.on('getVolume', ({ query }) => volumeOf(db, query));
}
