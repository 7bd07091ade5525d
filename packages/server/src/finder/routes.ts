import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { find } from './finder.ts';

export function finderRoutes(api: Api, { db }: Services): void {
  api.on('find', ({ query }) => find(db, query.text, query.limit));
}
