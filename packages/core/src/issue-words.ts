import type * as z from 'zod';

/** What a value must be, by the words of the validator. */
const TYPES: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  array: 'a list',
  object: 'an object',
  record: 'an object',
  null: 'null',
};
const listed = (values: readonly unknown[]): string => values.map((v) => (v === null ? 'null' : String(v))).join(', ');

/**
 * What is wrong with a value, for the person who gave it; continues the name of its place, as in “lines[4].state: must be one
 * of …”. Schemas that say it in words of their own are left alone.
 */
export function issueWords(issue: z.core.$ZodRawIssue): string {
  switch (issue.code) {
    case 'invalid_type':
      return issue.input === undefined
        ? 'this is missing'
        : `this must be ${TYPES[issue.expected] ?? `of type ${issue.expected}`}`;
    case 'invalid_value':
      return issue.values.length === 1
        ? `this must be ${listed(issue.values)}`
        : `this must be one of ${listed(issue.values)}`;
    case 'too_small':
      if (issue.origin === 'string')
        return Number(issue.minimum) === 1
          ? 'something must stand here'
          : `at least ${issue.minimum} characters must stand here`;
      if (issue.origin === 'array')
        return Number(issue.minimum) === 1 ? 'at least one is needed' : `at least ${issue.minimum} are needed`;
      return `this must be ${issue.inclusive === false ? 'more than' : 'at least'} ${issue.minimum}`;
    case 'too_big':
      if (issue.origin === 'string') return `this may have ${issue.maximum} characters at the most`;
      if (issue.origin === 'array') return `there may be ${issue.maximum} at the most`;
      return `this must be ${issue.inclusive === false ? 'less than' : 'at most'} ${issue.maximum}`;
    case 'invalid_format':
      return issue.format === 'date'
        ? 'this must be a day such as 2026-08-03'
        : issue.format === 'datetime'
          ? 'this must be a time such as 2026-08-03T12:00:00Z'
          : 'this is not written as it must be';
    case 'unrecognized_keys':
      return `${listed(issue.keys)} ${issue.keys.length === 1 ? 'is' : 'are'} not known here`;
    case 'not_multiple_of':
      return `this must be a multiple of ${issue.divisor}`;
    case 'invalid_union':
      return 'this fits none of the forms that are possible here';
    default:
      return 'this is not as expected';
  }
}
