import { Mismatch, type Converter } from '../fields/convert.ts';
import type { FieldType, ValueType } from '../fields/types.ts';
import { outputText } from '../fields/values.ts';
import { Unreadable, type Marks, type RawRow } from '../formats/format.ts';
import { textConverter } from '../formats/text/marks.ts';
import { readNumber } from '../rules/own-functions.ts';
import { decimalText } from '../fields/decimal.ts';
import { damageOf, DigitLengths } from './damage.ts';
import { MEANINGS } from '../fields/meanings.ts';
import { fieldText, textLiteral } from '../rules/print.ts';
import { allDigits } from './patterns.ts';

/** What the values of a field read as. */
export type ReadsAs = 'text' | 'whole number' | 'number' | 'date' | 'timestamp' | 'boolean';
export interface FieldReading {
  readonly name: string;
  readonly readsAs: ReadsAs;
  /** How its dates are written; null for what is no date. */
  readonly pattern: string | null;
  readonly decimal: '.' | ',';
}
/** A value that reads differently from how it is written, or that looks spoiled. */
export interface CellReading {
  /** Index of the field. */
  readonly at: number;
  /** The typed value as PostgreSQL prints it; null where it is as the text, or can't be read. */
  readonly typed: string | null;
  readonly damage: string | null;
}
export interface Reading {
  readonly fields: readonly FieldReading[];
  /** One list for each row; empty where every value is as it reads. */
  readonly cells: readonly (readonly CellReading[])[];
}

/**
 * Reads rows of text as what they seem to be, for people to look at: the typed value where it differs from the text, and
 * what looks damaged. It decides on nothing; what becomes of a value is the mapping's.
 */
export function readRowsAs(names: readonly string[], rows: readonly RawRow[], marks: Marks | null): Reading {
  const cells: CellReading[][] = rows.map(() => []);
  const fields = names.map((name, at) => {
    const column = new Column(
      rows.map((row) => (row instanceof Unreadable ? null : (row[at] ?? null))),
      marks,
    );
    for (let i = 0; i < rows.length; i++) {
      const found = column.cell(i);
      if (found) cells[i]!.push({ at, ...found });
    }
    return { name, readsAs: column.readsAs, pattern: column.written, decimal: column.decimal };
  });
  return { fields, cells };
}

/** The rule by which rows are sorted by a field: as what its values read as, not as their letters. */
export function sortRule({ name, readsAs, pattern, decimal }: FieldReading): string {
  const field = fieldText(null, name);
  if (readsAs === 'whole number' || readsAs === 'number') return `parse_number(${field}, ${textLiteral(decimal)})`;
  // Times are written as ISO where they are recognised, and sorted well by their letters.
  return readsAs === 'date' && pattern !== null ? `parse_date(${field}, ${textLiteral(pattern)})` : field;
}

/** The share of values that must read as a type for the field to read as it. */
const MOST = 0.9;
const TYPES: Partial<Record<ReadsAs, ValueType>> = { date: 'date', timestamp: 'timestamp', boolean: 'bool' };

class Column {
  readonly readsAs: ReadsAs;
  private readonly convert: Converter | null = null;
  private readonly type: ValueType | null = null;
  readonly decimal: '.' | ',';
  private readonly idLength: number | null;
  readonly written: string | null = null;

  constructor(
    private readonly values: readonly (string | null)[],
    marks: Marks | null,
  ) {
    const filled = values.filter((v): v is string => v !== null && v.trim() !== '');
    const digits = new DigitLengths();
    for (const value of filled) if (allDigits(value)) digits.add(value, 1);
    this.idLength = digits.lostZeros()?.length ?? null;
    const meant = (name: string): boolean => {
      const { test } = MEANINGS.find((m) => m.name === name)!;
      return filled.length > 0 && filled.filter((v) => test(v)).length >= filled.length * MOST;
    };
    // Leading zeros carry meaning: such a field is an identifier, not a number.
    const identifier = filled.some((v) => /^0\d/.test(v));
    const declared = marks?.dates ? `date ${marks.dates}` : null;
    const date =
      (declared !== null && MEANINGS.some((m) => m.name === declared) && meant(declared) ? declared : null) ??
      MEANINGS.find((m) => m.name.startsWith('date ') && m.name !== 'date YYYYMMDD' && meant(m.name))?.name;
    this.decimal = marks?.decimal ?? (!meant('number') && meant('number ,') ? ',' : '.');
    this.readsAs = date
      ? 'date'
      : meant('timestamp')
        ? 'timestamp'
        : filled.some((v) => /[a-z]/i.test(v)) && meant('boolean')
          ? 'boolean'
          : identifier
            ? 'text'
            : meant('whole number')
              ? 'whole number'
              : meant(this.decimal === ',' ? 'number ,' : 'number')
                ? 'number'
                : 'text';
    const type = TYPES[this.readsAs];
    if (type) {
      this.type = type;
      this.written = date?.slice(5) ?? null;
      this.convert = textConverter({ value: type, sql: type } satisfies FieldType, {
        decimal: this.decimal,
        dates: date === undefined ? null : date.slice(5),
      });
    }
  }

  cell(i: number): Omit<CellReading, 'at'> | null {
    const value = this.values[i] ?? null;
    if (value === null || value === '') return null;
    const damage = this.damage(value);
    const typed = this.typed(value);
    const differs = typed !== null && typed !== value ? typed : null;
    const unread = typed === null && this.readsAs !== 'text' && damage === null ? this.notRead() : damage;
    return differs === null && unread === null ? null : { typed: differs, damage: unread };
  }
  private damage(value: string): string | null {
    const what = damageOf(value);
    if (what !== null) return what;
    return this.idLength !== null && allDigits(value) && value.length < this.idLength && !value.startsWith('0')
      ? `shorter than the other ids (${this.idLength} digits): leading zeros lost?`
      : null;
  }
  private notRead(): string {
    if (this.readsAs === 'date') return this.written === null ? 'no date' : `no date written ${this.written}`;
    return `no ${this.readsAs === 'boolean' ? 'yes or no' : this.readsAs}`;
  }
  private typed(value: string): string | null {
    if (this.readsAs === 'text') return value;
    if (this.convert) {
      const found = this.convert(value);
      // A time of day written in another way than ISO is left as it is.
      if (found instanceof Mismatch) return this.readsAs === 'timestamp' ? value : null;
      return outputText(found, this.type!);
    }
    const number = readNumber(value, this.decimal, this.decimal === ',' ? '.' : '');
    return number === null ? null : decimalText(number);
  }
}
