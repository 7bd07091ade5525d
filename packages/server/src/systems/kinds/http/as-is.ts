import { refused } from '@versicle/core';
import { NothingDone } from '../../outage.ts';
import type { AnsweredRequest, AskedRequest } from '../kind.ts';
import { type HttpClient, NotSent } from './client.ts';

/** One request below the base address, as somebody wrote it. Throws NothingDone where none arrived. */
export async function sendAsIs(
  client: HttpClient,
  { method, path, body, id }: AskedRequest,
  signal: AbortSignal,
): Promise<AnsweredRequest> {
  const base = client.address('');
  const url = client.address(path);
  if (!url.startsWith(base))
    throw refused(`${path} leads away from ${base}; a request of a plan stays below that address.`);
  try {
    const { status, text } = await client.send({
      method,
      url,
      headers: {
        'idempotency-key': id,
        ...(body === null ? {} : { 'content-type': /^\s*</.test(body) ? 'application/xml' : 'application/json' }),
      },
      ...(body === null ? {} : { body }),
      repeatable: method === 'GET',
      tries: 4,
      signal,
    });
    return { status, text };
  } catch (error) {
    if (error instanceof NotSent && !signal.aborted)
      throw new NothingDone(`${new URL(base).host} could not be reached: ${error.message}`);
    throw error;
  }
}
