import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { todayNow, waitingNow } from './today.ts';

export function todayRoutes(api: Api, services: Services): void {
  api.forAll('today', () => todayNow(services));
  api.forAll('waiting', () => waitingNow(services));
  api.on('newFieldsSeen', async ({ params }) => {
    await services.db.query('UPDATE source_news SET seen = true WHERE mapping = $1', [params.id]);
    return { done: true };
  });
}
