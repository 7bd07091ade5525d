import * as z from 'zod';
import { signingIn } from '../http/settings.ts';
import { entry, text } from '../settings.ts';

/** What it takes to be told of what keeps coming over a connection that is held open. */
export const settings = z.strictObject({
  kind: z.literal('stream'),
  base: entry(
    z.url({ protocol: /^https?$/, error: 'write it in full, with http:// or https:// before it' }).max(2000),
    {
      title: 'Address',
      description: 'Asked for once, and held open: what comes is taken as it comes.',
      example: 'https://docks.example.org/events',
    },
  ),
  form: entry(z.enum(['events', 'lines']).default('events'), {
    title: 'What comes',
    words: { events: 'server-sent events', lines: 'JSON, a record a line' },
  }),
  only: text('Only events called', 'With commas between them; empty: all of them.', {
    when: { entry: 'form', is: ['events'] },
    example: 'docked, undocked',
  }),
  idField: text(
    'Field with the record’s id',
    'No two records have the same: what comes again under it counts once. An event’s own id goes before it.',
    { example: 'event.id' },
  ),
  unnamed: entry(z.enum(['stop', 'each']).default('stop'), {
    title: 'A record without an id',
    description: 'Nothing tells whether it came before: after a break it may come twice, or never.',
    words: { stop: 'is not taken, and this is said', each: 'counts anew each time that it comes' },
  }),
  goesOn: entry(z.enum(['header', 'query', 'anew']).default('header'), {
    title: 'After a break it goes on',
    description: 'The header is Last-Event-ID, as servers of events know it.',
    words: {
      header: 'after the last id, by a header',
      query: 'after the last id, by the address',
      anew: 'with whatever comes then',
    },
  }),
  goesOnAs: text('Query value with the last id', 'As the other side calls it.', {
    when: { entry: 'goesOn', is: ['query'] },
    example: 'after',
  }),
  takes: entry(z.enum(['on', 'off']).default('on'), {
    title: 'What comes is taken',
    words: { on: 'from now on', off: 'not now' },
  }),
  ...signingIn,
  silenceSeconds: entry(z.coerce.number().int().min(0).max(86_400).default(120), {
    title: 'Longest silence in seconds',
    description: 'Then the connection is made anew. 0: it may be silent for as long as it likes.',
  }),
  timeoutSeconds: entry(z.coerce.number().int().min(1).max(600).default(30), {
    title: 'Time-out in seconds',
    description: 'Until it begins to answer.',
  }),
});
export type StreamConnection = z.infer<typeof settings>;
