import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function keyMapRoutes(api: Api, { keyMaps }: Services): void {
  api.on('getKeyMap', ({ params, query }) => keyMaps.get(params.id, query.search, query.limit));
  api.on('keepKeyMap', async ({ params, body }) => {
    await keyMaps.keep(params.id, body.kept);
    return { done: true };
  });
  api.on('importKeys', ({ params, body }) => keyMaps.import(params.id, body.fileName, body.content));
}
