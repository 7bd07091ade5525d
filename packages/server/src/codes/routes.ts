import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { harmlessCell } from '@versicle/core';
import { openRecordFile } from '@versicle/files';
import { Router, type Request, type Response } from 'express';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function codeRoutes(api: Api, { codes, events }: Services): void {
  api.forAll('listCodeTables', () => codes.list());
  api.on('createCodeTable', ({ body }, who) => codes.create(body, who.person));
  api.on('getCodeTable', ({ params }) => codes.get(params.name));
  api.on('saveCodeTable', ({ params, body }, who) => codes.save(params.name, body, who.person));
  api.on('deleteCodeTable', async ({ params }) => {
    await codes.remove(params.name);
    return { done: true };
  });
  api.on('readCodes', ({ body }) => codes.read(body.beside, body.fileName, body.content));
  api.on('bringUpToDate', async ({ params, body }, who) => {
    const table = await codes.bringUp(params.name, body.mappings, who.person);
    for (const id of body.mappings) events.send({ type: 'mapping', id });
    return table;
  });
  api.on('translateCodes', ({ params, body }) => codes.translate(params.name, body.codes));
}

const COLUMNS = ['from', 'to', 'meaning', 'valid from', 'valid to'].map((name) => ({
  name,
  type: { value: 'text' as const, sql: 'text' },
}));

/** A code table as CSV or XLSX, as a download; what could be taken for a formula is made harmless in the CSV, too. */
export function codeFiles({ codes }: Pick<Services, 'codes'>): Router {
  const router = Router();
  for (const ending of ['csv', 'xlsx'] as const)
    router.get(`/codes/:name/codes.${ending}`, async (req: Request<{ name: string }>, res: Response) => {
      const { name } = req.params;
      const table = await codes.get(name);
      const folder = mkdtempSync(join(tmpdir(), 'versicle-codes-'));
      try {
        const path = join(folder, `codes.${ending}`);
        const file = await openRecordFile(path, COLUMNS);
        const cell = (text: string | undefined): string | null =>
          text === undefined ? null : ending === 'csv' ? harmlessCell(text) : text;
        for (const c of table.codes) file.write([c.from, c.to, c.meaning, c.validFrom, c.validTo].map(cell));
        await file.close();
        await new Promise<void>((resolve, reject) =>
          res
            .set('Cache-Control', 'no-store')
            .download(path, `${name}.${ending}`, { dotfiles: 'allow' }, (error) => (error ? reject(error) : resolve())),
        );
      } finally {
        rmSync(folder, { recursive: true, force: true });
      }
    });
  return router;
}
