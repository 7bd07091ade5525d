import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { triggerOutlook } from './trigger-times.ts';

export function planRoutes(api: Api, { db, calendars, plans, starter }: Services): void {
  api.forAll('listPlans', () => plans.list());
  api.forAll('getPlan', ({ params }) => plans.get(params.id));
  api.on('createPlan', ({ body }, who) => plans.create(body, who.person));
  api.on('changePlan', ({ params, body }, who) => plans.save(params.id, body.document, body.version, who.person));
  api.on('checkPlan', async ({ body }) => {
    const problems = await plans.problems(body.document, body.id);
    return {
      problems,
      triggers: problems.length > 0 ? [] : await triggerOutlook(db, body.document, await calendars.days()),
    };
  });
  api.on('holdPlan', ({ params, body }) => plans.hold(params.id, body.held));
  api.on('deletePlan', async ({ params }) => {
    await plans.remove(params.id);
    return { done: true };
  });
  api.on('listPlanVersions', ({ params }) => plans.versions(params.id));
  api.on('startPlan', async ({ params, body }, who) => ({ run: await starter.start(params.id, body, who.person) }));
}
