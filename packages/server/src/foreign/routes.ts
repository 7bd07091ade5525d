import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function foreignRoutes(api: Api, { foreign }: Services): void {
  api.on('lookAtForeign', ({ body }) => foreign.look(body.fileName, body.content));
  api.on('readForeign', ({ body }) => foreign.read(body));
}
