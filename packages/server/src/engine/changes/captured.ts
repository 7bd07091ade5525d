import type { Tell } from '../../runs/run-log.ts';
import { createHash } from 'node:crypto';
import { counted, isComposed, refused, type MappingDocument, type MappingStep } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { carriedBy, readsPart, requireClaim, type CapturedRun, type Claim, type RunRow } from '../../runs/runs.ts';
import { fromJson } from '../../store/values.ts';
import type { OpenSystem } from '../../systems/kinds/kind.ts';
import { memoryOf } from './memory.ts';

/** Bytes that may lie in a system for a step that does not come for them; then it begins anew. */
export const MOST_WAITING = Number(process.env['VERSICLE_CAPTURE_BYTES'] ?? 1024 ** 3);

/** What a system knows a step by: small letters and digits, and no other Versicle has the same. */
export const consumerOf = (installation: string, plan: string, step: string): string =>
  `versicle_${createHash('sha256')
    .update(JSON.stringify([installation, plan, step]))
    .digest('hex')
    .slice(0, 24)}`;

/** What stands against reading what a system wrote down, for a person; null where nothing does. */
export async function capturedProblem(
  step: Pick<MappingStep, 'changes'>,
  document: MappingDocument,
  open: (dataset: string) => Promise<{ system: OpenSystem; dataset: string }>,
): Promise<string | null> {
  if (step.changes !== 'captured') return null;
  if (isComposed(document))
    return 'The mapping joins or groups records, and what changes in one dataset may change others of them. Compare instead.';
  const { system, dataset } = await open(document.source.primary.dataset);
  if (!system.captures)
    return `What changes is written down by databases only, and ${document.source.primary.dataset} is in none. Compare instead.`;
  return system.captures.problem(dataset);
}

/** Reads of a dataset what the system itself wrote down of its changes. */
export class CapturedChanges {
  constructor(
    private readonly db: Database,
    private readonly installation: string,
    private readonly log: Tell,
  ) {}

  /** What a run reads of its dataset: null: all, and nothing is confirmed. Fixed before the run begins. Throws a fault. */
  async begin(
    claim: Claim,
    row: RunRow,
    document: MappingDocument,
    system: OpenSystem,
    dataset: string,
  ): Promise<CapturedRun | null> {
    const step = carriedBy(row);
    if (row.kind !== 'full' || step?.kind !== 'mapping' || step.changes !== 'captured') return null;
    if (row.started_at !== null) return row.captured === null ? null : fromJson(row.captured);
    if (readsPart(row)) {
      await this.log(
        row.id,
        'reads a part of the records: what the source wrote down of its changes stays for the next run',
        'warning',
      );
      return null;
    }
    const problem = await capturedProblem(step, document, () => Promise.resolve({ system, dataset }));
    if (problem !== null) throw refused(problem);
    const captures = system.captures!;
    const consumer = consumerOf(this.installation, row.plan, step.id);
    const name = document.source.primary.dataset;
    const isGapless = await captures.ensure(dataset, consumer);
    const [known] = await this.db.query(
      'SELECT 1 FROM capture WHERE consumer = $1 AND dataset = $2 AND mapping = $3 AND revision = $4',
      [consumer, name, row.mapping, row.revision],
    );
    const { fields, keys, upTo } = await captures.take(dataset, consumer);
    const isNamed = step.vanished === 'leave' || (await this.isNamed(row.mapping, document, fields));
    const isAll = !isGapless || known === undefined || keys === null || !isNamed;
    const captured: CapturedRun = { consumer, upTo, fields, keys: isAll ? null : keys };
    await this.db.transaction([
      requireClaim(claim),
      {
        sql: `INSERT INTO capture AS c (consumer, plan, step, dataset, mapping) VALUES ($1, $2, $3, $4, $5)
              ON CONFLICT (consumer) DO UPDATE SET dataset = EXCLUDED.dataset, mapping = EXCLUDED.mapping,
                revision = CASE WHEN $6 THEN NULL ELSE c.revision END, since = CASE WHEN $6 THEN now() ELSE c.since END`,
        params: [consumer, row.plan, step.id, name, row.mapping, isAll],
      },
      { sql: 'UPDATE run SET captured = $2 WHERE id = $1', params: [row.id, JSON.stringify(captured)] },
    ]);
    const why = !isGapless
      ? 'from now on the source writes down what changes'
      : known === undefined
        ? 'this revision has not loaded all of them yet'
        : isNamed
          ? 'so many changed that all are looked at'
          : 'what was delivered before is not known by its key';
    await this.log(
      row.id,
      captured.keys === null
        ? `reads all records (${why}); sends what changed`
        : `reads what the source wrote down: ${counted(captured.keys.length, 'record')} came, changed or went`,
    );
    return captured;
  }

  /** Whether what was delivered before is known by the target's key and by the source's, so that what went can be told. */
  private async isNamed(mapping: string, { target }: MappingDocument, fields: readonly string[]): Promise<boolean> {
    const memory = await memoryOf(this.db, mapping, target.dataset, false);
    return memory?.keys?.join() === target.key.join() && memory.source?.join() === fields.join();
  }

  /** A run has worked off what it took: the next one goes on from there. */
  async confirm(row: RunRow, { consumer, upTo }: CapturedRun, system: OpenSystem): Promise<void> {
    await system.captures?.confirm(consumer, upTo);
    await this.db.query('UPDATE capture SET revision = $2 WHERE consumer = $1', [consumer, row.revision]);
  }
}

/** Looks after what systems write down: nothing is written down for a step that is not there any more, or that does not come for it. */
export async function tidyCaptures(
  db: Database,
  open: (dataset: string) => Promise<{ system: OpenSystem }>,
): Promise<void> {
  const rows = await db.query<{ consumer: string; dataset: string; wanted: boolean; busy: boolean }>(
    `SELECT c.consumer, c.dataset,
            EXISTS (SELECT 1 FROM plan p WHERE p.id = c.plan AND jsonb_path_exists(p.document::jsonb,
              '$.** ? (@.kind == "mapping" && @.id == $step && @.changes == "captured")', jsonb_build_object('step', c.step))) AS wanted,
            EXISTS (SELECT 1 FROM run r WHERE r.captured ->> 'consumer' = c.consumer AND r.state IN ('queued', 'running')) AS busy
       FROM capture c`,
  );
  for (const { consumer, dataset, wanted, busy } of rows) {
    if (busy) continue;
    // Whoever comes for it after that reads all records once more.
    const captures = await open(dataset).then(
      ({ system }) => system.captures,
      () => undefined,
    );
    if (captures === undefined) continue;
    try {
      if (wanted && (await captures.size(consumer)) <= MOST_WAITING) continue;
      await captures.forget(consumer);
      await db.query('DELETE FROM capture WHERE consumer = $1', [consumer]);
    } catch (error) {
      // A system that is away is asked again later.
      process.stderr.write(
        `What ${dataset} writes down for a plan could not be looked after: ${(error as Error).message}\n`,
      );
    }
  }
}
