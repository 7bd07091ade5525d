import type { ApiKey } from '@versicle/contract';
import { Fault } from '@versicle/core';
import { userInfo } from 'node:os';
import type { Request, RequestHandler } from 'express';

/**
 * Who asks. Nobody signs in yet: whoever sits at this machine says who they are (the header X-Person, percent-encoded), or is
 * the owner. When people sign in, only this file learns about it.
 */
export interface Who {
  readonly person: string;
  /** Aborted when nobody waits for the answer any more. */
  readonly signal: AbortSignal;
}

const owner = process.env['VERSICLE_OWNER'] ?? localName();

function localName(): string {
  try {
    return userInfo().username;
  } catch {
    return 'owner';
  }
}

export function whoAsks(req: Request, signal: AbortSignal): Who {
  return { person: personOf(req), signal };
}
export function personOf(req: Request): string {
  const key = req.res?.locals['apiKey'] as ApiKey | undefined;
  if (key !== undefined) return `the key ${key.name}`;
  const said = req.get('X-Person');
  if (!said) return owner;
  try {
    const person = decodeURIComponent(said).replace(/\p{C}/gu, '').trim().slice(0, 100);
    return person === '' ? owner : person;
  } catch {
    throw new Fault('not understood', 'The header X-Person is not percent-encoded UTF-8.');
  }
}

const LOCAL = /^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/i;

/**
 * Every request passes here first. The server trusts whoever sits at this machine, so it must not be reachable through a
 * page of somebody else's: the Host must be this machine's (or the address it was told to listen on, or that of the proxy
 * before it), and a request that a browser sends for another site's page is refused.
 */
export function gate(allowedHost: string, publicHost: string | null): RequestHandler {
  return (req, _res, next) => {
    const host = req.headers.host ?? '';
    const known = LOCAL.test(host) || host.replace(/:\d+$/, '') === allowedHost || host === publicHost;
    if (!known)
      throw new Fault(
        'not allowed',
        'This server answers only under its own address. Behind a proxy, VERSICLE_ADDRESS says which one that is.',
      );
    const { origin } = req.headers;
    if (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`)
      throw new Fault('not allowed', 'Requests from pages of other sites are refused.');
    // A browser says where a request comes from, also where it sends no Origin: with images, scripts and links.
    const site = req.get('Sec-Fetch-Site');
    const followsLink =
      req.method === 'GET' && req.get('Sec-Fetch-Mode') === 'navigate' && !req.path.startsWith('/api');
    if (site !== undefined && site !== 'same-origin' && site !== 'none' && !followsLink)
      throw new Fault('not allowed', 'Requests from pages of other sites are refused.');
    next();
  };
}
