import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function structureRoutes(api: Api, { structures, profiles }: Services): void {
  api.on('getDataset', ({ params, query }) => structures.describe(params.id, query.dataset));
  api.on('listStructures', ({ params, query }) => structures.list(params.id, query.dataset));
  api.on('importStructure', ({ params, body }) =>
    structures.import(params.id, body.dataset, body.fileName, Buffer.from(body.content, 'base64')),
  );
  api.on('catalogue', async ({ params, body }) => {
    const { datasets, fields, problems } = await structures.catalogue(params.id);
    if (body.profile) for (const dataset of datasets) await profiles.ask(params.id, dataset, null);
    return { datasets: datasets.length, fields, problems };
  });
  api.on('findFields', ({ query }) => structures.find(query.text, query.limit));
}
