import * as fc from 'fast-check';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { RunningServer } from '../testing/running-server.ts';

/**
 * However a source is cut into files, in whatever order their columns stand, and whenever the server dies: the target of any
 * document has what an undisturbed run over one file brings, and the same records fail for the same reasons.
 * `VERSICLE_SEED` gives the same documents again, `VERSICLE_CASES` says how many.
 */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const CASES = Number(process.env['VERSICLE_CASES'] ?? 2);

const COLUMNS = ['no', 'name', 'price', 'mail'] as const;
type Item = Record<(typeof COLUMNS)[number], string>;

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
} as const;
type Way = keyof typeof WAYS;

const shape = fc.record({
  items: fc.array(item, { minLength: 150, maxLength: 450 }),
  ways: fc.shuffledSubarray(Object.keys(WAYS) as Way[], { minLength: 2 }),
  mode: fc.constantFrom('insert', 'keyless insert', 'upsert', 'skip existing', 'replace'),
  filter: fc.option(fc.constantFrom("i.price <> '13,00'", 'i.name IS NOT NULL', 'length(i.no) < 4')),
  check: fc.option(fc.constantFrom("no <> '77'", "right(no, 1) <> '3'")),
  /** Where the file is cut, as shares of the whole. */
  cuts: fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 5 }),
  orders: fc.array(fc.shuffledSubarray([...COLUMNS], { minLength: COLUMNS.length }), { minLength: 6, maxLength: 6 }),
  /** Milliseconds from one death to the next. */
  deaths: fc.array(fc.integer({ min: 0, max: 400 }), { minLength: 1, maxLength: 4 }),
  signal: fc.constantFrom('SIGKILL' as const, 'SIGTERM' as const),
  chunk: fc.constantFrom('11', '40', '100'),
});
type Shape = typeof shape extends fc.Arbitrary<infer T> ? T : never;

const written = (items: readonly Item[], order: readonly (keyof Item)[]): string =>
  [order.join(';'), ...items.map((i) => order.map((c) => quoted(i[c])).join(';')), ''].join('\n');
const quoted = (text: string): string => (/[;"\n]|^\s|\s$/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);

function documentOf({ ways, mode, filter, check }: Shape, dataset: string, table: string): Record<string, unknown> {
  return {
    versicle: 1,
    name: `To ${table}`,
    source: { primary: { alias: 'i', dataset }, ...(filter === null ? {} : { filter }) },
    target: {
      dataset: `store/${table}`,
      key: mode === 'keyless insert' ? [] : ['no'],
      fields: [{ name: 'no', type: 'text', nullable: false }, ...ways.map((name) => ({ name, type: WAYS[name][0] }))],
    },
    lines: [
      { id: 'no', target: 'no', kind: 'straight', source: 'i.no' },
      ...ways.map((name) => ({ id: name, target: name, ...WAYS[name][1] })),
    ],
    ...(check === null ? {} : { checks: [{ id: 'c1', rule: check, message: 'not this one' }] }),
    write: { mode: mode === 'keyless insert' ? 'insert' : mode },
  };
}

describe(`any document, over files cut anywhere (VERSICLE_SEED=${SEED})`, () => {
  let made = 0;
  async function failures(server: RunningServer, run: number): Promise<string[]> {
    const failed = await server.api('listFailures', 'GET', `/failures?run=${run}&state=any&limit=500`);
    return failed.map((f) => `${f.row}|${f.line}|${f.message}`).sort();
  }

  it(
    'brings the same as one file and no death',
    async () => {
      await fc.assert(
        fc.asyncProperty(shape, async (made_) => {
          const items = made_.items.map((i, n): Item => ({ no: String(n), ...i }));
          const n = ++made;
          const server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: made_.chunk });
          try {
            await server.connect();
            server.file('whole.csv', written(items, COLUMNS));
            const places = [
              0,
              ...made_.cuts.map((c) => Math.floor(c * items.length)).sort((a, b) => a - b),
              items.length,
            ];
            for (let i = 0; i + 1 < places.length; i++)
              server.file(`part-${i}.csv`, written(items.slice(places[i], places[i + 1]), made_.orders[i]!));

            const whole = await server.mapping(documentOf(made_, 'files/whole.csv', `whole_${n}`));
            const undisturbed = await server.run(whole.plan);
            expect(undisturbed.state).toBe('finished');

            const parts = await server.mapping(documentOf(made_, 'files/part-*.csv', `parts_${n}`));
            const { run } = await server.api('startPlan', 'POST', `/plans/${parts.plan}/start`, {});
            for (const wait of made_.deaths) {
              await new Promise((r) => setTimeout(r, wait));
              await server.restart(made_.signal);
            }
            const disturbed = await server.ended(run);
            expect(disturbed).toMatchObject({ state: 'finished', error: null, counts: undisturbed.counts });
            expect(disturbed.counts.read).toBe(items.length);
            expect(await server.rows(`parts_${n}`)).toEqual(await server.rows(`whole_${n}`));
            expect(await failures(server, run)).toEqual(await failures(server, undisturbed.id));
          } finally {
            await server.close();
            rmSync(join(server.home), { recursive: true, force: true });
          }
        }),
        {
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
        },
      );
    },
    CASES * 80_000,
  );
});
