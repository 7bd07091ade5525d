import { counted, membersOf, vanishedProblem, type MappingDocument, type MappingStep } from '@versicle/core';
import type { Systems } from '../../systems/systems.ts';
import type { Database, Statement } from '@versicle/postgres';
import { fromJson } from '../../store/values.ts';
import type { Seen } from '../messages.ts';
import { deliveredParts, namedParts, packed, removeFromMemory, unpacked } from './delivered-parts.ts';
import { HALF, WIDTH } from './digests.ts';
import { KnownRecords } from './known-records.ts';
import type { Memory } from './memory.ts';

/** The keys that a chunk met are kept with its other traces. */
export const keepSeen = (run: number, chunk: number, { keys, untold }: Seen): Statement => ({
  sql: "INSERT INTO run_seen (run, chunk, keys, untold) VALUES ($1, $2, decode($3, 'base64'), $4)",
  params: [run, chunk, packed(keys), untold],
});

/** Records that were delivered before and are gone from the source, as a run finds them when it has read all of it. */
export interface Gone {
  readonly records: number;
  /** Of so many that were delivered before. */
  readonly of: number;
  /** Records of which nobody can say whether they were delivered before: while there are any, nothing counts as gone. */
  readonly untold: number;
}

/** Finds what is gone, and keeps it until the target has been told; done again, it finds the same less what was told. */
export async function findGone(
  db: Database,
  run: number,
  { id }: Memory,
  target: string,
  /** The source's own keys of the records that the run looked at; null: it looked at all. */
  looked: readonly (readonly string[])[] | null,
): Promise<Gone> {
  const [row] = await db.query<{ untold: number; chunks: number; all: number }>(
    `SELECT COALESCE(sum(s.untold), 0)::int AS untold, count(s.chunk)::int AS chunks, r.chunk AS all
       FROM run r LEFT JOIN run_seen s ON s.run = r.id WHERE r.id = $1 GROUP BY r.id`,
    [run],
  );
  const { untold, chunks, all } = row!;
  // Whatever was not looked at would count as gone.
  if (chunks !== all) throw new Error(`The keys of ${chunks} of ${all} chunks are known. This is a fault of Versicle.`);
  const known = await KnownRecords.load(db, id, null);
  const { last } = known.extent;
  const of = known.count;
  if (untold > 0) await db.query('DELETE FROM run_gone WHERE run = $1', [run]);
  if (untold > 0) return { records: 0, of, untold };
  await leaveOutSeen(db, run, known);
  await leaveOutOthers(db, id, target, known);
  const gone = await notLeftOut(db, id, last, known, looked && new Set(looked.map((key) => JSON.stringify(key))));
  await db.transaction([
    { sql: 'DELETE FROM run_gone WHERE run = $1', params: [run] },
    ...gone.map(({ keys, cells }) => ({
      sql: `INSERT INTO run_gone (run, key, cells)
            SELECT $1, substring(decode($2, 'base64') FROM (n::int - 1) * ${HALF} + 1 FOR ${HALF}), c FROM json_array_elements($3::json) WITH ORDINALITY AS v(c, n)`,
      params: [run, packed(keys), JSON.stringify(cells)],
    })),
  ]);
  return { records: gone.reduce((sum, { cells }) => sum + cells.length, 0), of, untold };
}
/** What the run met is not gone. */
async function leaveOutSeen(db: Database, run: number, known: KnownRecords): Promise<void> {
  for (let after = -1; ;) {
    const [seen] = await db.query<{ chunk: number; keys: string }>(
      "SELECT chunk, encode(keys, 'base64') AS keys FROM run_seen WHERE run = $1 AND chunk > $2 ORDER BY chunk LIMIT 1",
      [run, after],
    );
    if (seen === undefined) return;
    known.leaveOut(unpacked(seen.keys));
    after = seen.chunk;
  }
}
/** What another mapping delivers to the same dataset under the same key is not gone from there. */
async function leaveOutOthers(db: Database, memory: number, target: string, known: KnownRecords): Promise<void> {
  const others = await db.query<{ id: number }>('SELECT id FROM delivery_memory WHERE target = $1 AND id <> $2', [
    target,
    memory,
  ]);
  for (const { id } of others) {
    const theirs = await KnownRecords.load(db, id, null);
    let number = 0;
    for await (const { digests } of deliveredParts(db, id, theirs.extent.last)) {
      const places = Array.from({ length: digests.length / WIDTH }, (_, at) => at);
      const there = places.filter((at) => theirs.has(digests, at, number + at).isThere);
      for (const at of there) known.leaveOut(digests.subarray(at * WIDTH, at * WIDTH + HALF));
      number += places.length;
    }
  }
}
interface GoneKeys {
  readonly keys: Uint8Array;
  readonly cells: readonly (readonly (string | null)[])[];
}
/** Those that are left, with the values of their keys. */
async function notLeftOut(
  db: Database,
  memory: number,
  last: number,
  known: KnownRecords,
  looked: ReadonlySet<string> | null,
): Promise<GoneKeys[]> {
  const gone: GoneKeys[] = [];
  let number = 0;
  for await (const { digests, cells, sources } of namedParts(db, memory, last)) {
    const keys: Uint8Array[] = [];
    const named: (readonly (string | null)[])[] = [];
    for (let at = 0; at * WIDTH < digests.length; at++, number++) {
      const cell = cells?.[at] ?? null;
      if (cell === null || !known.has(digests, at, number).isThere) continue;
      if (looked !== null && !looked.has(sources?.[at] ?? '')) continue;
      keys.push(digests.subarray(at * WIDTH, at * WIDTH + HALF));
      named.push(cell);
    }
    if (keys.length > 0) gone.push({ keys: Buffer.concat(keys), cells: named });
  }
  return gone;
}

/** Some that the target has not been told of yet, with the values of their keys. */
export async function someGone(
  db: Database,
  run: number,
  limit: number,
  after: Uint8Array,
): Promise<{ key: Uint8Array; cells: readonly (string | null)[] }[]> {
  const rows = await db.query<{ key: Uint8Array; cells: (string | null)[] | string }>(
    'SELECT key, cells FROM run_gone WHERE run = $1 AND key > $2 ORDER BY key LIMIT $3',
    [run, after, limit],
  );
  return rows.map(({ key, cells }) => ({ key, cells: fromJson(cells) }));
}
/** The target has been told of them: they are no records that it has of this mapping any more. */
export const toldGone = (run: number, { id }: Memory, keys: readonly Uint8Array[]): Statement[] => {
  const told = Buffer.concat(keys);
  return [
    {
      sql: `DELETE FROM run_gone WHERE run = $1 AND key IN (SELECT substring($2::bytea FROM i * ${HALF} + 1 FOR ${HALF}) FROM generate_series(0, length($2::bytea) / ${HALF} - 1) AS i)`,
      params: [run, told],
    },
    removeFromMemory(id, run, told),
    { sql: 'UPDATE run SET gone = gone + $2 WHERE id = $1', params: [run, keys.length] },
  ];
};
/** In words what becomes of records that are gone. */
export const goneWords = (step: Pick<MappingStep, 'vanished'>): 'deleted' | 'marked' =>
  step.vanished === 'delete' ? 'deleted' : 'marked';

/** What stands against telling what is gone, where the sources and the target are known; null where nothing does. */
export async function goneProblem(
  db: Database,
  systems: Pick<Systems, 'factsOf'>,
  step: Pick<MappingStep, 'vanished' | 'changes'>,
  document: MappingDocument,
): Promise<string | null> {
  const problem = vanishedProblem(step, document);
  if (step.vanished === 'leave' || problem !== null) return problem;
  const to = await systems.factsOf(document.target.dataset.split('/')[0]!);
  if (to !== null && to.facts.target?.makesTables !== true)
    return `Records that are gone can be ${goneWords(step)} in databases only, and ${to.name} is none. Leave what is gone.`;
  for (const { dataset } of membersOf(document)) {
    const [from] = dataset.split('/') as [string];
    const rows = await db.query<{ placed: boolean }>(
      `SELECT s.connection::text LIKE '%{{%' OR COALESCE(d.setting::text LIKE '%{{%', false) AS placed
         FROM system s LEFT JOIN dataset_setting d ON d.system = s.id AND d.dataset = $2 WHERE s.id = $1`,
      [from, dataset.slice(from.length + 1)],
    );
    if ((await systems.factsOf(from))?.facts.arrives === 'deliveries')
      return `${dataset} has what was sent to it, for a while; what is not there any more is not gone. Leave what is gone.`;
    if (rows.some((r) => r.placed))
      return `The address of ${dataset} asks for a part of its records only (it has places such as {{today-7d}}), so nothing tells what is gone. Read all of them, or leave what is gone.`;
  }
  return null;
}

/** What a person is asked before more goes than may. */
export const goneAsks = ({ records, of }: Gone, step: Pick<MappingStep, 'vanished'>, target: string): string =>
  `${counted(records, 'record')} of ${of.toLocaleString('en-GB')} that were delivered to ${target} before ${records === 1 ? 'is' : 'are'} gone from the source. None of them was ${goneWords(step)} yet: say whether they are to be ${goneWords(step)} all the same.`;
