import { counted, membersOf, vanishedProblem, type MappingDocument, type MappingStep } from '@versicle/core';
import type { Systems } from '../../systems/systems.ts';
import type { Database, Statement } from '@versicle/postgres';
import { fromJson } from '../../store/values.ts';
import type { Seen } from '../messages.ts';
import { HALF } from './digests.ts';
import type { Memory } from './memory.ts';

/** The keys that a chunk met are kept with its other traces. */
export const keepSeen = (run: number, chunk: number, { keys, untold }: Seen): Statement => ({
  sql: 'INSERT INTO run_seen (run, chunk, keys, untold) VALUES ($1, $2, $3, $4)',
  params: [run, chunk, keys, untold],
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
  const [, , [sum]] = (await db.transaction([
    { sql: 'DELETE FROM run_gone WHERE run = $1', params: [run] },
    // What another mapping delivers to the same dataset under the same key is not gone from there.
    {
      sql: `INSERT INTO run_gone (run, key, cells)
            SELECT $1, d.key, d.cells FROM delivered_before d
             WHERE d.memory = $2 AND d.cells IS NOT NULL AND $4 AND ($5::text[] IS NULL OR d.source = ANY ($5::text[]))
               AND NOT EXISTS (SELECT 1 FROM (
                     SELECT substring(s.keys FROM i * ${HALF} + 1 FOR ${HALF}) AS key
                       FROM run_seen s, generate_series(0, length(s.keys) / ${HALF} - 1) AS i WHERE s.run = $1) AS seen WHERE seen.key = d.key)
               AND NOT EXISTS (SELECT 1 FROM delivered_before o JOIN delivery_memory m ON m.id = o.memory
                                WHERE m.target = $3 AND m.id <> $2 AND o.key = d.key)`,
      params: [run, id, target, untold === 0, looked?.map((key) => JSON.stringify(key)) ?? null],
    },
    {
      sql: `SELECT (SELECT count(*) FROM run_gone WHERE run = $1)::int AS records,
                   (SELECT count(*) FROM delivered_before WHERE memory = $2)::int AS "of"`,
      params: [run, id],
    },
  ])) as [unknown, unknown, [{ records: number; of: number }]];
  return { ...sum, untold };
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
  const among = `key IN (SELECT substring($2::bytea FROM i * ${HALF} + 1 FOR ${HALF}) FROM generate_series(0, length($2::bytea) / ${HALF} - 1) AS i)`;
  return [
    { sql: `DELETE FROM run_gone WHERE run = $1 AND ${among}`, params: [run, told] },
    { sql: `DELETE FROM delivered_before WHERE memory = $1 AND ${among}`, params: [id, told] },
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
