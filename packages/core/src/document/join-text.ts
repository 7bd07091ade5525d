import type { MappingDocument } from './document.ts';

type Join = MappingDocument['source']['joins'][number];

/** A join as people read it; as JSON where its names would not read back from that. */
export function joinText(join: Join): string {
  const text = `${join.kind} join ${join.dataset} as ${join.alias} on ${join.on}`;
  try {
    return JSON.stringify(readJoin(text)) === JSON.stringify(join) ? text : JSON.stringify(join);
  } catch {
    return JSON.stringify(join);
  }
}
/** What `joinText` wrote, as data that is still to be checked. Throws where it is neither. */
export function readJoin(text: string): unknown {
  const found = /^(inner|left|right|full) join (.+?) as ([a-z_][a-z0-9_]*) on (.+)$/s.exec(text);
  if (!found) return JSON.parse(text) as unknown;
  const [, kind, dataset, alias, on] = found;
  return { alias, dataset, kind, on };
}
