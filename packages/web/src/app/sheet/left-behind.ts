import { mappingSchema, type MappingDocument } from '@versicle/core';
import { z } from 'zod';
import { personHeader } from '../shared/who';

/** Edits that were not saved when the browser left the page, with the document that they were made on. */
export interface LeftBehind {
  readonly base: MappingDocument;
  readonly document: MappingDocument;
  readonly version: number;
}
const leftBehind = z.object({ base: mappingSchema, document: mappingSchema, version: z.number().int() });

const keyOf = (id: string): string => `versicle.left.${id}`;
/** What a browser still sends for a page that is gone, in bytes: 64 KiB in all, with some room for others. */
const SENT_AFTERWARDS = 60_000;

/**
 * The browser leaves the page with edits that are not saved. They are kept in this browser until the sheet is opened again,
 * and sent on the way out where the browser still does that.
 * @returns whether they are safe: where they are not, the person had better stay
 */
export function leaveBehind(id: string, left: LeftBehind): boolean {
  const body = JSON.stringify({ document: left.document, version: left.version });
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

export function foundBehind(id: string): LeftBehind | null {
  try {
    const kept = localStorage.getItem(keyOf(id));
    return kept === null ? null : leftBehind.parse(JSON.parse(kept));
  } catch {
    // What can't be read any more can't be brought back.
    return null;
  }
}

/** What was left behind is saved, or thrown away on purpose. */
export function nothingBehind(id: string): void {
  try {
    localStorage.removeItem(keyOf(id));
  } catch {
    // A browser that keeps nothing.
  }
}
