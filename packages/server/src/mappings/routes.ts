import { Router, type Request, type Response } from 'express';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { Presence } from './presence.ts';

export function mappingRoutes(api: Api, { mappings, workbooks, events, peers }: Services): void {
  const changed = async (id: string): Promise<void> => {
    events.send({ type: 'mapping', id });
    await events.waitingChanged();
  };
  const presence = new Presence(events, peers);
  api.on('amHere', async ({ params, body }, who) => {
    await mappings.draft(params.id);
    return presence.here(params.id, { page: body.page, person: who.person, line: body.line }, body.left);
  });
  api.forAll('listMappings', () => mappings.list());
  api.on('createMapping', async ({ body }) => {
    const made = await mappings.create(body.document);
    await changed(made.id);
    return made;
  });
  api.forAll('getMapping', ({ params }) => mappings.get(params.id));
  api.on('suggestLines', ({ params }) => mappings.suggestions(params.id));
  api.on('restoreRevision', async ({ params }, who) => {
    const restored = await mappings.restore(params.id, params.number, who.person);
    await changed(params.id);
    return restored;
  });
  api.on('readWorkbook', ({ params, body }) => workbooks.read(params.id, body.fileName, body.content));
  api.forAll('listLines', () => mappings.lines());
  api.on('getSynonyms', () => mappings.synonyms());
  api.on('setSynonyms', ({ body }) => mappings.setSynonyms(body));
  api.on('saveDraft', async ({ params, body }, who) => {
    const saved = await mappings.save(params.id, body, who.person);
    await changed(params.id);
    return saved;
  });
  api.on('arrivedSave', async ({ params }) => ({ arrived: await mappings.arrived(params.id, params.save) }));
  api.on('publish', async ({ params, body }, who) => {
    const revision = await mappings.publish(params.id, body.note, who.person);
    await changed(params.id);
    return revision;
  });
  api.on('targetOutlook', ({ params, query }) => mappings.targetOutlook(params.id, query.of));
  api.on('addTargetFields', async ({ params }) => ({ added: await mappings.addTargetFields(params.id) }));
  api.on('lineHistory', async ({ params }, who) => {
    await mappings.draft(params.id);
    return mappings.history.of(params.id, params.line, who.person);
  });
  api.on('sayWhy', async ({ params, body }, who) => {
    await mappings.history.sayWhy(params.id, params.line, params.event, body.why, who.person);
    return mappings.history.of(params.id, params.line, who.person);
  });
  api.on('commentOnLine', async ({ params, body }, who) => {
    await mappings.draft(params.id);
    await mappings.history.comment(params.id, params.line, body.text, who.person);
    return mappings.history.of(params.id, params.line, who.person);
  });
  api.forAll('listRevisions', ({ params }) => mappings.revisions(params.id));
  api.on('getRevision', ({ params }) => mappings.revision(params.id, params.number));
  api.on('difference', ({ params, query }) => mappings.difference(params.id, query.from, query.to));
}

/** The draft as a workbook, as a download. */
export function workbookFiles({ workbooks }: Pick<Services, 'workbooks'>): Router {
  const router = Router();
  router.get('/mappings/:id/workbook.xlsx', async (req: Request<{ id: string }>, res: Response) => {
    const { id } = req.params;
    await workbooks.give(
      id,
      (path) =>
        new Promise<void>((resolve, reject) =>
          res
            .set('Cache-Control', 'no-store')
            .download(path, `${id}.xlsx`, { dotfiles: 'allow' }, (error) => (error ? reject(error) : resolve())),
        ),
    );
  });
  return router;
}
