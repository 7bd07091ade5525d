import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function apiKeyRoutes(api: Api, { apiKeys }: Services): void {
  api.on('listApiKeys', () => apiKeys.list());
  api.on('createApiKey', ({ body }, who) => apiKeys.create(body, who.person));
  api.on('deleteApiKey', async ({ params }) => {
    await apiKeys.remove(params.id);
    return { done: true };
  });
}
