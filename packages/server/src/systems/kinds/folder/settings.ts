import * as z from 'zod';
import { entry } from '../settings.ts';

/** What it takes to reach a folder of files. */
export const settings = z.strictObject({
  kind: z.literal('folder'),
  root: entry(z.string().min(1).max(4000), {
    title: 'Folder',
    description: 'The full path of a folder on this machine; nothing outside it can be read.',
    example: '/data/export',
  }),
});
export type FolderConnection = z.infer<typeof settings>;
