import { mappingSchema, type MappingDocument } from '@versicle/core';
import * as z from 'zod';
import { personHeader } from '../shared/who';
import { page } from './presence';

/** A save that was sent, and may have arrived although nobody heard so. */
const sentSave = z.object({ save: z.uuid(), document: mappingSchema });
export type SentSave = z.infer<typeof sentSave>;

/** Edits that were not saved when the browser left the page, with the document that they were made on. */
const leftBehind = z.object({
  base: mappingSchema,
  document: mappingSchema,
  version: z.number().int(),
  /** The save of these edits that was sent on the way out. */
  save: z.uuid(),
  /** Those of which nobody had heard by then whether they arrived. */
  unheard: z.array(sentSave),
  /** Milliseconds since 1970. */
  at: z.number(),
});
export type LeftBehind = z.infer<typeof leftBehind>;
export type FoundBehind = LeftBehind & { readonly key: string };

/** Each page keeps its own: two that are closed together both come back. */
const keyOf = (id: string): string => `${prefixOf(id)}${page}`;
const prefixOf = (id: string): string => `versicle.left.${id}/`;
/** What a browser still sends for a page that is gone, in bytes: 64 KiB in all, with some room for others. */
const SENT_AFTERWARDS = 60_000;

/**
 * The browser leaves the page with edits that are not saved. They are kept in this browser until the sheet is opened again,
 * and sent on the way out where the browser still does that.
 * @returns whether they are safe: where they are not, the person had better stay
 */
export function leaveBehind(
  id: string,
  edits: { base: MappingDocument; document: MappingDocument; version: number; unheard: readonly SentSave[] },
): boolean {
  const left: LeftBehind = { ...edits, unheard: [...edits.unheard], save: crypto.randomUUID(), at: Date.now() };
  const body = JSON.stringify({ document: left.document, version: left.version, save: left.save });
  const size = new Blob([body]).size;
  void fetch(`/api/mappings/${encodeURIComponent(id)}/draft`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json', ...personHeader() },
    body,
    keepalive: size < SENT_AFTERWARDS,
    // Nobody is there to hear of it any more: what did not arrive is kept here.
  }).catch(() => undefined);
  try {
    localStorage.setItem(keyOf(id), JSON.stringify(left));
    return true;
  } catch {
    // A browser that keeps nothing, or has no room for it.
    return false;
  }
}

/** What pages of this browser left of this mapping: the oldest, since edits are brought back in the order in which they were made. */
export function foundBehind(id: string): FoundBehind | null {
  const found: FoundBehind[] = [];
  try {
    for (const key of Object.keys(localStorage)) {
      if (!key.startsWith(prefixOf(id))) continue;
      const left = leftBehind.safeParse(parsed(localStorage.getItem(key)!));
      // What can't be read any more can't be brought back.
      if (left.success) found.push({ ...left.data, key });
      else localStorage.removeItem(key);
    }
  } catch {
    // A browser that keeps nothing.
  }
  return found.sort((a, b) => a.at - b.at)[0] ?? null;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** What was left behind is saved, or thrown away on purpose. Without a key: what this page itself left, and came back to. */
export function nothingBehind(id: string, key: string = keyOf(id)): void {
  try {
    localStorage.removeItem(key);
  } catch {
    // A browser that keeps nothing.
  }
}
