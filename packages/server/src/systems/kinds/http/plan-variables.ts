import type { Endpoint } from '@versicle/contract';
import { fillNamed, quoted, refused } from '@versicle/core';
import { leadsElsewhere } from './body.ts';

/** An endpoint asked for with the variables of a plan. */
export function withVariables(endpoint: Endpoint, variables: ReadonlyMap<string, string> = new Map()): Endpoint {
  const wild = [...variables].find(([name, value]) => endpoint.path.includes(name) && leadsElsewhere(value));
  if (wild && fillNamed(endpoint.path, new Map([wild])) !== endpoint.path)
    throw refused(`The variable ${wild[0]} is ${quoted(wild[1])}, which makes no address of ${endpoint.path}.`);
  // Within a path a value is one part of it, whatever it holds.
  const inPath = new Map([...variables].map(([name, value]) => [name, encodeURIComponent(value)]));
  return {
    ...endpoint,
    path: fillNamed(endpoint.path, inPath),
    query: endpoint.query.map((q) => ({ ...q, value: fillNamed(q.value, variables) })),
  };
}
