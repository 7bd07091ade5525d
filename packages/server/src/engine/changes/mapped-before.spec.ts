import fc from 'fast-check';
import { Lead, parseDocument, Unreadable, type BlocksOfFile, type RawRow } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { counts, csv, Loads } from '../../testing/loads.ts';
import { RunningServer } from '../../testing/running-server.ts';
import type { MapJob, MappedChunk, OpenFailure } from '../messages.ts';
import { ShareHere } from '../share.ts';
import { packed } from './delivered-parts.ts';
import { WIDTH } from './digests.ts';
import { KnownRecords } from './known-records.ts';
import { mappedBefore, type MappedBefore } from './mapped-before.ts';
import { onlyChanged } from './only-changed.ts';

const names = ['no', 'name', 'price'];
const documentOf = (keyType: string) =>
  parseDocument({
    versicle: 1,
    name: 'Items',
    source: { primary: { alias: 'i', dataset: 'files/items.csv' } },
    target: {
      dataset: 'store/item',
      key: ['no'],
      fields: [
        { name: 'no', type: keyType, nullable: false },
        { name: 'name', type: 'varchar(8)' },
        { name: 'price', type: 'numeric(6,2)', required: true },
      ],
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
      // Of some records it depends on where they stand, or when the run began, and not on what they hold.
      {
        id: 'l2',
        target: 'name',
        kind: 'rule',
        rule: "CASE i.name WHEN 'row' THEN (:row_number)::text WHEN 'day' THEN to_char(now(), 'SSSS') ELSE upper(i.name) END",
        onFail: 'null',
      },
      { id: 'l3', target: 'price', kind: 'rule', rule: "parse_number(i.price, '.')" },
    ],
    skips: [{ id: 's1', when: "i.price = 'skip'", reason: 'skipped' }],
    write: { mode: 'upsert', existing: 'overwrite' },
  });
type Told = { made: MappedChunk[]; well: number[] };

describe('records that were mapped before', () => {
  const jobOf = (
    keyType: string,
    startedAt: number,
    open: readonly OpenFailure[],
    before: MappedBefore | null,
  ): MapJob =>
    ({
      document: documentOf(keyType),
      source: {
        kind: 'files',
        files: [],
        format: { kind: 'json lines', encoding: 'utf-8' },
        fields: names.map((name) => ({ name, type: 'text' })),
      },
      startedAt,
      run: 1,
      uid: 'u',
      settled: { chunk: 0, read: 0, sequence: null },
      rowLimit: null,
      cut: { rows: 3, characters: Infinity, of: 'text' },
      threads: 2,
      sequenceFrom: 0,
      narrowed: false,
      open,
      dataset: 'item',
      encoding: 'copy',
      queued: false,
      replay: null,
      keyMaps: new Map(),
      variables: {},
      keepKeys: false,
      identity: null,
      remembers: true,
      remembersKeys: false,
      sourceKey: null,
      sees: false,
      watermark: null,
      before,
    }) as unknown as MapJob;

  async function mapped(job: MapJob, rows: readonly RawRow[]): Promise<Told> {
    const shares = [new ShareHere(job), new ShareHere(job)];
    const lead = new Lead<MappedChunk, ShareHere>(shares);
    const made: MappedChunk[] = [];
    for (let at = 0, chunk = 1; at < rows.length; at += 3, chunk++) {
      const read = rows.slice(at, at + 3);
      const block = { firstRow: at + 1, from: 0, to: 0, names, read, ends: read.map(() => 0) };
      await lead.room();
      lead.give(chunk, [{ block, file: 'items.jsonl', before: 0 } as BlocksOfFile], async (m) => void made.push(m));
    }
    await lead.done();
    return { made, well: (await Promise.all(shares.map((s) => s.well()))).flat().sort((a, b) => a - b) };
  }
  const knownOf = (delivered: readonly Uint8Array[]): KnownRecords => {
    const records = delivered.reduce((sum, d) => sum + d.length / WIDTH, 0);
    const known = new KnownRecords({ last: delivered.length, parts: delivered.length, records });
    for (const digests of delivered) known.add({ digests }, false);
    return known;
  };
  const beforeOf = (learned: readonly Uint8Array[], known: KnownRecords, open: readonly OpenFailure[]) =>
    mappedBefore(
      {
        query: async (sql: string) =>
          sql.startsWith('DELETE')
            ? []
            : sql.includes('sum(length')
              ? [{ last: learned.length, entries: learned.reduce((sum, l) => sum + l.length / WIDTH, 0) }]
              : learned.map((entries, n) => ({ number: n + 1, entries: packed(entries) })),
      } as unknown as Database,
      1,
      'as ever',
      known,
      open.flatMap((f) => (f.key === null ? [] : [JSON.parse(f.key) as string[]])),
    );
  /** What comes of a chunk in the end, whichever way it came to be. */
  const outcome = ({ made, well }: Told, known: KnownRecords): object => ({
    well,
    chunks: made
      .map((m) => onlyChanged(known, new Map(), m).mapped)
      .map(({ counts, failed, unchanged, digests, parts, stopped }) => ({
        counts,
        failed,
        unchanged,
        stopped,
        digests: packed(digests),
        content: parts[0]!.content,
      })),
  });

  const row = fc
    .tuple(
      fc.constantFrom('1', '2', '3', '4', '5', '6', '7', '8', '9', '10', '11', '1.0', '01', null),
      fc.constantFrom('bell', 'lamp', 'pump', 'row', 'day', 'far too long', null),
      fc.constantFrom('1', '2.50', '2.5', '3', '4', 'x', 'skip', null),
    )
    .map((r): RawRow => (r[2] === null && r[1] === 'lamp' ? new Unreadable('broken', 'x;y') : r));
  const rows = fc.array(row, { maxLength: 24 });

  it.each(['varchar(4)', 'integer', 'numeric(6,2)'])(
    'come to the same as all that are mapped: key of %s',
    async (key) => {
      let unmapped = 0;
      await fc.assert(
        fc.asyncProperty(rows, rows, fc.array(fc.nat({ max: 30 }), { maxLength: 8 }), async (first, fresh, again) => {
          const then = await mapped(jobOf(key, 0, [], null), first);
          const learning = await mapped(jobOf(key, 0, [], await beforeOf([], knownOf([]), [])), first);
          expect(outcome(learning, knownOf([]))).toEqual(outcome(then, knownOf([])));
          // The next run: some of what there was, at other places, and something else.
          const next = [...again.flatMap((at) => (at < first.length ? [first[at]!] : [])), ...fresh, ...first];
          const delivered = then.made.map((m) => m.digests);
          const open = then.made.flatMap((m) =>
            m.failed.map((f, n): OpenFailure => {
              const mappedKey = f.mapped['no'] ?? null;
              const place = Object.hasOwn(f.source, 'row') ? `${f.file}:${f.fileRow}` : null;
              return {
                id: m.chunk * 100 + n,
                identity: f.identity,
                label: f.label,
                place,
                key: mappedKey === null ? null : JSON.stringify([mappedKey]),
              };
            }),
          );
          const before = await beforeOf(
            learning.made.map((m) => m.learned),
            knownOf(delivered),
            open,
          );
          const with_ = await mapped(jobOf(key, 86_399_000, open, before), next);
          const without = await mapped(jobOf(key, 86_399_000, open, null), next);
          expect(outcome(with_, knownOf(delivered))).toEqual(outcome(without, knownOf(delivered)));
          unmapped += with_.made.reduce((sum, m) => sum + m.unchanged, 0);
        }),
        { numRuns: Number(process.env['VERSICLE_CASES'] ?? 100) },
      );
      // A key of which equal values are written differently is not told so.
      if (key.startsWith('numeric')) expect(unmapped).toBe(0);
      else expect(unmapped).toBeGreaterThan(0);
    },
  );
});

describe('a run that knows what came of records before', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '7' });
    await server.connect();
  });
  afterAll(() => server.close());
  const loads = new Loads(() => server);

  it('maps what depends on its place, its run or a variable, and notices what goes well again', async () => {
    const { mapping, plan, file, table, document } = await loads.make({ changes: 'compare' });
    const rows = ['1,Bell,"1,00"', '2,Lamp,"2,00"', '3,Pump,"3,00"'];
    const run = async (...lines: string[]): Promise<object> => {
      server.file(file, csv(...lines));
      return counts(await server.run(plan));
    };
    const open = async (): Promise<number> =>
      (await server.api('listFailures', 'GET', `/failures?mapping=${mapping}&state=open`)).length;
    await run(...rows);
    expect(await run(...rows)).toMatchObject({ unchanged: 3, delivered: 0 });
    // It fails, and is as it was again.
    expect(await run(rows[0]!, '2,Lamp,x', rows[2]!)).toMatchObject({ unchanged: 2, failed: 1 });
    expect(await open()).toBe(1);
    expect(await run(...rows)).toMatchObject({ unchanged: 3, failed: 0 });
    expect(await open()).toBe(0);
    // The first with a key wins, whichever of them is known.
    expect(await run(rows[0]!, '1,Bell,"9,00"', rows[1]!)).toMatchObject({ unchanged: 2, failed: 1, delivered: 0 });
    expect(await run('1,Bell,"9,00"', rows[0]!, rows[1]!)).toMatchObject({ unchanged: 1, failed: 1, delivered: 1 });
    expect((await server.rows(table))[0]).toEqual(['1', 'Bell', '9.00']);

    const lines = document['lines'] as { id: string }[];
    const ruled = (rule: string) =>
      lines.map((l) => (l.id === 'l2' ? { id: 'l2', target: 'name', kind: 'rule', rule } : l));
    await loads.publish(mapping, { ...document, lines: ruled(':row_number::text') });
    await run(...rows);
    expect(await run(...rows)).toMatchObject({ unchanged: 3 });
    expect(await run('0,First,"1,00"', ...rows)).toMatchObject({ unchanged: 0, delivered: 4 });
    expect((await server.rows(table)).map((r) => r[1])).toEqual(['1', '2', '3', '4']);
    await loads.publish(mapping, { ...document, lines: ruled(':run_number::text') });
    await run(...rows);
    const last = await server.run(plan);
    expect((await server.rows(table)).slice(1).map((r) => r[1])).not.toContain('First');
    expect(counts(last)).toMatchObject({ failed: 0 });

    // What a plan gives is another thing than the record: with another value, all are mapped.
    await loads.publish(mapping, { ...document, lines: ruled(':region') });
    const varied = await loads.planOf(mapping, { changes: 'compare' }, { variables: { region: 'north' } });
    await server.run(varied);
    expect(counts(await server.run(varied))).toMatchObject({ unchanged: 3, delivered: 0 });
    const { run: south } = await server.api('startPlan', 'POST', `/plans/${varied}/start`, {
      variables: { region: 'south' },
    });
    expect(counts(await server.ended(south))).toMatchObject({ unchanged: 0, delivered: 3 });
    expect((await server.rows(table)).slice(1).map((r) => r[1])).toEqual(['south', 'south', 'south']);
  });
});
