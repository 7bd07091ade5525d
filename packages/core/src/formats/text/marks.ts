import { converterTo, Mismatch, type Converter } from '../../fields/convert.ts';
import { decimalText } from '../../fields/decimal.ts';
import { dateText } from '../../fields/dates.ts';
import type { FieldType } from '../../fields/types.ts';
import { MEANINGS } from '../../fields/meanings.ts';
import { readNumber } from '../../rules/own-functions.ts';
import { compileReader, type PatternReader } from '../../rules/date-pattern-strict.ts';
import type { Marks } from '../format.ts';

/** Date patterns that are recognised by themselves; others can be declared. */
export const DATE_PATTERNS: readonly string[] = MEANINGS.filter((m) => m.name.startsWith('date ')).map((m) =>
  m.name.slice(5),
);
const ISO = 'YYYY-MM-DD';

/**
 * Guesses from the columns of a sample how numbers and dates are written. Null where nothing is written other than
 * PostgreSQL does. `reasons` are for people.
 */
export function guessMarks(
  names: readonly string[],
  columns: readonly (readonly string[])[],
): { marks: Marks | null; reasons: string[] } {
  const commas: string[] = [];
  const points: string[] = [];
  const dated = new Map<string, string[]>();
  const doubtful = new Set<string>();
  for (const [i, column] of columns.entries()) {
    const values = column.map((v) => v.trim()).filter((v) => v !== '');
    if (values.length < 2) continue;
    const name = names[i] ?? `column ${i + 1}`;
    const most = (meaning: string): boolean => {
      const { test } = MEANINGS.find((m) => m.name === meaning)!;
      return values.filter((v) => test(v)).length >= values.length * 0.9;
    };
    const patterns = DATE_PATTERNS.filter((p) => most(`date ${p}`));
    const [pattern] = patterns;
    if (pattern === ISO) continue;
    if (pattern !== undefined) {
      if (pattern === 'YYYYMMDD' && !/date|day|_on$|_at$|datum/i.test(name)) continue;
      dated.set(pattern, [...(dated.get(pattern) ?? []), name]);
      if (patterns.length > 1) doubtful.add(pattern);
    } else if (values.some((v) => v.includes(',')) && most('number ,')) commas.push(name);
    else if (values.some((v) => v.includes('.')) && most('number')) points.push(name);
  }
  const reasons: string[] = [];
  const comma = commas.length > points.length;
  if (comma) reasons.push(`numbers have a decimal comma (${listed(commas)})`);
  const [found] = [...dated].sort((a, b) => b[1].length - a[1].length);
  if (found) {
    const [pattern, fields] = found;
    reasons.push(
      `dates are written ${pattern} (${listed(fields)})${doubtful.has(pattern) ? '; day and month could stand the other way round' : ''}`,
    );
  }
  return { marks: comma || found ? { decimal: comma ? ',' : '.', dates: found?.[0] ?? null } : null, reasons };
}
const listed = (names: readonly string[]): string =>
  names.length > 4 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');

/** Throws Error with a sentence when the pattern of a declaration can't be used. */
export function checkMarks({ dates }: Marks): void {
  if (dates !== null) compileReader(dates);
}

/**
 * The strict last step (`converterTo`) from text of a dataset. Where its format declares marks, numbers are read with its
 * decimal sign (and the other one between groups), dates by its pattern or as ISO 8601.
 */
export function textConverter(target: FieldType, marks?: Marks): Converter {
  const strict = converterTo(target, 'text');
  if (!marks) return strict;
  const { decimal, dates } = marks;
  switch (target.value) {
    case 'int2':
    case 'int4':
    case 'int8':
    case 'numeric':
    case 'float8':
      if (decimal === '.') return strict;
      return (value) => {
        const number = readNumber(value as string, ',', '.');
        return number === null
          ? new Mismatch('type_mismatch', `“${value as string}” is no number with a decimal comma.`)
          : strict(decimalText(number));
      };
    case 'date':
    case 'timestamp': {
      if (dates === null || dates === ISO) return strict;
      const read: PatternReader = compileReader(dates);
      return (value) => {
        const found = strict(value);
        if (!(found instanceof Mismatch)) return found;
        const date = read(value as string);
        return typeof date === 'string'
          ? new Mismatch('type_mismatch', `“${value as string}” ${date}; the dataset’s dates are written ${dates}.`)
          : strict(dateText(date.day));
      };
    }
    default:
      return strict;
  }
}
