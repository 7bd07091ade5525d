import { notFound, refused } from '@versicle/core';
import * as z from 'zod';
import type { Kind, OpenSystem } from '../../../systems/kinds/kind.ts';
import { entry, secret } from '../../../systems/kinds/settings.ts';

const settings = z.strictObject({
  kind: z.literal('notebook'),
  shelf: entry(z.string().min(1).max(40), { title: 'Shelf', description: 'Where the notebook stands.' }),
  pages: entry(z.coerce.number().int().min(1).max(99).default(3), { title: 'Pages' }),
  clasp: secret('Clasp'),
});
type NotebookConnection = z.infer<typeof settings>;

/** A kind that only tests know: a folder and a registration are all that it takes. */
export const notebook: Kind<NotebookConnection> = {
  facts: {
    kind: 'notebook',
    words: 'Notebook',
    holds: true,
    empty: 'Nothing is written yet.',
    settledBy: null,
    asks: false,
    byRequest: false,
    arrives: null,
    target: null,
  },
  settings,
  where: ({ shelf }, id) => `${id} on shelf ${shelf}`,
  place: ['shelf'],
  makes: 'clasp',
  check: ({ shelf }) => {
    if (shelf === 'attic') throw refused('Nobody goes to the attic.');
  },
  open: ({ pages, clasp }) => openNotebook(pages, clasp),
};

function openNotebook(pages: number, clasp: string | undefined): OpenSystem {
  const fields = ['page', 'line'];
  return {
    test: () =>
      Promise.resolve({ ok: clasp !== undefined, code: 'ok', message: `It has ${pages} pages.`, sees: ['notes'] }),
    datasets: () =>
      Promise.resolve([
        { name: 'notes', description: 'what was written', records: pages, bytes: null, changedAt: null, problem: null },
      ]),
    describe: (name) =>
      name === 'notes'
        ? Promise.resolve({
            name,
            fields: fields.map((f) => ({ name: f, type: 'text', nullable: true, key: false, example: null })),
            format: [],
            guessedFrom: [],
            setting: null,
            settled: false,
            lines: [],
            parts: [],
            files: [],
            bytes: null,
            changedAt: null,
          })
        : Promise.reject(notFound(`There is no dataset ${name}.`)),
    read: async function* () {
      yield { fields, rows: Array.from({ length: pages }, (_, i) => [`${i + 1}`, `line ${i + 1}`]), file: null };
    },
  };
}
