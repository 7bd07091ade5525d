import { aggregateFunctions } from './aggregates.ts';
import { arrayFunctions } from './array-functions.ts';
import { bytesFunctions, bytesOverloads } from './bytes-functions.ts';
import { codeFunctions } from './code-functions.ts';
import { dateFunctions } from './date-functions.ts';
import { jsonFunctions } from './json-functions.ts';
import { momentFunctions, truncInZone } from './moment-functions.ts';
import { numberFunctions } from './number-functions.ts';
import { ownFunctions } from './own-functions.ts';
import { numberToChar, patternFunctions } from './pattern-functions.ts';
import { regexFunctions, requireRegex, substringByPattern } from './regex-functions.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';
import { scaleFunctions } from './scale-functions.ts';
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

const T = 'text' as const;
/** Overloads of a function that stand with others of their kind. */
const further: Readonly<Record<string, readonly Overload[]>> = {
  to_char: numberToChar,
  date_trunc: [truncInZone],
  substring: [
    over([T, T], T, substringByPattern, {
      prepare: ([, pattern]) => (typeof pattern === 'string' && void requireRegex(pattern, ''), null),
    }),
  ],
  ...Object.fromEntries(Object.entries(bytesOverloads).map(([name, overload]) => [name, [overload]])),
};

/** Every function that rules know, by name: the one registry behind checking, completion, Help and the tests. */
export const functions: ReadonlyMap<string, RuleFunction> = new Map(
  [
    ...textFunctions,
    ...codeFunctions,
    ...regexFunctions,
    ...bytesFunctions,
    ...numberFunctions,
    ...scaleFunctions,
    ...dateFunctions,
    ...momentFunctions,
    ...patternFunctions,
    ...jsonFunctions,
    ...arrayFunctions,
    ...ownFunctions,
    ...aggregateFunctions,
    ...special,
  ].map((f) => [f.name, { ...f, overloads: [...f.overloads, ...(further[f.name] ?? [])] }]),
);

/** Known to PostgreSQL and this trade, and refused by name. */
export const notYet: ReadonlySet<string> = new Set(
  'convert_from regexp_matches regexp_split_to_table unnest array_agg cbrt random statement_timestamp clock_timestamp jsonb_set jsonb_path_query jsonb_array_elements json_query json_exists factorial make_time make_timestamptz'.split(
    ' ',
  ),
);
