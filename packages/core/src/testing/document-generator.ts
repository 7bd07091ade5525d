import * as fc from 'fast-check';
import { LINE_FAILURES, LINE_KINDS, LINE_STATES, parseDocument, type MappingDocument } from '../index.ts';

// What is called __proto__ is no document (document.spec.ts).
const text = fc
  .oneof(fc.string({ maxLength: 12 }), fc.constantFrom('', '""', '""""', ' x ', 'a\nb', '=1+1', "'"))
  .filter((t) => !t.includes('__proto__'));
const some = text.filter((t) => t !== '');
const id = fc.stringMatching(/^[A-Za-z0-9_-]{1,8}$/).filter((t) => t !== '__proto__');
const optional = <T>(of: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(of, { nil: undefined });
const line = fc.record({
  id,
  target: some,
  kind: optional(fc.constantFrom(...LINE_KINDS)),
  source: optional(text),
  value: optional(
    fc.oneof(text, fc.integer(), fc.double({ noNaN: true, noDefaultInfinity: true }), fc.boolean(), fc.constant(null)),
  ),
  rule: optional(some),
  codeTable: optional(some),
  generate: optional(fc.constantFrom('uuid' as const, 'sequence' as const, 'hash' as const)),
  of: optional(fc.array(some, { maxLength: 3 })),
  condition: optional(some),
  default: optional(some),
  defaultWhen: optional(fc.constantFrom('condition' as const, 'null' as const)),
  onFail: optional(fc.constantFrom(...LINE_FAILURES)),
  check: optional(some),
  checkMessage: optional(text),
  note: optional(text),
  lineage: optional(text),
  state: fc.constantFrom(...LINE_STATES),
});
const field = fc.record({
  name: some,
  label: optional(text),
  type: fc.constantFrom('text', 'varchar(12)', 'numeric(7,2)', 'date'),
  nullable: fc.boolean(),
  required: fc.boolean(),
  codeTable: optional(some),
  description: optional(text),
  section: optional(text),
});
const dataset = some;
const parts = fc.record({
  name: some,
  purpose: optional(text),
  source: fc.record({
    primary: fc.record({ alias: fc.constantFrom('a', 'm_1'), dataset }),
    joins: fc.array(fc.record({ alias: fc.constant('j'), dataset, kind: fc.constantFrom('left', 'inner'), on: some }), {
      maxLength: 2,
    }),
    unions: fc.array(fc.record({ dataset, columns: fc.dictionary(id, text, { maxKeys: 2 }) }), { maxLength: 2 }),
    structures: fc.dictionary(
      id,
      fc.array(fc.record({ name: some, type: fc.constant('text'), description: optional(text) }), { maxLength: 3 }),
      { maxKeys: 2 },
    ),
    filter: optional(some),
    distinctOn: fc.array(some, { maxLength: 2 }),
    groupBy: fc.array(some, { maxLength: 2 }),
    orderBy: fc.array(some, { maxLength: 2 }),
  }),
  targetOf: fc.record({ dataset, unique: fc.array(fc.array(some, { minLength: 1, maxLength: 2 }), { maxLength: 2 }) }),
  fields: fc.uniqueArray(field, { selector: (f) => f.name, minLength: 1, maxLength: 5 }),
  keyed: fc.array(fc.nat(), { maxLength: 3 }),
  lines: fc.uniqueArray(line, { selector: (l) => l.id, maxLength: 6 }),
  placed: fc.array(fc.nat(), { minLength: 6, maxLength: 6 }),
  checks: fc.array(fc.record({ id, rule: some, message: some, onFail: fc.constantFrom('reject', 'remark', 'stop') }), {
    maxLength: 2,
  }),
  skips: fc.array(fc.record({ id, when: some, reason: some, at: optional(fc.constant('mapped')) }), { maxLength: 2 }),
  codeTables: fc.dictionary(
    id,
    fc.array(
      fc.record({
        from: text,
        to: text,
        meaning: optional(text),
        validFrom: optional(fc.constantFrom('2026-01-01', '1999-12-31')),
        validTo: optional(fc.constant('2026-06-30')),
      }),
      { maxLength: 3 },
    ),
    { maxKeys: 3 },
  ),
  codeDefaults: optional(fc.dictionary(id, text, { minKeys: 1, maxKeys: 2 })),
  write: fc.record({
    mode: fc.constantFrom('insert', 'upsert'),
    existing: optional(fc.constantFrom('overwrite', 'keep')),
  }),
  questions: fc.array(
    fc.record({
      id,
      line: optional(id),
      text: some,
      to: optional(text),
      by: optional(text),
      askedAt: optional(text),
      answer: optional(text),
    }),
    { maxLength: 3 },
  ),
  dictionary: fc.array(fc.record({ dataset, name: some, type: optional(text), description: optional(text) }), {
    maxLength: 3,
  }),
  examples: optional(
    fc.array(
      fc.record({
        id,
        note: optional(text),
        source: fc.dictionary(id, fc.option(text), { maxKeys: 3 }),
        file: optional(text),
        expect: fc.record({
          outcome: fc.constantFrom('written', 'failed'),
          values: fc.dictionary(id, fc.option(text), { maxKeys: 2 }),
          causes: fc.dictionary(id, fc.constantFrom('rule_error', 'too_long'), { maxKeys: 2 }),
        }),
      }),
      { maxLength: 2 },
    ),
  ),
});
const made = ({
  targetOf,
  fields,
  keyed,
  lines,
  placed,
  ...rest
}: typeof parts extends fc.Arbitrary<infer T> ? T : never): MappingDocument =>
  parseDocument(
    JSON.parse(
      JSON.stringify({
        versicle: 1,
        ...rest,
        target: { ...targetOf, fields, key: [...new Set(keyed.map((k) => fields[k % fields.length]!.name))] },
        // Some lines fill fields, some name a field that is gone.
        lines: lines.map((l, i) =>
          placed[i]! % 4 === 0 ? l : { ...l, target: fields[placed[i]! % fields.length]!.name },
        ),
      }),
    ),
  );

/** Documents with everything that a document can say; most of them make no sense. */
export const documents: fc.Arbitrary<MappingDocument> = parts.map(made);
