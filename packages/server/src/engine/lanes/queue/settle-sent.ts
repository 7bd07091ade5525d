import type { Failure, MappingDocument, Rejection } from '@versicle/core';
import type { Statement } from '@versicle/postgres';
import type { FailedRow } from '../../messages.ts';
import { digestsOfTexts } from '../../changes/digests.ts';
import { keepInMind } from '../../changes/delivered-parts.ts';
import { failureOf } from '../../refusals.ts';
import { keepFailed, keepRecords } from '../../settle.ts';
import { requireWaiting, type OnArrival, type PartColumns, type WaitingRow } from './outbox.ts';

export interface SentRun {
  readonly run: number;
  readonly mapping: string;
  readonly revision: number;
  readonly document: MappingDocument;
}
/** A record that does not wait any more; without a refusal, the target took it. */
export interface SentRow {
  readonly row: WaitingRow;
  readonly of: Pick<PartColumns, 'columns'>;
  readonly refusal: Rejection | null;
}

/** All that the store keeps of records that were sent, or never will be, as the statements of one transaction. */
export function settleSent(run: SentRun, sent: readonly SentRow[]): Statement[] {
  const ids = sent.map(({ row }) => row.id);
  const arrived = sent.filter((s) => s.refusal === null).map((s) => s.row.onArrival);
  const refused = sent.flatMap(({ row, of, refusal }) =>
    refusal === null
      ? []
      : [failedRow(row, of.columns, refusal, failureOf(refusal, run.document, row.onArrival.insertOnly))],
  );
  const refusedRows = sent.filter((s) => s.refusal !== null).map((s) => s.row.onArrival);
  const remarks = arrived.flatMap((a) => a.remarks);
  return [
    requireWaiting(ids),
    ...keepRecords(run, {
      failed: [...refused, ...remarks],
      keys: arrived.flatMap((a) => (a.key === null ? [] : [a.key])),
      settled: arrived.flatMap((a) => a.settled),
    }),
    ...remembered(run.run, arrived, refusedRows),
    {
      sql: 'UPDATE run SET waiting = waiting - $2, delivered = delivered + $3, failed = failed + $4, remarks = remarks + $5 WHERE id = $1',
      params: [
        run.run,
        sent.length,
        arrived.length,
        refused.length,
        remarks.reduce((sum, r) => sum + r.failures.length, 0),
      ],
    },
    ...outOfOutbox(run, ids),
  ];
}

/**
 * All that the store keeps of records that a person does not want to be sent: they count as skipped, and are kept with the
 * reason among failed records, where nobody has to see to them.
 */
export function settleSkipped(run: SentRun, skipped: readonly Omit<SentRow, 'refusal'>[], why: string): Statement[] {
  const ids = skipped.map(({ row }) => row.id);
  const message = `Skipped before it was sent. ${why}`;
  const rows = skipped.map(({ row, of }) => {
    const refusal = { ...NOT_SENT, cells: row.cells, message };
    return failedRow(row, of.columns, refusal, failureOf(refusal, run.document, row.onArrival.insertOnly));
  });
  return [
    requireWaiting(ids),
    keepFailed(run, rows, { state: 'waived', message: why }),
    ...remembered(
      run.run,
      [],
      skipped.map((s) => s.row.onArrival),
    ),
    {
      sql: 'UPDATE run SET waiting = waiting - $2, skipped = skipped + $2 WHERE id = $1',
      params: [run.run, skipped.length],
    },
    ...outOfOutbox(run, ids),
  ];
}
/** A refusal of nobody: it was not sent. */
export const NOT_SENT = { part: 0, index: 0, code: 'delivery_failed', columns: [], constraint: null } as const;

/** What the target has by now, and what it has not. */
const remembered = (run: number, arrived: readonly OnArrival[], not: readonly OnArrival[]): Statement[] =>
  memoriesOf([...arrived, ...not]).flatMap((memory) =>
    keepInMind(
      { id: memory },
      run,
      { digests: digestsIn(arrived, memory), cells: null, sources: null },
      digestsIn(not, memory),
    ),
  );
/** They wait no more, which is a point in the course of the run, a few times a second. */
const outOfOutbox = ({ run }: SentRun, ids: readonly number[]): Statement[] => [
  { sql: 'DELETE FROM outbox WHERE id = ANY ($1::bigint[])', params: [ids] },
  {
    sql: `INSERT INTO run_sample (run, settled, delivered) SELECT id, read - waiting, delivered FROM run
           WHERE id = $1 AND (waiting = 0 OR NOT EXISTS (SELECT 1 FROM run_sample s WHERE s.run = $1 AND s.at > clock_timestamp() - interval '250 ms'))`,
    params: [run],
  },
];
const memoriesOf = (of: readonly OnArrival[]): number[] => [
  ...new Set(of.flatMap(({ remember }) => (remember === undefined ? [] : [remember.memory]))),
];
const digestsIn = (of: readonly OnArrival[], memory: number): Uint8Array =>
  digestsOfTexts(of.flatMap(({ remember }) => (remember?.memory === memory ? [remember.digest] : [])));

function failedRow(
  { record, cells }: WaitingRow,
  columns: PartColumns['columns'],
  { answer }: Rejection,
  failure: Failure,
): FailedRow {
  const mapped = Object.fromEntries(columns.map((c, i) => [c.name, cells[i] ?? null]));
  return { ...record, mapped, failures: [failure], answer: answer ?? null };
}
