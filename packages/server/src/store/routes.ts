import { refused } from '@versicle/core';
import { backupLines, dropInstant, instantOfEmbedded } from '@versicle/store';
import { Router, type Request, type Response } from 'express';
import { pipeline } from 'node:stream/promises';
import { createGzip } from 'node:zlib';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { volumeOf } from '../volume/volume.ts';
import { removeOld, retention, saveRetention } from './retention.ts';

export function storeRoutes(api: Api, { db }: Services): void {
  api.on('getRetention', () => retention(db));
  api.on('saveRetention', ({ body }) => saveRetention(db, body));
  api.on('removeOld', async () => {
    await removeOld(db);
    return retention(db);
  });
  api.forAll('getVolume', ({ query }) => volumeOf(db, query));
}

/** All of an embedded store, as it is now, while work goes on. */
export function backupFile({ db, storeOnServer }: Pick<Services, 'db' | 'storeOnServer'>): Router {
  const router = Router();
  let under: Promise<void> | null = null;
  router.get('/store/backup', async (_req: Request, res: Response) => {
    if (storeOnServer)
      throw refused(
        'The store is on a PostgreSQL server: versicle store backup FILE --from URL takes its backup, also while work goes on.',
      );
    if (under !== null) throw refused('Another backup is being taken; wait for its end.');
    const taken = (async () => {
      const instant = await instantOfEmbedded(db);
      try {
        res.set('Cache-Control', 'no-store').attachment('versicle-store.backup.gz').type('application/gzip');
        await pipeline(backupLines(instant), createGzip({ level: 6 }), res);
      } finally {
        await dropInstant(db, instant.tables.length);
      }
    })();
    under = taken.finally(() => (under = null));
    under.catch(() => undefined);
    // Whoever takes it finds its end missing when it was cut off.
    await taken.catch((error: Error) => {
      if (!res.headersSent) throw error;
    });
  });
  return router;
}
