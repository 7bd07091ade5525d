import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { todayNow, waitingNow } from './today.ts';

export function todayRoutes(api: Api, services: Services): void {
  api.on('today', () => todayNow(services));
  api.on('waiting', () => waitingNow(services));
}
