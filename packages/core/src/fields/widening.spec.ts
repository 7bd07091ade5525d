import { isWidened } from './widening.ts';

it.each([
  ['integer', 'bigint', true],
  ['smallint', 'numeric', true],
  ['bigint', 'integer', false],
  ['integer', 'numeric(9,2)', false],
  ['numeric(6,2)', 'numeric(9,2)', true],
  ['numeric(9,2)', 'numeric(6,2)', false],
  ['numeric(6,2)', 'numeric(9,3)', false],
  ['character varying(8)', 'character varying(12)', true],
  ['character varying(12)', 'character varying(8)', false],
  ['character varying(8)', 'text', true],
  ['text', 'character varying(8)', false],
  ['character(8)', 'text', false],
  ['date', 'text', false],
  ['date', 'timestamp without time zone', false],
  ['integer', 'text', false],
  ['mood', 'mood', true],
  ['mood', 'text', false],
])('%s is read as before when it is %s: %s', (from, to, is) => expect(isWidened(from, to)).toBe(is));
