import { copy } from './copy.ts';
import type { Cells, ChunkEncoding } from './encoding.ts';
import { records } from './records.ts';

/** Every encoding, by the name under which a target asks for it. */
export const chunkEncodings = { copy, records } as const;
export type ChunkEncodingName = keyof typeof chunkEncodings;

/** Encoded records, as plain data that goes from thread to thread. */
export type Content = {
  [N in ChunkEncodingName]: { readonly encoding: N; readonly of: ContentOf<N> };
}[ChunkEncodingName];
export type ContentOf<N extends ChunkEncodingName> =
  (typeof chunkEncodings)[N] extends ChunkEncoding<infer C> ? C : never;

/** What a target that asked for an encoding was handed. */
export function contentOf<N extends ChunkEncodingName>(content: Content, encoding: N): ContentOf<N> {
  if (content.encoding !== encoding)
    throw new Error(`The target takes ${encoding}, and was handed ${content.encoding}.`);
  return content.of as ContentOf<N>;
}

const encodingOf = ({ encoding }: Content): ChunkEncoding<unknown> =>
  chunkEncodings[encoding] as ChunkEncoding<unknown>;
/** The records of it again, whatever its form. */
export const cellsOf = (content: Content): Cells[] => encodingOf(content).cells(content.of);
/** Only the records at these places, which ascend. */
export const onlyAt = (content: Content, places: readonly number[]): Content =>
  ({ encoding: content.encoding, of: encodingOf(content).only(content.of, places) }) as Content;
/** Memory that moves to another thread with it. */
export const buffersOf = (content: Content): ArrayBuffer[] => encodingOf(content).buffers(content.of);
