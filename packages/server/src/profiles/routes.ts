import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function profileRoutes(api: Api, { profiles }: Services): void {
  api.on('getKnowledge', ({ params, query }) => profiles.knowledge(params.id, query.dataset));
  api.on('askProfile', async ({ params, body }) => {
    await profiles.ask(params.id, body.dataset, body.rowLimit);
    return { done: true };
  });
  api.on('addCheck', ({ params, body }) => profiles.addCheck(params.id, body.dataset, body.rule, body.message));
  api.on('removeCheck', async ({ params }) => {
    await profiles.removeCheck(params.id);
    return { done: true };
  });
  api.on('markLookedOver', ({ params, body }, who) =>
    profiles.markLookedOver(params.id, body.dataset, who.person, body.note),
  );
}
