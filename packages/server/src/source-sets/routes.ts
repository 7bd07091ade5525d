import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function sourceSetRoutes(api: Api, { mappings, sourceSets }: Services): void {
  api.on('getSample', ({ params }) => mappings.sample(params.id));
  api.on('countJoins', async ({ params }) => {
    const { document } = await mappings.draft(params.id);
    await mappings.requireSourceSet(document);
    const figures = await sourceSets.figures(document, await mappings.variables(params.id));
    return figures.map((f) => ({
      ...f,
      withoutPartner: [...f.withoutPartner],
      unusedExamples: [...f.unusedExamples],
      severalPartners: [...f.severalPartners],
    }));
  });
  api.on('proposeKeys', async ({ params, query }) => {
    const { document } = await mappings.draft(params.id);
    return [...(await sourceSets.proposeKeys(document, query.dataset))];
  });
}
