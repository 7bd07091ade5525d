import type { MappingDocument } from './document.ts';

/**
 * What turns one state of a document into another, and back. It keeps only what differs: of 50,000 lines the one that was
 * edited, so that many steps of undo take little room.
 */
export type DocumentChange =
  | { readonly is: 'value'; readonly before: unknown; readonly after: unknown }
  | { readonly is: 'members'; readonly of: readonly (readonly [name: string, change: DocumentChange])[] }
  | { readonly is: 'items'; readonly of: readonly (readonly [at: number, change: DocumentChange])[] }
  | {
      readonly is: 'stretch';
      readonly at: number;
      readonly before: readonly unknown[];
      readonly after: readonly unknown[];
    };

/** What differs between two states; null when nothing does. Parts that both share are not looked into. */
export function changeBetween(before: unknown, after: unknown): DocumentChange | null {
  if (before === after) return null;
  if (Array.isArray(before) && Array.isArray(after)) return arrayChange(before, after);
  if (isObject(before) && isObject(after)) {
    const names = new Set([...Object.keys(before), ...Object.keys(after)]);
    const of = [...names].flatMap((name): [string, DocumentChange][] => {
      const change = changeBetween(own(before, name), own(after, name));
      return change === null ? [] : [[name, change]];
    });
    return of.length === 0 ? null : { is: 'members', of };
  }
  return { is: 'value', before, after };
}
function arrayChange(before: readonly unknown[], after: readonly unknown[]): DocumentChange | null {
  if (before.length === after.length) {
    const of: [number, DocumentChange][] = [];
    for (let i = 0; i < before.length; i++) {
      const change = changeBetween(before[i], after[i]);
      if (change !== null) of.push([i, change]);
    }
    return of.length === 0 ? null : { is: 'items', of };
  }
  const shorter = Math.min(before.length, after.length);
  let at = 0;
  while (at < shorter && changeBetween(before[at], after[at]) === null) at++;
  let end = 0;
  while (end < shorter - at && changeBetween(before.at(-1 - end), after.at(-1 - end)) === null) end++;
  return {
    is: 'stretch',
    at,
    before: before.slice(at, before.length - end),
    after: after.slice(at, after.length - end),
  };
}
/** A name may be any word, also one that every object answers to. */
const own = (of: Readonly<Record<string, unknown>>, name: string): unknown =>
  Object.hasOwn(of, name) ? of[name] : undefined;
const isObject = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** The state after a change, from the one before it. */
export function changed(document: MappingDocument, change: DocumentChange): MappingDocument {
  return carriedOut(document, change, 'after') as MappingDocument;
}
/** The state before a change, from the one after it. */
export function changedBack(document: MappingDocument, change: DocumentChange): MappingDocument {
  return carriedOut(document, change, 'before') as MappingDocument;
}
function carriedOut(value: unknown, change: DocumentChange, to: 'before' | 'after'): unknown {
  switch (change.is) {
    case 'value':
      return change[to];
    case 'members': {
      const made = new Map(Object.entries(value as Readonly<Record<string, unknown>>));
      for (const [name, of] of change.of) {
        const now = carriedOut(made.get(name), of, to);
        if (now === undefined) made.delete(name);
        else made.set(name, now);
      }
      return Object.fromEntries(made);
    }
    case 'items': {
      const made = [...(value as readonly unknown[])];
      for (const [at, of] of change.of) made[at] = carriedOut(made[at], of, to);
      return made;
    }
    case 'stretch': {
      const { at, [to === 'after' ? 'before' : 'after']: gone, [to]: come } = change;
      const all = value as readonly unknown[];
      return [...all.slice(0, at), ...come, ...all.slice(at + gone.length)];
    }
  }
}
