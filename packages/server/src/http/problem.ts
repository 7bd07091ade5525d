import type { FaultCode } from '@versicle/core';

/** What each kind of fault is over HTTP: its status and title (RFC 9457). Nothing else in the server knows statuses. */
export const PROBLEMS: Readonly<Record<FaultCode, readonly [status: number, title: string]>> = {
  'not understood': [400, 'Not understood'],
  'not signed': [401, 'Not signed'],
  'too old': [401, 'Too old'],
  'not allowed': [403, 'Not allowed'],
  'not found': [404, 'Not found'],
  changed: [409, 'Changed meanwhile'],
  'too large': [413, 'Too large'],
  refused: [422, 'Not possible'],
  unreadable: [422, 'Not readable'],
  unwritable: [422, 'Not writable'],
  document: [422, 'Not a mapping document'],
  structure: [422, 'Not a usable schema'],
  'source set': [422, 'Not possible'],
  input: [422, 'Not possible'],
  'too often': [429, 'Too many requests'],
  start: [503, 'Not available'],
  unavailable: [503, 'Not available'],
  'store away': [503, 'The store is away'],
};
