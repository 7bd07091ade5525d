import { Unreadable, type RawRow } from '../formats/format.ts';
import type { Value } from '../fields/values.ts';
import { MappingRun, type RunFacts } from './apply.ts';
import type { CompiledMapping } from '../compile/compile.ts';
import type { Outcome } from '../document/records.ts';
import { rowTyper, unreadableFailure } from '../compile/source.ts';
import { placeReader, sourceNamesOf } from '../source-set/source-set.ts';

/** Where a record stands in its source. */
export interface RecordPlace {
  /** 1-based among all records of the primary dataset, whatever files it is cut into: what `:row_number` means. */
  readonly row: number;
  /** 1-based within its file; the same as `row` where no file is known. */
  readonly fileRow: number;
  readonly file: string | null;
}
/** A failed record that comes once more. */
export interface ReadAgain {
  /** The number that it had in the mapping's sequence. */
  readonly sequence: number | null;
}
/** What became of one record on its way from the reader to the target. */
export interface Fed {
  readonly place: RecordPlace;
  /** As it was read, with the fields of the source in their order. */
  readonly raw: RawRow;
  /** Typed; empty where it could not be read. */
  readonly values: readonly Value[];
  readonly outcome: Outcome;
}
/** A record as it was read, with its place. */
export interface PlacedRecord {
  readonly place: RecordPlace;
  readonly raw: RawRow;
  /** What `:row_number` means for it: null for a composed record that none of the primary dataset belongs to. */
  readonly number: number | null;
}
export interface FeedFacts extends RunFacts {
  /** Composed records: how many records of the primary dataset come before each of its files. */
  readonly before?: ReadonlyMap<string, number>;
}

const NONE = [] as const;

/**
 * The one loop from what a reader gives to a finished record: fitted, placed, typed, and put through the document. A run, a
 * trial and the command line all take their records here, so that they make the same of them. One feed serves one run, in
 * the order of the source.
 */
export class RecordFeed {
  readonly names: readonly string[];
  /** Whether records carry their place in the primary dataset themselves. */
  readonly composed: boolean;
  private readonly run: MappingRun;
  private readonly typed: ReturnType<typeof rowTyper>;
  private readonly placeIn: ReturnType<typeof placeReader>;
  private readonly before: ReadonlyMap<string, number>;

  constructor(
    readonly mapping: CompiledMapping,
    facts: FeedFacts,
  ) {
    this.run = new MappingRun(mapping, facts);
    this.names = sourceNamesOf(mapping.sourceFields);
    this.typed = rowTyper(mapping.sourceFields);
    this.placeIn = placeReader(this.names);
    this.composed = this.placeIn !== null;
    this.before = facts.before ?? new Map<string, number>();
  }

  /** The last number that the mapping's sequence gave; it goes on from run to run. */
  get sequence(): number {
    return this.run.number;
  }
  set sequence(last: number) {
    this.run.number = last;
  }
  /** The number that the last record was given. */
  get given(): number {
    return this.run.given;
  }

  /** Whether what became of the last record depends on more than what it holds. Asked right after it was taken. */
  get askedBeyond(): boolean {
    return this.run.askedBeyond;
  }

  /** `at`: where the reader found it; a composed record says itself where it belongs. */
  place(read: RawRow, at: RecordPlace): PlacedRecord {
    const raw = read instanceof Unreadable ? read : this.fitted(read);
    if (this.placeIn === null) return { place: at, raw, number: at.row };
    const { row, number, file } = this.placeIn(raw);
    if (number === null) return { place: { row: at.row, fileRow: at.row, file }, raw: row, number };
    const before = file === null ? undefined : this.before.get(file);
    return { place: { row: number, fileRow: number - (before ?? 0), file }, raw: row, number };
  }

  /** Where keys are checked elsewhere: what becomes of a record that was let through and whose keys came before. */
  refusedFor(outcome: Outcome, twice: readonly number[]): Outcome {
    return this.run.refusedFor(outcome, twice);
  }

  take(read: RawRow, at: RecordPlace, again: ReadAgain | null = null): Fed {
    // What is sent again was placed when it was read.
    const { place, raw, number } =
      again === null
        ? this.place(read, at)
        : { place: at, raw: read instanceof Unreadable ? read : this.fitted(read), number: at.row };
    const values = raw instanceof Unreadable || this.typed === null ? raw : this.typed(raw);
    if (values instanceof Unreadable) {
      const failure = unreadableFailure(values, place.file ?? 'the source', place.fileRow);
      return { place, raw, values: NONE, outcome: failedWith([failure]) };
    }
    this.run.fileName = place.file;
    return { place, raw, values, outcome: this.run.apply(values, number, again?.sequence ?? undefined) };
  }

  /**
   * The target key of a record, whatever became of it: its values by the places of the columns, the others null. Null where
   * it can't be told. Asked right after the record was taken.
   */
  keyValues({ raw, values, place, outcome }: Fed): readonly Value[] | null {
    if (raw instanceof Unreadable || values.length === 0) return null;
    return outcome.values.length > 0 ? outcome.values : this.run.keyValues(values, place.row);
  }

  /** Lines of JSON may show new members late in a file; they are no part of the mapping. */
  private fitted(row: readonly (string | null)[]): readonly (string | null)[] {
    const width = this.names.length;
    if (row.length === width) return row;
    return row.length > width ? row.slice(0, width) : [...row, ...new Array<null>(width - row.length).fill(null)];
  }
}

function failedWith(failures: Outcome['failures']): Outcome {
  return { kind: 'failed', values: NONE, failures, remarks: NONE, skip: null, stop: false };
}
