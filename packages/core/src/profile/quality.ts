import { converterTo, Mismatch } from '../fields/convert.ts';
import { parseFieldType } from '../fields/types.ts';
import { characters } from '../fields/values.ts';
import { Unreadable, type RawRow } from '../formats/format.ts';
import { KeySet } from '../key-set.ts';
import { RuleContext } from '../rules/context.ts';
import { writtenName } from '../rules/print.ts';
import { makeRule } from '../rules/rule.ts';
import { MEANINGS } from '../fields/meanings.ts';
import type { DatasetProfile } from './profile.ts';

/** What the structure of a dataset asks of its records. */
export interface ExpectedField {
  readonly name: string;
  readonly type: string;
  readonly nullable: boolean;
  readonly key: boolean;
}
/** A check that people added: a condition that each record must meet. */
export interface ExpectedCheck {
  readonly id: number;
  readonly rule: string;
  readonly message: string;
}
export type Dimension = 'completeness' | 'uniqueness' | 'validity' | 'consistency';

/** What was found against records: how many, and the first of them. */
export interface Finding {
  readonly dimension: Dimension;
  readonly field: string | null;
  readonly what: string;
  /** Records that it speaks against, of those that it looked at. */
  readonly count: number;
  readonly of: number;
  /** A rule that finds the records, where one can be written. */
  readonly filter: string | null;
  readonly rows: readonly FoundRecord[];
}
export interface FoundRecord {
  readonly row: number;
  readonly file: string | null;
  readonly value: string | null;
}
export interface Quality {
  readonly records: number;
  /** Records that have nothing against them. */
  readonly clean: number;
  readonly findings: readonly Finding[];
  /** Per dimension: records that have nothing against them in it; null where nothing was looked for. */
  readonly dimensions: Readonly<Record<Dimension, number | null>>;
}

const ROWS = 50;
const DIMENSIONS: readonly Dimension[] = ['completeness', 'uniqueness', 'validity', 'consistency'];

interface Test {
  readonly dimension: Dimension;
  readonly field: string | null;
  readonly what: string;
  readonly filter: string | null;
  /** Whether the record is at fault; null: it was not looked at. */
  fails(row: readonly (string | null)[]): boolean | null;
  readonly place: number;
}

/** Looks at records one by one for what speaks against them. The profile tells what their values are meant to be. */
export class QualityCheck {
  private readonly tests: readonly Test[];
  private readonly counts: { count: number; of: number; rows: FoundRecord[] }[];
  private records = 0;
  private clean = 0;
  private readonly dirty: Record<Dimension, number> = { completeness: 0, uniqueness: 0, validity: 0, consistency: 0 };
  private unreadable = 0;
  private readonly unreadableRows: FoundRecord[] = [];

  constructor(
    names: readonly string[],
    fields: readonly ExpectedField[],
    checks: readonly ExpectedCheck[],
    profile: DatasetProfile,
  ) {
    // By name, for there may be tens of thousands.
    const places = new Map(names.map((name, at) => [name, at]));
    const placeOf = (name: string): number => places.get(name) ?? -1;
    this.tests = [
      ...fields.flatMap((f) => structureTests(f, placeOf(f.name))),
      ...keyTests(fields, placeOf),
      ...meaningTests(profile, placeOf, new Set(fields.filter((f) => isTyped(f.type)).map((f) => f.name))),
      ...checks.map((c) => ruleTest(c, names)),
    ].filter((t) => t.place !== -1);
    this.counts = this.tests.map(() => ({ count: 0, of: 0, rows: [] }));
  }

  push(rows: readonly RawRow[], file: string | null): void {
    for (const row of rows) this.look(row, file);
  }
  private look(row: RawRow, file: string | null): void {
    const number = ++this.records;
    if (row instanceof Unreadable) {
      this.unreadable++;
      if (this.unreadableRows.length < ROWS)
        this.unreadableRows.push({ row: number, file, value: row.raw.slice(0, 100) || null });
      this.dirty.validity++;
      return;
    }
    let faults = 0;
    const against = { completeness: false, uniqueness: false, validity: false, consistency: false };
    for (let i = 0; i < this.tests.length; i++) {
      const test = this.tests[i]!;
      const fails = test.fails(row);
      if (fails === null) continue;
      const count = this.counts[i]!;
      count.of++;
      if (!fails) continue;
      count.count++;
      faults++;
      against[test.dimension] = true;
      if (count.rows.length < ROWS)
        count.rows.push({ row: number, file, value: test.place >= 0 ? (row[test.place] ?? null) : null });
    }
    if (faults === 0) this.clean++;
    else for (const d of DIMENSIONS) if (against[d]) this.dirty[d]++;
  }

  result(): Quality {
    const findings = this.tests
      .map((t, i): Finding => ({
        dimension: t.dimension,
        field: t.field,
        what: t.what,
        filter: t.filter,
        ...this.counts[i]!,
      }))
      .filter((f) => f.count > 0);
    if (this.unreadable > 0)
      findings.unshift({
        dimension: 'validity',
        field: null,
        what: 'can’t be read',
        count: this.unreadable,
        of: this.records,
        filter: null,
        rows: this.unreadableRows,
      });
    const looked = new Set(this.tests.map((t) => t.dimension));
    const dimension = (d: Dimension): number | null =>
      looked.has(d) || this.dirty[d] > 0 ? this.records - this.dirty[d] : null;
    return {
      records: this.records,
      clean: this.clean,
      findings: findings.sort((a, b) => b.count - a.count),
      dimensions: {
        completeness: dimension('completeness'),
        uniqueness: dimension('uniqueness'),
        validity: dimension('validity'),
        consistency: dimension('consistency'),
      },
    };
  }
}

function isTyped(text: string): boolean {
  try {
    const { value } = parseFieldType(text);
    return value !== 'text' && value !== 'unknown';
  } catch {
    return false;
  }
}
const isMissing = (value: string | null | undefined): boolean =>
  value === null || value === undefined || value.trim() === '';

function structureTests(field: ExpectedField, place: number): Test[] {
  const tests: Test[] = [];
  if (!field.nullable || field.key)
    tests.push({
      dimension: 'completeness',
      field: field.name,
      what: 'is missing, though it must be there',
      filter: `${writtenName(field.name)} IS NULL OR trim(${writtenName(field.name)}) = ''`,
      fails: (row) => isMissing(row[place]),
      place,
    });
  let type: ReturnType<typeof parseFieldType>;
  try {
    type = parseFieldType(field.type);
  } catch {
    return tests;
  }
  if (type.length !== undefined) {
    const { length } = type;
    tests.push({
      dimension: 'validity',
      field: field.name,
      what: `is longer than ${length} characters`,
      filter: `length(${writtenName(field.name)}) > ${length}`,
      fails: (row) => (isMissing(row[place]) ? null : characters(row[place]!) > length),
      place,
    });
  }
  if (type.value !== 'text' && type.value !== 'unknown') {
    const convert = converterTo(type, 'text');
    tests.push({
      dimension: 'validity',
      field: field.name,
      what: `is not of the type ${type.sql}`,
      filter: null,
      fails: (row) => (isMissing(row[place]) || !convert ? null : convert(row[place]!) instanceof Mismatch),
      place,
    });
  }
  return tests;
}

function keyTests(fields: readonly ExpectedField[], placeOf: (name: string) => number): Test[] {
  const keys = fields.filter((f) => f.key);
  if (keys.length === 0) return [];
  const places = keys.map((k) => placeOf(k.name));
  if (places.includes(-1)) return [];
  const seen = new KeySet();
  return [
    {
      dimension: 'uniqueness',
      field: keys.map((k) => k.name).join(', '),
      what: 'occurred before, though it is the key',
      filter: null,
      fails: (row) => {
        const values = places.map((p) => row[p] ?? null);
        return values.some(isMissing) ? null : !seen.add(values.join('\u0001'));
      },
      place: places[0]!,
    },
  ];
}

/** Where nearly all values are of one meaning, those that are not stand out. */
function meaningTests(profile: DatasetProfile, placeOf: (name: string) => number, typed: ReadonlySet<string>): Test[] {
  return profile.fields.flatMap((f): Test[] => {
    const place = placeOf(f.name);
    const meaning = MEANINGS.find((m) => m.name === f.meaning?.name);
    // A type says more than a meaning; the same value is not counted against a record twice.
    if (!meaning || f.meaning!.share === 1 || typed.has(f.name)) return [];
    return [
      {
        dimension: 'validity',
        field: f.name,
        what: `stands out: the others are ${meaning.words}`,
        filter: null,
        fails: (row) => (isMissing(row[place]) ? null : !meaning.test(row[place]!)),
        place,
      },
    ];
  });
}

/** A check must be true or null, as a check of a table in SQL. Throws RuleError. */
function ruleTest({ rule, message }: ExpectedCheck, names: readonly string[]): Test {
  const compiled = makeRule(rule, { fields: names.map((name, slot) => ({ alias: null, name, slot, type: 'text' })) });
  const ctx = new RuleContext();
  return {
    dimension: 'consistency',
    field: null,
    what: message,
    filter: `NOT (${rule})`,
    fails: (row) => {
      ctx.row = row;
      ctx.fault = null;
      const value = compiled.run(ctx);
      return ctx.fault !== null || value === false;
    },
    place: -2,
  };
}
