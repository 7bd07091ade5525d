import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { lookAtAll } from './look-schedule.ts';

export function structureRoutes(api: Api, { structures, profiles, systems }: Services): void {
  api.on('getDataset', ({ params, query }) => structures.describe(params.id, query.dataset));
  api.on('listStructures', ({ params, query }) => structures.list(params.id, query.dataset));
  api.on('importStructure', ({ params, body }) =>
    structures.import(params.id, body.dataset, body.fileName, Buffer.from(body.content, 'base64')),
  );
  api.on('catalogue', ({ params, body }) => lookAtAll(structures, profiles, params.id, body.profile));
  api.on('setLookSchedule', ({ params, body }) => systems.scheduleLook(params.id, body.schedule));
  api.on('findFields', ({ query }) => structures.find(query.text, query.limit));
}
