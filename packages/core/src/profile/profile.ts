import type { RawRow } from '../formats/format.ts';
import { HyperLogLog } from './hyper-log-log.ts';
import { damageOf, DigitLengths, type Damage } from './damage.ts';
import { MEANINGS, type Meaning } from '../fields/meanings.ts';
import { TextHash } from './text-hash.ts';
import { Room, UniqueValues } from './unique-values.ts';
import { ValueCounts } from './value-counts.ts';
import { allDigits, patternOf } from './patterns.ts';

/** Figures about one field over the records that were looked at. */
export interface FieldProfile {
  readonly name: string;
  /** Records with a value: not null, and not only blanks. */
  readonly filled: number;
  readonly distinct: number;
  /** Whether `distinct` was counted; otherwise estimated, within about 1 % (3 % where there are thousands of fields). */
  readonly distinctExact: boolean;
  /** Smallest and largest value: as numbers where all values are, otherwise by code points. */
  readonly min: string | null;
  readonly max: string | null;
  readonly shortest: number | null;
  readonly longest: number | null;
  readonly patterns: readonly Count[];
  /** The most frequent values; `topExact` is false where too many different ones came to count each. */
  readonly top: readonly Count[];
  readonly topExact: boolean;
  /** What the values are recognised to be, and the share of them that are. */
  readonly meaning: { readonly name: string; readonly words: string; readonly share: number } | null;
  readonly damages: readonly Damage[];
}
export interface Count {
  readonly value: string;
  readonly count: number;
}
export interface DatasetProfile {
  readonly records: number;
  readonly unreadable: number;
  readonly fields: readonly FieldProfile[];
  /** Fields, pairs or triples whose values never repeat and are never missing. */
  readonly keys: readonly (readonly string[])[];
  /** Records among which pairs and triples were tried. */
  readonly keysTriedOn: number;
}

/** What the fields of a profiler share, so that tens of thousands of them take no more memory than a hundred. */
interface Shares {
  /** Different values of a field that are counted each; beyond, they are estimated. */
  readonly counted: number;
  readonly patterns: number;
  /** Of the registers that estimate, as a power of two. */
  readonly bits: number;
  readonly room: Room;
}
function sharesOf(fields: number): Shares {
  const share = (all: number, least: number, most: number): number =>
    Math.round(Math.min(most, Math.max(least, all / Math.max(1, fields))));
  return {
    counted: share(1e6, 100, 20_000),
    patterns: share(250_000, 20, 500),
    bits: fields > 1000 ? 11 : 14,
    // Enough for one key of 20 million records.
    room: new Room(fields > 100 ? 64e6 : 400e6),
  };
}
/** Records and values on which pairs and triples are tried. */
const [SAMPLE, SAMPLE_VALUES] = [20_000, 2e6];

/** What one of several profilers found that read the same records, each for some of the fields. */
export interface ProfiledFields {
  readonly fields: readonly { readonly at: number; readonly profile: FieldProfile; readonly unique: boolean }[];
}

/** Profiles records as they stream by, in bounded memory. */
export class Profiler {
  private records = 0;
  private unreadable = 0;
  private readonly fields: { readonly at: number; readonly profiler: FieldProfiler }[];
  private readonly sample: (readonly (string | null)[])[] = [];
  private readonly sampled: number;

  /** `only`: the fields to profile, when others profile the rest. */
  constructor(
    private readonly names: readonly string[],
    only: (at: number) => boolean = () => true,
  ) {
    const places = [...names.keys()].filter(only);
    const shares = sharesOf(places.length);
    this.fields = places.map((at) => ({ at, profiler: new FieldProfiler(shares) }));
    this.sampled = Math.min(SAMPLE, Math.ceil(SAMPLE_VALUES / Math.max(1, names.length)));
  }

  push(rows: readonly RawRow[]): void {
    const readable: (readonly (string | null)[])[] = [];
    for (const row of rows)
      if (Array.isArray(row)) readable.push(row as readonly (string | null)[]);
      else this.unreadable++;
    this.records += rows.length;
    if (this.sample.length < this.sampled) this.sample.push(...readable.slice(0, this.sampled - this.sample.length));
    // Field by field, so that one field's counts stay in the processor's cache while they are looked up.
    for (const { at, profiler } of this.fields) profiler.addAll(readable, at);
  }

  /** The fields of this profiler, for another one to complete its result with. */
  profiled(): ProfiledFields {
    const read = this.records - this.unreadable;
    return {
      fields: this.fields.map(({ at, profiler }) => ({
        at,
        profile: profiler.result(this.names[at]!),
        unique: profiler.isUnique(read),
      })),
    };
  }
  result(others: readonly ProfiledFields[] = []): DatasetProfile {
    const read = this.records - this.unreadable;
    const found = [this.profiled(), ...others].flatMap((p) => p.fields).sort((a, b) => a.at - b.at);
    const fields = found.map((f) => f.profile);
    const single = found.flatMap((f) => (f.unique ? [[f.profile.name]] : []));
    const combined = single.length > 0 || read === 0 ? [] : this.combinedKeys(fields, read);
    return {
      records: this.records,
      unreadable: this.unreadable,
      fields,
      keys: [...single, ...combined],
      keysTriedOn: this.sample.length,
    };
  }

  /** Pairs, and where no pair is one, triples of the fields that tell most records apart. */
  private combinedKeys(fields: readonly FieldProfile[], read: number): string[][] {
    const likely = fields
      .map((f, at) => ({ at, distinct: f.distinct, name: f.name, full: f.filled === read }))
      .filter((f) => f.full && f.distinct > 1)
      .sort((a, b) => b.distinct - a.distinct)
      .slice(0, 8);
    const found: string[][] = [];
    for (let a = 0; a < likely.length; a++)
      for (let b = a + 1; b < likely.length; b++)
        if (this.tellsApart([likely[a]!.at, likely[b]!.at])) found.push([likely[a]!.name, likely[b]!.name]);
    if (found.length > 0) return found.slice(0, 5);
    for (let a = 0; a < likely.length; a++)
      for (let b = a + 1; b < likely.length; b++)
        for (let c = b + 1; c < likely.length; c++)
          if (found.length < 5 && this.tellsApart([likely[a]!.at, likely[b]!.at, likely[c]!.at]))
            found.push([likely[a]!.name, likely[b]!.name, likely[c]!.name]);
    return found;
  }
  private tellsApart(places: readonly number[]): boolean {
    const seen = new Set<string>();
    for (const row of this.sample) {
      const key = places.map((p) => row[p] ?? '').join('\u0001');
      if (seen.has(key)) return false;
      seen.add(key);
    }
    return true;
  }
}

class FieldProfiler {
  private filled = 0;
  private readonly counts: ValueCounts;
  private beyond: Beyond | null = null;

  constructor(private readonly shares: Shares) {
    this.counts = new ValueCounts(shares.counted);
  }

  addAll(rows: readonly (readonly (string | null)[])[], at: number): void {
    const { counts } = this;
    let filled = 0;
    for (const row of rows) {
      const value = row[at];
      if (value === null || value === undefined || value === '') continue;
      if (counts.again(value)) filled++;
      else this.addUnknown(value);
    }
    this.filled += filled;
  }
  private addUnknown(value: string): void {
    if (value.trim() === '') return;
    this.filled++;
    if (!this.counts.begin(value)) {
      const { first, second } = this.counts.hash;
      this.beyond ??= new Beyond(this.counts, this.shares);
      this.beyond.add(value, first, second);
    }
  }

  isUnique(read: number): boolean {
    if (this.filled !== read || read === 0) return false;
    return this.beyond ? this.beyond.isUnique(this.counts) : this.counts.size === read;
  }

  result(name: string): FieldProfile {
    const shape = this.beyond?.shape ?? new Shape(this.shares.patterns);
    for (const [value, n] of this.counts) shape.add(value, n);
    const top = [...this.counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).slice(0, 10);
    return {
      name,
      filled: this.filled,
      distinct: this.beyond ? this.beyond.distinct() : this.counts.size,
      distinctExact: this.beyond === null,
      ...shape.result(this.filled),
      top: top.map(([value, count]) => ({ value, count })),
      topExact: this.beyond === null,
    };
  }
}

/** What comes after the values that are counted each. */
class Beyond {
  readonly shape: Shape;
  private readonly log: HyperLogLog;
  private readonly unique: UniqueValues;

  constructor(known: ValueCounts, { patterns, bits, room }: Shares) {
    this.shape = new Shape(patterns);
    this.log = new HyperLogLog(bits);
    this.unique = new UniqueValues(room);
    const hash = new TextHash();
    for (const [value, n] of known) {
      hash.take(value);
      this.log.add(hash.first);
      if (n > 1) this.unique.end();
      else this.unique.add(hash.first, hash.second);
    }
    // What was seen until now shows which meanings are worth testing further.
    this.shape.learn(known);
  }
  add(value: string, first: number, second: number): void {
    this.log.add(first);
    this.shape.add(value, 1);
    this.unique.add(first, second);
  }
  distinct(): number {
    return this.unique.isUnique ? this.unique.size : this.log.count();
  }
  /** Values that are counted each may have come again since. */
  isUnique(known: ValueCounts): boolean {
    if (!this.unique.isUnique) return false;
    for (const [, n] of known) if (n > 1) return false;
    return true;
  }
}

const NUMERIC = /^[+-]?\d{1,15}(\.\d+)?$/;
const DATES = MEANINGS.filter((m) => m.name.startsWith('date '));

/** Lengths, extremes, patterns, meanings and damages of weighted values. */
class Shape {
  private shortest = Infinity;
  private longest = 0;
  private min: string | null = null;
  private max: string | null = null;
  private numeric = true;
  private minNumber = Infinity;
  private maxNumber = -Infinity;
  private minNumberText = '';
  private maxNumberText = '';
  private readonly patterns = new Map<string, number>();
  private tested: readonly Meaning[] = MEANINGS;
  private readonly meant = new Map<Meaning, number>();
  private readonly damaged = new Map<string, { count: number; example: string }>();
  private readonly digits = new DigitLengths();

  constructor(private readonly maxPatterns: number) {}

  /** Meanings that hardly any of these values has are not tested any more. */
  learn(values: ValueCounts): void {
    const some = [...values].slice(0, 2000).map(([value]) => value);
    this.tested = MEANINGS.filter((m) => some.filter((v) => m.test(v)).length > some.length * 0.5);
  }

  add(value: string, count: number): void {
    const { length } = value;
    if (length < this.shortest) this.shortest = length;
    if (length > this.longest) this.longest = length;
    if (this.min === null || value < this.min) this.min = value;
    if (this.max === null || value > this.max) this.max = value;
    if (this.numeric) this.addNumber(value);
    const pattern = patternOf(value);
    const before = this.patterns.get(pattern);
    if (before !== undefined || this.patterns.size < this.maxPatterns)
      this.patterns.set(pattern, (before ?? 0) + count);
    for (const meaning of this.tested)
      if (meaning.test(value)) this.meant.set(meaning, (this.meant.get(meaning) ?? 0) + count);
    this.addDamage(value, count);
  }
  private addNumber(value: string): void {
    if (!NUMERIC.test(value)) {
      this.numeric = false;
      return;
    }
    const number = Number(value);
    if (number < this.minNumber) [this.minNumber, this.minNumberText] = [number, value];
    if (number > this.maxNumber) [this.maxNumber, this.maxNumberText] = [number, value];
  }
  private addDamage(value: string, count: number): void {
    if (allDigits(value)) return this.digits.add(value, count);
    const what = damageOf(value);
    if (what === null) return;
    const known = this.damaged.get(what);
    if (known) known.count += count;
    else this.damaged.set(what, { count, example: value });
  }

  result(
    filled: number,
  ): Pick<FieldProfile, 'min' | 'max' | 'shortest' | 'longest' | 'patterns' | 'meaning' | 'damages'> {
    const any = this.min !== null;
    const numeric = any && this.numeric;
    const meaning = this.tested.find((m) => (this.meant.get(m) ?? 0) >= filled * 0.9 && filled > 0);
    return {
      min: numeric ? this.minNumberText : this.min,
      max: numeric ? this.maxNumberText : this.max,
      shortest: any ? this.shortest : null,
      longest: any ? this.longest : null,
      patterns: [...this.patterns]
        .sort((a, b) => b[1] - a[1])
        .slice(0, 8)
        .map(([value, count]) => ({ value, count })),
      meaning: meaning ? { name: meaning.name, words: meaning.words, share: this.meant.get(meaning)! / filled } : null,
      damages: this.damages(filled),
    };
  }
  private damages(filled: number): Damage[] {
    const found = [...this.damaged].map(([what, { count, example }]) => ({ what, count, example }));
    const zeros = this.digits.lostZeros();
    if (zeros) found.push(zeros.damage);
    const dates = DATES.map((m) => ({ m, count: this.meant.get(m) ?? 0 })).filter((d) => d.count > filled * 0.01);
    const kinds = new Set(dates.map((d) => (d.m.name.includes('/') ? '/' : d.m.name)));
    if (kinds.size > 1) {
      const least = dates.sort((a, b) => a.count - b.count)[0]!;
      found.push({
        what: 'dates in several patterns',
        count: least.count,
        example: dates.map((d) => d.m.name.slice(5)).join(', '),
      });
    }
    return found;
  }
}
