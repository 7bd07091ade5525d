import { openApi, routes, type Route } from './index.ts';

describe('the contract', () => {
  const list = Object.entries(routes) as [string, Route][];
  it('gives each request an address of its own', () => {
    const addresses = list.map(([, r]) => `${r.method} ${r.path}`);
    expect(new Set(addresses).size).toBe(addresses.length);
  });
  it.each(list)('%s: its parameters are those of its address', (_name, route) => {
    const named = [...route.path.matchAll(/:(\w+)/g)].map((m) => m[1]);
    const shape = (route.params as unknown as { shape?: object } | undefined)?.shape ?? {};
    expect(Object.keys(shape).sort()).toEqual(named.sort());
  });
  it('makes an OpenAPI document with a schema for every answer', () => {
    const document = openApi('1.2.3') as {
      info: { version: string };
      paths: Record<string, Record<string, { responses: Record<string, { content: object }> }>>;
    };
    expect(document.info.version).toBe('1.2.3');
    for (const path of Object.values(document.paths))
      for (const operation of Object.values(path))
        expect(operation.responses['200']!.content).toHaveProperty(['application/json', 'schema']);
  });
});
