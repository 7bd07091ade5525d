import { Service, type Reply } from './service.ts';

const CODES: Record<string, string> = { '01': 'BRK', '02': 'CHN', '03': 'GRS', '07': 'LGT', '11': 'TYR', '12': 'WHL' };

/** Translates Tidebridge's repair fault codes into the register's. */
export function translator(): Service {
  return new Service('translator', ({ path, query }): Reply => {
    if (path === '/codes') return { status: 200, body: Object.entries(CODES).map(([from, to]) => ({ from, to })) };
    if (path !== '/translate') return { status: 404, body: { error: `nothing at ${path}` } };
    const code = query.get('code') ?? '';
    const to = CODES[code];
    return to === undefined
      ? { status: 422, body: { error: `the fault code ${code} is not known`, field: 'code' } }
      : { status: 200, body: { from: code, to } };
  });
}
