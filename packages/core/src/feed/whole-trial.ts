import { outputText, type Value } from '../fields/values.ts';
import { RecordFeed, type FeedFacts, type RecordPlace } from './record-feed.ts';
import { Unreadable, type RawRow } from '../formats/format.ts';
import { Profiler, type FieldProfile } from '../profile/profile.ts';
import type { CompiledMapping } from '../compile/compile.ts';
import { noCounts, type Cause, type Counts, type Failure, type Outcome } from '../document/records.ts';
import type { ComposedCounts, ComposedPeek, PeekRecord } from '../source-set/source-set.ts';

/**
 * The stages that records pass on their way, in order; where the source set is composed, filter is a part of joined.
 * `mapped`: skips of the finished record, where there are any.
 */
export const TRIAL_STAGES = [
  'read',
  'joined',
  'grouped',
  'filter',
  'skips',
  'lines',
  'mapped',
  'checks',
  'key',
] as const;
/** Those that records pass here, one by one. */
const OWN_STAGES = ['read', 'filter', 'skips', 'lines', 'mapped', 'checks', 'key'] as const;
export type TrialStageName = (typeof TRIAL_STAGES)[number];

/** A record as it is at a stage: as read before the lines, as mapped from there on. */
export interface StageRecord {
  /** Within its file. */
  readonly row: number;
  readonly file: string | null;
  readonly values: readonly (string | null)[];
  /** Why it goes no further; empty for those that do. */
  readonly why: string;
}
export interface TrialStage {
  readonly name: TrialStageName;
  /** Records that go on from here, and those that go no further. */
  readonly on: number;
  readonly off: number;
  /** The first ones of each. */
  readonly onRecords: readonly StageRecord[];
  readonly offRecords: readonly StageRecord[];
}
export interface TrialFailure {
  readonly line: string | null;
  readonly cause: Cause;
  readonly count: number;
  /** What the first one says, where it is, and the record as it was read (none where it could not be read, or is very large). */
  readonly message: string;
  readonly row: number;
  readonly file: string | null;
  readonly source: readonly (string | null)[];
}
/** The values of a target field, beside those of the source fields that its line reads. */
export interface TrialField {
  readonly target: string;
  readonly line: string;
  readonly before: readonly FieldProfile[];
  readonly after: FieldProfile;
}
export interface TrialReport {
  readonly counts: Counts;
  readonly sourceFields: readonly string[];
  readonly targetFields: readonly string[];
  readonly stages: readonly TrialStage[];
  /** Faults of records that would fail, most frequent first. */
  readonly failures: readonly TrialFailure[];
  readonly remarks: readonly TrialFailure[];
  readonly fields: readonly TrialField[];
  /** The record at which the document ends the run; null when it came to the end. */
  readonly stoppedAt: number | null;
}
/** Hears of each record's fate while the trial goes on. */
export interface TrialListener {
  written?(values: readonly Value[]): void;
  failed?(row: number, failures: readonly Failure[]): void;
}

const [FILTER, SKIPS, LINES, MAPPED, CHECKS, KEY] = [1, 2, 3, 4, 5, 6];
const SHOWN = 40;
/** Characters of a value that are shown, and that its figures are made from. */
const LONGEST = 300;
/** Characters of a failing record that is kept to be opened on the sheet. */
const LARGEST = 1_000_000;
const GROUPS = 2000;
/** Groups of faults whose first record is kept. */
const WITH_RECORD = 100;
/** Target fields whose values are told. */
const FIELDS = 2000;

/** Puts records through the whole document without writing any: what a run would do, with the records at each stage. */
export class WholeTrial {
  private readonly counts = noCounts();
  private readonly feed: RecordFeed;
  private readonly stages: MutableStage[] = OWN_STAGES.map((name) => new MutableStage(name));
  private readonly failures = new Groups();
  private readonly remarks = new Groups();
  private readonly used: readonly { readonly name: string; readonly slot: number }[];
  private readonly before: Profiler;
  private readonly after: Profiler;
  private readonly checkIds: ReadonlySet<string>;
  private stopped: number | null = null;

  constructor(
    private readonly mapping: CompiledMapping,
    facts: FeedFacts,
    private readonly hear: TrialListener = {},
  ) {
    this.feed = new RecordFeed(mapping, facts);
    const slots = [...new Set(mapping.lines.flatMap((l) => l.uses.map((u) => u.slot)))];
    this.used = slots.map((slot) => ({ slot, name: this.feed.names[slot]! }));
    this.before = new Profiler(this.used.map((u) => u.name));
    this.after = new Profiler(mapping.columns.map((c) => c.name));
    this.checkIds = new Set(mapping.checks.map((c) => c.id));
  }

  /** `at`: where the first of these consecutive records stands. False when the document ended the run. */
  push(rows: readonly RawRow[], at: RecordPlace): boolean {
    const reached: (readonly (string | null)[])[] = [];
    const written: (string | null)[][] = [];
    for (let i = 0; i < rows.length && this.stopped === null; i++) {
      const { place, raw, outcome } = this.feed.take(rows[i]!, { ...at, row: at.row + i, fileRow: at.fileRow + i });
      this.counts.read++;
      this.counts[outcome.kind]++;
      this.counts.remarks += outcome.remarks.length;
      if (raw instanceof Unreadable || outcome.failures[0]?.cause === 'source_unreadable') {
        this.unreadable(raw, place, outcome.failures[0]!);
        continue;
      }
      for (const remark of outcome.remarks) this.remarks.add(remark, place, raw);
      const stage = this.stageOf(outcome);
      if (stage >= LINES) reached.push(this.used.map((u) => shortened(raw[u.slot] ?? null)));
      const mapped = stage >= LINES ? this.texts(outcome.values) : [];
      if (outcome.kind === 'written') written.push(mapped);
      this.place(stage, raw, mapped, place, outcome);
      if (outcome.kind === 'written') this.hear.written?.(outcome.values);
      else if (outcome.kind === 'failed') {
        for (const failure of outcome.failures) this.failures.add(failure, place, raw);
        this.hear.failed?.(place.row, outcome.failures);
      }
      if (outcome.stop) this.stopped = this.counts.read;
    }
    this.before.push(reached);
    this.after.push(written);
    return this.stopped === null;
  }

  private unreadable(raw: RawRow, place: RecordPlace, failure: Failure): void {
    const text = raw instanceof Unreadable ? raw.raw : (failure.values['row'] ?? '');
    this.failures.add(failure, place, []);
    this.stages[0]!.leave(() => ({ row: place.fileRow, file: place.file, values: [text], why: failure.message }));
    this.hear.failed?.(place.row, [failure]);
  }
  private texts(values: readonly Value[]): (string | null)[] {
    return this.mapping.columns.map((c, i) => {
      const value = values[i] ?? null;
      return value === null ? null : shortened(outputText(value, c.type.value));
    });
  }
  /** The stage that a record does not pass; one more than the last when it passes all. */
  private stageOf(outcome: Outcome): number {
    if (outcome.kind === 'written') return OWN_STAGES.length;
    if (outcome.kind === 'filtered') return FILTER;
    const isMapped = (id: string | null): boolean => this.mapping.mappedSkips.some((s) => s.id === id);
    if (outcome.kind === 'skipped') return isMapped(outcome.skip) ? MAPPED : SKIPS;
    const [first] = outcome.failures;
    if (first!.line === 'source.filter') return FILTER;
    if (this.mapping.skips.some((s) => s.id === first!.line)) return SKIPS;
    if (isMapped(first!.line)) return MAPPED;
    if (first!.cause === 'duplicate_key') return KEY;
    const ofChecks = (f: Failure): boolean =>
      f.cause === 'check_failed' || (f.line !== null && this.checkIds.has(f.line));
    return outcome.failures.every(ofChecks) ? CHECKS : LINES;
  }
  private place(
    stage: number,
    raw: readonly (string | null)[],
    mapped: readonly (string | null)[],
    { fileRow, file }: RecordPlace,
    outcome: Outcome,
  ): void {
    for (let s = 0; s < OWN_STAGES.length && s <= stage; s++) {
      const values = (): readonly (string | null)[] => (s < LINES ? raw.map(shortened) : mapped);
      const record = (why: string): StageRecord => ({ row: fileRow, file, values: values(), why });
      if (s < stage) this.stages[s]!.goOn(() => record(''));
      else this.stages[s]!.leave(() => record(this.why(outcome)));
    }
  }
  private why(outcome: Outcome): string {
    if (outcome.kind === 'filtered') return 'left out by the filter';
    if (outcome.kind === 'skipped')
      return this.mapping.document.skips.find((s) => s.id === outcome.skip)?.reason ?? 'skipped';
    return outcome.failures.map((f) => f.message).join(' ');
  }

  result(): TrialReport {
    const before = new Map(this.before.result().fields.map((f) => [f.name, f]));
    const after = this.after.result().fields;
    return {
      counts: this.counts,
      sourceFields: this.feed.names,
      targetFields: this.mapping.columns.map((c) => c.name),
      stages: this.stages
        .map((s) => s.result())
        .filter((s) => s.name !== 'mapped' || this.mapping.mappedSkips.length > 0),
      failures: this.failures.result(),
      remarks: this.remarks.result(),
      fields: this.mapping.lines.slice(0, FIELDS).map((line) => ({
        target: line.field.name,
        line: line.id,
        before: [...new Set(line.uses.map((u) => this.feed.names[u.slot]!))].map((n) => before.get(n)!),
        after: after[line.index]!,
      })),
      stoppedAt: this.stopped,
    };
  }
}
/** The report of a trial on composed records, with the stages at which they were composed. */
export function withComposedStages<T extends TrialReport>(report: T, counts: ComposedCounts, peek: ComposedPeek): T {
  const shown = (records: readonly PeekRecord[], why: string): StageRecord[] =>
    records.map(({ row, values }) => ({ row: row ?? 0, file: null, values: values.map(shortened), why }));
  const [first] = report.stages;
  const kept = counts.records + counts.folded;
  const stages: TrialStage[] = [
    {
      name: 'read',
      on: counts.read - counts.unmatched,
      off: counts.unmatched,
      onRecords: [],
      offRecords: shown(peek.unmatched, 'a join finds no partner for it'),
    },
    {
      name: 'joined',
      on: kept,
      off: counts.filtered,
      onRecords: shown(peek.joined, ''),
      offRecords: shown(peek.filtered, 'left out by the filter'),
    },
    { ...first!, name: 'grouped', off: counts.folded + first!.off },
    // Records met the filter when they were composed, unless it had to be tried one by one.
    ...report.stages.filter((s) => s.name !== 'read' && (s.name !== 'filter' || s.off > 0)),
  ];
  return { ...report, stages };
}
function shortened(text: string | null): string | null {
  return text !== null && text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
}
/** A record of reasonable size; none otherwise, for half a record would be another one. */
function kept(source: readonly (string | null)[]): readonly (string | null)[] {
  return source.reduce((sum, v) => sum + (v?.length ?? 0), 0) > LARGEST ? [] : source;
}

class MutableStage {
  private on = 0;
  private off = 0;
  private readonly onRecords: StageRecord[] = [];
  private readonly offRecords: StageRecord[] = [];

  constructor(private readonly name: TrialStageName) {}

  /** The record is made only when it is one of those that are shown. */
  goOn(record: () => StageRecord): void {
    if (this.on++ < SHOWN) this.onRecords.push(record());
  }
  leave(record: () => StageRecord): void {
    if (this.off++ < SHOWN) this.offRecords.push(record());
  }
  result(): TrialStage {
    return { name: this.name, on: this.on, off: this.off, onRecords: this.onRecords, offRecords: this.offRecords };
  }
}

/** Faults counted by line and cause. */
class Groups {
  private readonly groups = new Map<string, { -readonly [K in keyof TrialFailure]: TrialFailure[K] }>();

  add(
    { line, cause, message }: Failure,
    { fileRow: row, file }: RecordPlace,
    source: readonly (string | null)[],
  ): void {
    const key = `${line ?? ''} ${cause}`;
    const known = this.groups.get(key);
    if (known) known.count++;
    else if (this.groups.size < GROUPS)
      this.groups.set(key, { line, cause, count: 1, message, row, file, source: kept(source) });
  }
  result(): TrialFailure[] {
    return [...this.groups.values()]
      .sort((a, b) => b.count - a.count)
      .map((group, i) => (i < WITH_RECORD ? group : { ...group, source: [] }));
  }
}
