import * as z from 'zod';
import { runSummary } from './runs.ts';
import { waiting } from './common.ts';
import { presentPerson } from './mappings.ts';

/** What the server tells open pages. */
export const serverEvent = z.discriminatedUnion('type', [
  z.object({ type: z.literal('run'), run: runSummary }),
  z.object({ type: z.literal('waiting'), waiting }),
  z.object({ type: z.literal('mapping'), id: z.string() }),
  /** Who has a mapping's sheet open, and which line. */
  z.object({ type: z.literal('present'), mapping: z.string(), people: z.array(presentPerson) }),
  /** The trial of a mapping went on or ended. */
  z.object({ type: z.literal('trial'), mapping: z.string() }),
  /** A dataset was profiled. */
  z.object({ type: z.literal('profile'), system: z.string(), dataset: z.string() }),
]);
export type ServerEvent = z.infer<typeof serverEvent>;
