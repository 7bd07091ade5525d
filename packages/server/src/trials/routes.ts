import { Router, type Request, type Response } from 'express';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { TRIAL_FILES, type Trials } from './trials.ts';

export function trialRoutes(api: Api, { trials, mappings }: Services): void {
  api.on('getTrial', async ({ params }) => {
    await mappings.draft(params.id);
    return trials.state(params.id);
  });
  api.on('startTrial', ({ params, body }) => trials.start(params.id, body.rowLimit));
  api.on('cancelTrial', ({ params }) => trials.cancel(params.id));
}

/** The files of a finished trial, as downloads. */
export function trialFiles(trials: Trials): Router {
  const router = Router();
  for (const kind of ['written', 'failed'] as const)
    router.get(`/mappings/:id/trial/${TRIAL_FILES[kind]}`, async (req: Request<{ id: string }>, res: Response) => {
      const { id } = req.params;
      res.set('Cache-Control', 'no-store').download(await trials.file(id, kind), `${id}-${TRIAL_FILES[kind]}`, {
        // The data directory may lie in a hidden one.
        dotfiles: 'allow',
      });
    });
  return router;
}
