import type { Column } from '../formats/output.ts';
import { copyCells } from '../formats/text/copy.ts';
import type { Cells } from './encodings/encoding.ts';
import type { Content } from './encodings/index.ts';

/** What the finished records of a chunk put into one dataset of the target. */
export interface Part {
  readonly dataset: string;
  readonly columns: readonly Column[];
  readonly key: readonly string[];
  /** Columns that each record is given anew: they make no other record of one that is there. */
  readonly anew?: readonly string[];
  readonly rows: number;
  readonly content: Content;
  /** By row: what a target may know a record by that is sent again; empty where the target has no use for it. */
  readonly ids: readonly string[];
}

/** A chunk of finished records on its way to a target: all of its parts, or none. */
export interface Delivery {
  /** The run's own id, which no other run anywhere has. */
  readonly source: string;
  readonly run: number;
  /** How often the run had been taken on when this was mapped: who lost it meanwhile is told so by the journal, and writes nothing. */
  readonly claim: number;
  readonly chunk: number;
  readonly mode: DeliveryMode;
  readonly parts: readonly Part[];
}
/**
 * What becomes of a record whose key is there: it is refused (insert), changed (upsert, update), left as it is (keep), has
 * only what is null filled in (fill), or stays as it is with a new revision beside it where it differs (revise). One whose key
 * is not there is added, but for update, which refuses it.
 */
export type DeliveryMode = 'insert' | 'upsert' | 'update' | 'keep' | 'fill' | 'revise' | 'replace';

/** The fields that tell revisions of one key apart: their number, and from when until when each was the newest. */
export const REVISION_FIELDS = { number: 'revision', from: 'valid_from', to: 'valid_to' } as const;

/** A row that the target refused. */
export interface Rejection {
  /** Its part of the chunk, and its place there. */
  readonly part: number;
  readonly index: number;
  /** The row as it was handed over. */
  readonly cells: Cells;
  readonly code: string;
  readonly message: string;
  /** Columns that the refusal is about, where the target says so. */
  readonly columns: readonly string[];
  readonly constraint: string | null;
  /** The target's own words, where they say more than the message. */
  readonly answer?: string;
}
/** What became of a chunk. */
export interface Delivered {
  readonly rejections: readonly Rejection[];
  /** Rows that the target has already as they are, or keeps as it has them. */
  readonly unchanged: number;
}

/** Refusals as a journal kept them; older ones have the row as a line of COPY text, and chunks had one part. */
export function keptRejections(kept: unknown): Rejection[] {
  const all = (typeof kept === 'string' ? JSON.parse(kept) : kept) as (Rejection & { readonly line?: string })[];
  return all.map(({ line, ...r }) => (line === undefined ? r : { ...r, part: 0, cells: copyCells(line) }));
}
