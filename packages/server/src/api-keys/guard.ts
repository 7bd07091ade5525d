import type { ApiKey } from '@versicle/contract';
import { Fault } from '@versicle/core';
import type { RequestHandler } from 'express';
import type { ApiKeys } from './api-keys.ts';

/** What starts and ends runs; all of these are sent by POST. Addresses are the same in small and capital letters. */
const STARTS = /^\/(?:plans\/([^/]+)\/start|runs\/\d+\/(?:cancel|take-up|pause|resume))\/?$/i;
/** What only looks, though it is sent by POST. */
const LOOKS = /^\/plan-check\/?$/i;

/** Requests with an API key may do what the key lets them; requests without one come from a person at this machine. */
export function keyGuard(keys: ApiKeys): RequestHandler {
  return async (req, res, next) => {
    const said = req.get('Authorization');
    if (said === undefined) return next();
    const [, key] = /^Bearer\s+(\S+)\s*$/i.exec(said) ?? [];
    if (key === undefined) throw new Fault('not signed', 'Send an API key as Authorization: Bearer KEY.');
    const known = await keys.known(key);
    requireRight(known, req.method, req.path);
    res.locals['apiKey'] = known;
    next();
  };
}

function requireRight({ name, may, plans }: ApiKey, method: string, path: string): void {
  if (/^\/keys(\/|$)/i.test(path))
    throw new Fault('not allowed', 'Keys are made and taken back by people, not by keys.');
  const starts = STARTS.exec(path);
  // All that is kept, whoever may see it on pages.
  if (/^\/store\/backup\/?$/i.test(path)) return require('change', 'take the whole store away');
  if (method === 'GET' || method === 'HEAD' || LOOKS.test(path)) return require('read', 'look at anything');
  if (starts === null) return require('change', 'change anything');
  require('start', 'start or end runs');
  if (plans === null) return;
  // An id has nothing that would be encoded; what is encoded is none of these.
  const plan = starts[1] ?? null;
  if (plan === null || !plans.includes(plan))
    throw new Fault('not allowed', `The key “${name}” may start only ${plans.join(', ')}.`);

  function require(right: ApiKey['may'][number], words: string): void {
    if (!may.includes(right)) throw new Fault('not allowed', `The key “${name}” does not let you ${words}.`);
  }
}
