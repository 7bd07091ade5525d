import { dateFunctions } from './date-functions.ts';
import { numberFunctions } from './number-functions.ts';
import { ownFunctions } from './own-functions.ts';
import type { RuleFunction } from './registry.ts';
import { textFunctions } from './text-functions.ts';

/** Forms that the grammar knows and that completion and Help list with the functions. */
const special: RuleFunction[] = [
  {
    name: 'coalesce',
    group: 'choice',
    signature: 'COALESCE(value, …) → value',
    summary: 'The first value that is not null.',
    example: { rule: "COALESCE(NULL, 'GB')", value: 'GB' },
    overloads: [],
  },
  {
    name: 'nullif',
    group: 'choice',
    signature: 'NULLIF(value, other) → value',
    summary: 'Null when both are equal, otherwise the value.',
    example: { rule: "NULLIF('00.00.0000', '00.00.0000')", value: null },
    overloads: [],
  },
  {
    name: 'greatest',
    group: 'choice',
    signature: 'GREATEST(value, …) → value',
    summary: 'The largest value; nulls are left out.',
    example: { rule: 'GREATEST(3, 12, 7)', value: '12' },
    overloads: [],
  },
  {
    name: 'least',
    group: 'choice',
    signature: 'LEAST(value, …) → value',
    summary: 'The smallest value; nulls are left out.',
    example: { rule: 'LEAST(3, 12, 7)', value: '3' },
    overloads: [],
  },
];

/** Every function that rules know, by name: the one registry behind checking, completion, Help and the tests. */
export const functions: ReadonlyMap<string, RuleFunction> = new Map(
  [...textFunctions, ...numberFunctions, ...dateFunctions, ...ownFunctions, ...special].map((f) => [f.name, f]),
);

/** Known to PostgreSQL and this trade, refused by name until they are here. */
export const notYet: ReadonlySet<string> = new Set(
  'to_number to_date to_timestamp regexp_replace regexp_match regexp_matches regexp_like regexp_substr regexp_count regexp_instr encode decode json_value jsonb_typeof array_length array_to_string string_to_array cardinality mapped_key sum count min max avg string_agg bool_or bool_and make_timestamp make_interval normalize sha256 width_bucket scale trim_scale num_nulls ascii chr overlay quote_literal quote_ident to_hex ln log exp random statement_timestamp clock_timestamp justify_days date_bin'.split(
    ' ',
  ),
);
