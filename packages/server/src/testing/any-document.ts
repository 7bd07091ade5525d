import * as fc from 'fast-check';

/**
 * Documents, records and ways of cutting them into files that nobody thought of. `VERSICLE_SEED` gives the same ones again,
 * `VERSICLE_CASES` says how many.
 */
export const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
export const CASES = Number(process.env['VERSICLE_CASES'] ?? 2);

export const COLUMNS = ['no', 'name', 'price', 'mail'] as const;
export type Item = Record<(typeof COLUMNS)[number], string>;

const cell = fc.oneof(
  fc.stringMatching(/^[a-z]{1,8}$/),
  fc.constantFrom('', 'Ännchen', 'a;b', 'say "no"', 'two\nlines', ' blanks ', "o'clock", '\\N', '雨'),
);
const price = fc.oneof(
  fc.nat(9999).map((n) => `${Math.floor(n / 100)},${String(n % 100).padStart(2, '0')}`),
  fc.constantFrom('x', '', '13,00', '99999999'),
);
const item = fc.record({ name: cell, price, mail: fc.oneof(cell, fc.constant('')) });

/** Target fields, each with the way it is filled. */
const WAYS = {
  name: ['text', { kind: 'straight', source: 'i.name' }],
  short: ['varchar(6)', { kind: 'straight', source: 'i.name', onFail: 'reject' }],
  price: ['numeric(6,2)', { kind: 'rule', rule: "parse_number(i.price, ',')" }],
  cheap: ['numeric(6,2)', { kind: 'rule', rule: "parse_number(i.price, ',')", onFail: 'null' }],
  loud: ['text', { kind: 'rule', rule: "upper(i.name) || ':' || coalesce(i.mail, '-')" }],
  row: ['integer', { kind: 'rule', rule: ':row_number' }],
  counted: ['bigint', { kind: 'generated', generate: 'sequence' }],
  hash: ['text', { kind: 'generated', generate: 'hash', of: ['i.no', 'i.name'] }],
  world: ['text', { kind: 'constant', value: 'Larkway' }],
  file: ['text', { kind: 'rule', rule: ':file_name' }],
} as const;
type Way = keyof typeof WAYS;

const anyCase = fc.record({
  items: fc.array(item, { minLength: 150, maxLength: 450 }),
  ways: fc.shuffledSubarray(Object.keys(WAYS) as Way[], { minLength: 2 }),
  mode: fc.constantFrom('insert', 'keyless insert', 'upsert', 'skip existing', 'replace'),
  filter: fc.option(fc.constantFrom("i.price <> '13,00'", 'i.name IS NOT NULL', 'length(i.no) < 4')),
  check: fc.option(fc.constantFrom("no <> '77'", "right(no, 1) <> '3'")),
  /** Of the finished record. */
  skip: fc.option(fc.constantFrom("no LIKE '%5'", 'length(no) = 1')),
  /** Where the file is cut, as shares of the whole. */
  cuts: fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 5 }),
  orders: fc.array(fc.shuffledSubarray([...COLUMNS], { minLength: COLUMNS.length }), { minLength: 6, maxLength: 6 }),
  /** Milliseconds from one death to the next. */
  deaths: fc.array(fc.integer({ min: 0, max: 400 }), { minLength: 1, maxLength: 4 }),
  signal: fc.constantFrom('SIGKILL' as const, 'SIGTERM' as const),
  chunk: fc.constantFrom('11', '40', '100'),
  threads: fc.constantFrom('1', '2', '3'),
});
export type AnyCase = typeof anyCase extends fc.Arbitrary<infer T> ? T : never;

/** A file of the records, its columns in this order. */
export const written = (items: readonly Item[], order: readonly (keyof Item)[]): string =>
  [order.join(';'), ...items.map((i) => order.map((c) => quoted(i[c])).join(';')), ''].join('\n');
const quoted = (text: string): string => (/[;"\n]|^\s|\s$/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);

export function documentOf(
  { ways, mode, filter, check, skip }: AnyCase,
  source: Record<string, unknown>,
  target: string,
): Record<string, unknown> {
  return {
    versicle: 1,
    name: `To ${target}`,
    source: { ...source, ...(filter === null ? {} : { filter }) },
    target: {
      dataset: target,
      key: mode === 'keyless insert' ? [] : ['no'],
      fields: [{ name: 'no', type: 'text', nullable: false }, ...ways.map((name) => ({ name, type: WAYS[name][0] }))],
    },
    lines: [
      { id: 'no', target: 'no', kind: 'straight', source: 'i.no' },
      ...ways.map((name) => ({ id: name, target: name, ...WAYS[name][1] })),
    ],
    ...(check === null ? {} : { checks: [{ id: 'c1', rule: check, message: 'not this one' }] }),
    ...(skip === null ? {} : { skips: [{ id: 's1', when: skip, reason: 'not sent', at: 'mapped' }] }),
    write: { mode: mode === 'keyless insert' ? 'insert' : mode },
  };
}

/** The records of a case, numbered. */
export const itemsOf = ({ items }: AnyCase): Item[] => items.map((i, n): Item => ({ no: String(n), ...i }));

export async function forAnyCase(check: (chosen: AnyCase) => Promise<void>): Promise<void> {
  await fc.assert(fc.asyncProperty(anyCase, check), {
    numRuns: CASES,
    seed: SEED,
    endOnFailure: true,
    // The records of a case would fill pages; the seed gives them again.
    reporter: ({ failed, counterexample, errorInstance }) => {
      if (!failed) return;
      const { items, ...rest } = counterexample![0];
      const said = `${items.length} records, ${JSON.stringify(rest)}: ${(errorInstance as Error).message}`;
      throw new Error(said, { cause: errorInstance });
    },
  });
}
