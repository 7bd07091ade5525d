import { isFault } from '../../faults.ts';
import type { DelimitedFormat } from '../delimited/settings.ts';
import type { FixedWidthFormat } from '../fixed-width/settings.ts';
import { Unreadable, type RowBatch } from '../format.ts';
import type { Guess } from '../sample.ts';
import { guessMarks } from './marks.ts';

/** Records that marks are guessed from. */
const MARKED_ROWS = 300;

/** Adds how the first records write their numbers and dates. `reader`: of that format. */
export function withMarks<F extends DelimitedFormat | FixedWidthFormat>(
  format: F,
  reasons: readonly string[],
  reader: () => { readonly names: readonly string[] | null; push(bytes: Uint8Array): RowBatch },
  sample: Uint8Array,
): Guess<F> {
  try {
    const reading = reader();
    const rows = reading
      .push(sample)
      .rows.slice(0, MARKED_ROWS)
      .filter((r) => !(r instanceof Unreadable));
    const names = reading.names ?? [];
    const columns = names.map((_, i) => rows.map((r) => (r as readonly (string | null)[])[i] ?? ''));
    const found = guessMarks(names, columns);
    return {
      format: found.marks ? { ...format, marks: found.marks } : format,
      reasons: [...reasons, ...found.reasons],
    };
  } catch (error) {
    // A header that can't be read is said when the file is.
    if (isFault(error, 'unreadable')) return { format, reasons };
    throw error;
  }
}
