import { passed } from './changes/watermarks.ts';
import { keepInMind, type Remembered } from './changes/delivered-parts.ts';
import type { Memory } from './changes/memory.ts';
import { digestsAt, wholePlaces } from './changes/digests.ts';
import { keepSeen } from './changes/gone.ts';
import { keepKeys } from '../key-maps/key-maps.ts';
import type { Delivered, DeliveredKey } from '@versicle/core';
import type { Statement } from '@versicle/postgres';
import type { FailedRow, MappedChunk } from './messages.ts';

export interface Settled {
  readonly run: number;
  readonly mapping: string;
  readonly revision: number;
  readonly chunk: MappedChunk;
  /** Records that the target refused, in full. */
  readonly rejected: readonly FailedRow[];
  readonly delivered: Delivered;
  /** Written records, by index, that are not sent yet: what there is to keep of them is kept when they arrive. */
  readonly waiting: ReadonlySet<number>;
  /** Where it is remembered what the target was sent; null: nowhere. */
  readonly memory: Memory | null;
  /** The run gives numbers of the mapping's sequence. */
  readonly numbered: boolean;
}

/** All that the store keeps of a chunk, as the statements of one transaction: failed records, counters, checkpoint. */
export function settleChunk({
  run,
  mapping,
  revision,
  chunk,
  rejected,
  delivered,
  waiting,
  memory,
  numbered,
}: Settled): Statement[] {
  const refused = new Set(delivered.rejections.map((r) => r.index));
  const arrived = (index: number): boolean => !refused.has(index) && !waiting.has(index);
  const again = rejected.map((r) => r.replayed).filter((id) => id !== null);
  // A record that the target refused did not go on with its remarks; one that waits has not, so far.
  const aside = new Set(chunk.failed.filter((f) => f.index !== null && !arrived(f.index)));
  const failed = [...chunk.failed.filter((f) => !aside.has(f)), ...rejected];
  const remarks = chunk.counts.remarks - [...aside].reduce((sum, f) => sum + f.failures.length, 0);
  const settled = chunk.settled.filter((s) => s.index < 0 || arrived(s.index)).filter((s) => !again.includes(s.id));
  const { counts } = chunk;
  const keys = chunk.keys.filter((key, i) => key !== null && arrived(i)) as DeliveredKey[];
  const places = memory === null ? [] : Array.from({ length: counts.written }, (_, index) => index);
  return [
    ...keepRecords({ run, mapping, revision }, { failed, keys, settled }),
    ...keepInMind(memory, run, rememberedAt(chunk, places.filter(arrived)), rememberedAt(chunk, [...refused]).digests),
    ...(chunk.seen === null ? [] : [keepSeen(run, chunk.chunk, chunk.seen)]),
    ...(chunk.highest === null ? [] : [passed(run, chunk.highest)]),
    {
      sql: `UPDATE run SET chunk = $2, read = read + $3, filtered = filtered + $4, skipped = skipped + $5, failed = failed + $6, delivered = delivered + $7, remarks = remarks + $8, bytes_done = $9, unchanged = unchanged + $10, sequence = $11, waiting = waiting + $12 WHERE id = $1`,
      params: [
        run,
        chunk.chunk,
        counts.read,
        counts.filtered,
        counts.skipped,
        counts.failed + rejected.length,
        counts.written - rejected.length - delivered.unchanged - waiting.size,
        remarks,
        chunk.bytes,
        delivered.unchanged + chunk.unchanged,
        chunk.sequence,
        waiting.size,
      ],
    },
    ...(numbered
      ? [
          {
            sql: 'INSERT INTO mapping_sequence (mapping, last) VALUES ($1, $2) ON CONFLICT (mapping) DO UPDATE SET last = GREATEST(mapping_sequence.last, EXCLUDED.last)',
            params: [mapping, chunk.sequence],
          },
        ]
      : []),
    {
      sql: 'INSERT INTO run_sample (run, settled, delivered) SELECT id, read - waiting, delivered FROM run WHERE id = $1',
      params: [run],
    },
  ];
}

function rememberedAt({ digests, keyCells, sourceCells }: MappedChunk, places: readonly number[]): Remembered {
  const whole = wholePlaces(digests, places);
  const picked = (of: readonly string[]): string[] | null => (of.length === 0 ? null : whole.map((at) => of[at]!));
  return { digests: digestsAt(digests, whole), cells: picked(keyCells), sources: picked(sourceCells) };
}

/** What is kept of records, whichever way they went: failures and remarks, keys, and replayed ones that are settled. */
export function keepRecords(
  { run, mapping, revision }: Pick<Settled, 'run' | 'mapping' | 'revision'>,
  {
    failed,
    keys,
    settled,
  }: {
    readonly failed: readonly FailedRow[];
    readonly keys: readonly DeliveredKey[];
    readonly settled: MappedChunk['settled'];
  },
): Statement[] {
  const sources = keys.map((k) => k.source);
  const targets = keys.map((k) => k.target);
  return [
    ...(failed.length > 0 ? [keepFailed({ run, mapping, revision }, failed)] : []),
    ...(keys.length > 0 ? [keepKeys(mapping, run, sources, targets)] : []),
    ...(settled.length > 0 ? closeSettled(run, revision, settled) : []),
  ];
}

/** What becomes of records that are kept as failed, other than that they are open. */
interface Otherwise {
  readonly state: 'waived';
  /** Of its history. */
  readonly message: string;
}
/** A record that failed before and is still open stays the same record, with one more event in its history. */
export function keepFailed(
  { run, mapping, revision }: Pick<Settled, 'run' | 'mapping' | 'revision'>,
  failed: readonly FailedRow[],
  otherwise: Otherwise | null = null,
): Statement {
  const rows = failed.map((f) => {
    const [first] = f.failures;
    const example = Object.values(first!.values)
      .filter((v) => v !== null)
      .join(' · ')
      .slice(0, 200);
    return {
      ...f,
      cause: first!.cause,
      line: first!.line,
      message: first!.message,
      example,
      state: otherwise?.state ?? (f.remark ? 'remark' : 'open'),
    };
  });
  return {
    sql: `WITH incoming AS (
        SELECT * FROM json_to_recordset($1::json) AS r (identity text, state text, "row" bigint, "fileRow" bigint, file text, cause text, line text, message text, example text, label text, failures jsonb, source json, mapped json, replayed bigint, "deliveryKey" text, sequence bigint, answer text)
      ), again AS (
        UPDATE failed_record f SET state = i.state, run = $2, revision = $4, cause = i.cause, line = i.line, message = i.message, example = i.example, failures = i.failures, mapped = i.mapped, delivery_key = COALESCE(f.delivery_key, i."deliveryKey"), sequence = COALESCE(f.sequence, i.sequence), answer = i.answer, updated_at = now()
          FROM incoming i WHERE f.id = i.replayed RETURNING f.id, f.message
      ), kept AS (
        INSERT INTO failed_record (mapping, identity, state, run, revision, row_number, file_row, file, cause, line, message, example, label, failures, source, mapped, delivery_key, sequence, answer)
        SELECT $3, identity, state, $2, $4, "row", "fileRow", file, cause, line, message, example, label, failures, source, mapped, "deliveryKey", sequence, answer FROM incoming WHERE replayed IS NULL
        ON CONFLICT (mapping, identity) WHERE state IN ('open', 'replaying', 'remark')
        DO UPDATE SET run = EXCLUDED.run, revision = EXCLUDED.revision, row_number = EXCLUDED.row_number, file_row = EXCLUDED.file_row, file = EXCLUDED.file, cause = EXCLUDED.cause, line = EXCLUDED.line, message = EXCLUDED.message, example = EXCLUDED.example, failures = EXCLUDED.failures, mapped = EXCLUDED.mapped, delivery_key = COALESCE(failed_record.delivery_key, EXCLUDED.delivery_key), sequence = COALESCE(failed_record.sequence, EXCLUDED.sequence), answer = EXCLUDED.answer, updated_at = now()
        RETURNING id, message
      )
      INSERT INTO failed_event (record, run, revision, what, message)
      SELECT id, $2, $4, $5, COALESCE($6, message) FROM again UNION ALL SELECT id, $2, $4, $5, COALESCE($6, message) FROM kept
      ON CONFLICT (record, run, what) DO NOTHING`,
    params: [JSON.stringify(rows), run, mapping, revision, otherwise?.state ?? 'failed', otherwise?.message ?? null],
  };
}

function closeSettled(run: number, revision: number, settled: MappedChunk['settled']): Statement[] {
  const rows = JSON.stringify(settled.map(({ id, what, message }) => ({ id, what, message })));
  const incoming = 'jsonb_to_recordset($1::jsonb) AS r (id bigint, what text, message text)';
  return [
    {
      sql: `UPDATE failed_record f SET state = r.what, updated_at = now() FROM ${incoming} WHERE f.id = r.id`,
      params: [rows],
    },
    {
      sql: `INSERT INTO failed_event (record, run, revision, what, message) SELECT id, $2, $3, what, message FROM ${incoming} ON CONFLICT (record, run, what) DO NOTHING`,
      params: [rows, run, revision],
    },
  ];
}
