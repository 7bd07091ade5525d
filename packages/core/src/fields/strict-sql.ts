import type { FieldType, ValueType } from './types.ts';

/**
 * The strict last step (convert.ts) as SQL: whether a value fits its target field, and the value as the field takes it.
 * `v` names a column; both are boolean and value expressions of PostgreSQL 16 and newer.
 */
export interface StrictSql {
  /** Null when every value fits. */
  readonly fits: string | null;
  readonly value: string;
}

const INTEGER = "'^[+-]?[0-9]+$'";
const NUMBER = "'^[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][+-]?[0-9]+)?$'";
const ISO = "'^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ].*[^[:space:]])?$'";

export function strictSql(
  v: string,
  from: ValueType,
  { value: to, sql, length, precision, scale = 0 }: FieldType,
): StrictSql {
  if (to === 'text') {
    const text = from === 'text' ? v : `CAST(${v} AS text)`;
    const fits = length === undefined ? null : `char_length(${text}) <= ${length}`;
    return { fits, value: length === undefined ? text : `CAST(${text} AS ${sql})` };
  }
  const value = `CAST(${v} AS ${sql})`;
  if (from === 'text') {
    const valid = `pg_input_is_valid(${v}, '${sql}')`;
    const shaped = (pattern: string): StrictSql => ({ fits: `(${v} ~ ${pattern} AND ${valid})`, value });
    switch (to) {
      case 'int2':
      case 'int4':
      case 'int8':
        return shaped(INTEGER);
      case 'numeric':
      case 'float8':
        return shaped(NUMBER);
      case 'date':
      case 'timestamp':
      case 'timestamptz':
        return shaped(ISO);
      default:
        return { fits: `(${v} = btrim(${v}) AND ${valid})`, value };
    }
  }
  const whole = to === 'int2' || to === 'int4' || to === 'int8';
  if (whole && (from === 'numeric' || from === 'float8'))
    return { fits: `(${v} = trunc(${v}) AND pg_input_is_valid(CAST(trunc(${v}) AS text), '${sql}'))`, value };
  if (whole && from !== to) return { fits: `pg_input_is_valid(CAST(${v} AS text), '${sql}')`, value };
  if (to === 'numeric' && precision !== undefined)
    return { fits: `abs(round(CAST(${v} AS numeric), ${scale})) < 1e${precision - scale}`, value };
  if (to === 'date' && from !== 'date') return { fits: `${v} = date_trunc('day', ${v})`, value };
  return { fits: null, value };
}
