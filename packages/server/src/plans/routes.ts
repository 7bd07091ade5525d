import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function planRoutes(api: Api, { plans, engine }: Services): void {
  api.on('listPlans', () => plans.list());
  api.on('createPlan', ({ body }) => plans.create(body.name, body.mapping, body.removesAtMost));
  api.on('changePlan', ({ params, body }) => plans.change(params.id, body.removesAtMost));
  api.on('startPlan', async ({ params, body }, who) => {
    const run = await plans.start(params.id, body.rowLimit ?? null, who.person);
    await engine.enqueue(run);
    return { run };
  });
}
