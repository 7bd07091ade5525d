import { Fault } from '@versicle/core';

/** Where a proxy before this server serves its pages; null: there is none. Throws a `start` fault where it is no address. */
export function publicAddress(text: string | undefined): URL | null {
  if (text === undefined || text === '') return null;
  const url = URL.canParse(text) ? new URL(text) : null;
  if (
    url === null ||
    !/^https?:$/.test(url.protocol) ||
    url.pathname !== '/' ||
    url.search + url.hash + url.username !== ''
  )
    throw new Fault(
      'start',
      `VERSICLE_ADDRESS is the address under which a proxy serves the pages, such as https://versicle.example.org, not “${text}”.`,
    );
  return url;
}
