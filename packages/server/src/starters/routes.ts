import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function starterRoutes(api: Api, { starters, events }: Services): void {
  api.on('listStarters', () => starters.list());
  api.on('keepStarter', ({ body }, who) => starters.keep(body.mapping, body.name, who.person));
  api.on('removeStarter', async ({ params }) => {
    await starters.remove(params.id);
    return { done: true };
  });
  api.on('useStarter', async ({ params, body }) => {
    const made = await starters.use(params.id, body);
    events.send({ type: 'mapping', id: made.id });
    return made;
  });
}
