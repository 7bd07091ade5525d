import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function filterRoutes(api: Api, { filters }: Services): void {
  api.on('listFilters', ({ params, query }) => filters.list(params.id, query.dataset));
  api.on('keepFilter', ({ params, body }, who) => filters.keep(params.id, body, who.person));
  api.on('forgetFilter', async ({ params }) => {
    await filters.forget(params.id);
    return { done: true };
  });
}
