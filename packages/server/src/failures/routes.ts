import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function failureRoutes(api: Api, { failures, engine, events }: Services): void {
  api.forAll('listCauses', ({ query }) => failures.causes(query));
  api.forAll('listFailures', ({ query }) => failures.list(query));
  api.forAll('getFailure', ({ params }) => failures.get(params.id));
  api.on('replay', async ({ body }, who) => {
    const { run } = await failures.takeForReplay(body, who.person);
    await engine.enqueue(run);
    await events.waitingChanged();
    return { run };
  });
  api.on('waive', async ({ body }, who) => {
    const records = await failures.waive(body, who.person);
    await events.waitingChanged();
    return { records };
  });
}
