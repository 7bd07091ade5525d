import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function workerRoutes(api: Api, { workers }: Services): void {
  api.forAll('listWorkers', () => workers.list());
}
