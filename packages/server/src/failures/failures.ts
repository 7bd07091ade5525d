import type { CauseGroup, FailedRecord, FailedRecordDetail, FailureQuery, Replay, Waive } from '@versicle/contract';
import {
  type Cause,
  CAUSES,
  changedMeanwhile,
  counted,
  type Failure,
  notFound,
  parseDocument,
  quoted,
  refused,
  variablesAsked,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { Conditions } from '../store/conditions.ts';
import { fromJson, isoTime, literal } from '../store/values.ts';
import { partsOf } from '../runs/run-store.ts';
import { LineNames } from './line-names.ts';

interface RecordRow {
  [key: string]: unknown;
  id: string;
  mapping: string;
  state: FailedRecord['state'];
  run: number;
  revision: number;
  row_number: string;
  file_row: string | null;
  file: string | null;
  cause: Cause;
  line: string | null;
  message: string;
  example: string;
  label: string;
  failures: Failure[] | string;
  source: Record<string, string | null> | string;
  mapped: Record<string, string | null> | string;
  answer: string | null;
  updated_at: string;
}

export type FailureFilter = Partial<FailureQuery>;

/** Failed records, filed under the line and the cause. */
export class Failures {
  readonly names: LineNames;
  constructor(private readonly db: Database) {
    this.names = new LineNames(db);
  }

  /** Groups of one mapping, line and cause, the largest first. Open ones unless another state is asked for. */
  async causes(filter: FailureFilter): Promise<CauseGroup[]> {
    const { sql: where, params } = conditions(filter, 'open');
    const rows = await this.db.query<{
      mapping: string;
      name: string;
      line: string | null;
      cause: Cause;
      n: string;
      examples: string[];
      message: string;
      revision: number;
      first_seen: string;
      last_seen: string;
    }>(
      `SELECT f.mapping, m.name, f.line, f.cause, count(*) AS n,
              (array_agg(DISTINCT f.example) FILTER (WHERE f.example <> ''))[1:4] AS examples,
              (array_agg(f.message ORDER BY f.id))[1] AS message, max(f.revision) AS revision,
              min(f.first_seen) AS first_seen, max(f.updated_at) AS last_seen
         FROM failed_record f JOIN mapping m ON m.id = f.mapping WHERE ${where}
        GROUP BY f.mapping, m.name, f.line, f.cause ORDER BY count(*) DESC, f.mapping, f.line, f.cause`,
      params,
    );
    return Promise.all(
      rows.map(async (r) => {
        const named = this.names.nameOf(await this.names.document(r.mapping, r.revision), r.line);
        return {
          mapping: r.mapping,
          mappingName: r.name,
          line: r.line,
          lineNumber: named.number,
          label: named.label,
          cause: r.cause,
          count: Number(r.n),
          examples: r.examples ?? [],
          message: r.message,
          revision: r.revision,
          firstSeen: isoTime(r.first_seen),
          lastSeen: isoTime(r.last_seen),
        };
      }),
    );
  }

  /** In the order of the source; `after`: the last record of the page before. */
  async list(filter: FailureFilter): Promise<FailedRecord[]> {
    const asked = conditions(filter, 'open');
    if (filter.after !== undefined) {
      const [last] = await this.db.query<{ row: string }>('SELECT row_number AS row FROM failed_record WHERE id = $1', [
        filter.after,
      ]);
      if (!last)
        throw changedMeanwhile(
          `Record ${filter.after}, which the next page begins after, is gone; load the list again.`,
        );
      asked.always(`(f.row_number, f.id) > (${asked.param(last.row)}::bigint, ${asked.param(filter.after)}::bigint)`);
    }
    const rows = await this.db.query<RecordRow>(
      `SELECT f.* FROM failed_record f WHERE ${asked.sql} ORDER BY f.row_number, f.id LIMIT ${Number(filter.limit ?? 100)}`,
      asked.params,
    );
    return rows.map(recordOf);
  }

  async get(id: number): Promise<FailedRecordDetail> {
    const [row] = await this.db.query<RecordRow>('SELECT * FROM failed_record WHERE id = $1', [id]);
    if (!row) throw notFound(`There is no failed record ${id}.`);
    const document = await this.names.document(row.mapping, row.revision);
    const named = this.names.nameOf(document, row.line);
    const events = await this.db.query<{ at: string; what: string; run: number; revision: number; message: string }>(
      'SELECT at, what, run, revision, message FROM failed_event WHERE record = $1 ORDER BY id LIMIT 200',
      [id],
    );
    const source = fromJson(row.source);
    const mapped = fromJson(row.mapped);
    return {
      ...recordOf(row),
      mappingName: document.name,
      revision: row.revision,
      run: row.run,
      lineNumber: named.number,
      lineLabel: named.label,
      rule: named.rule,
      failures: fromJson(row.failures),
      source: Object.entries(source).map(([name, value]) => ({ name, value })),
      mapped: document.target.fields
        .filter((f) => Object.hasOwn(mapped, f.name))
        .map((f) => ({ name: f.name, label: f.label ?? f.name, value: mapped[f.name] ?? null })),
      answer: row.answer,
      history: events.map((e) => ({ ...e, at: isoTime(e.at) })),
    };
  }

  /** Open records by line, for the margin of the sheet; a record with two faults counts on both lines. */
  async byLine(mapping: string): Promise<{ line: string; open: number }[]> {
    const rows = await this.db.query<{ line: string; n: string }>(
      `SELECT e ->> 'line' AS line, count(DISTINCT f.id) AS n FROM failed_record f, jsonb_array_elements(f.failures) e
        WHERE f.mapping = $1 AND f.state = 'open' AND e ->> 'line' IS NOT NULL GROUP BY 1`,
      [mapping],
    );
    return rows.map((r) => ({ line: r.line, open: Number(r.n) }));
  }

  /** All open records of a mapping, each once. */
  async open(mapping: string): Promise<number> {
    const [row] = await this.db.query<{ n: string }>(
      "SELECT count(*) AS n FROM failed_record WHERE mapping = $1 AND state = 'open'",
      [mapping],
    );
    return Number(row!.n);
  }

  /** Takes open records for a replay and makes its run, in one statement: no record is ever in two replays. */
  async takeForReplay(replay: Replay, person: string): Promise<{ run: number; records: number }> {
    const chosen = await this.chosen(replay);
    const mapping = chosen[0]!.mapping;
    const [revision] = await this.db.query<{ number: number; document: string }>(
      'SELECT number, document FROM revision WHERE mapping = $1 ORDER BY number DESC LIMIT 1',
      [mapping],
    );
    await this.requireOneValue(
      chosen.map((c) => c.run),
      variablesAsked(parseDocument(JSON.parse(revision!.document))),
    );
    const [made] = await this.db.query<{ run: number; n: string }>(
      `WITH made AS (
         INSERT INTO run (kind, plan, mapping, revision, started_by, source, variables)
         SELECT 'replay', r.plan, r.mapping, $3, $4, r.source, r.variables FROM run r WHERE r.id = $2 RETURNING id
       ), taken AS (
         UPDATE failed_record SET state = 'replaying', updated_at = now() WHERE state = 'open' AND id = ANY ($1::bigint[]) RETURNING id, cause, row_number
       ), items AS (
         INSERT INTO replay_item (run, record, place, duplicate)
         SELECT made.id, taken.id, row_number() OVER (ORDER BY taken.row_number, taken.id), taken.cause = 'duplicate_key' FROM made, taken RETURNING record
       ) SELECT (SELECT id FROM made) AS run, (SELECT count(*) FROM items) AS n`,
      [chosen.map((c) => c.id), chosen.reduce((newest, c) => Math.max(newest, c.run), 0), revision!.number, person],
    );
    return { run: made!.run, records: Number(made!.n) };
  }

  /** A replay gives its records to rules with the values that they were read with; refuses those of several. */
  private async requireOneValue(runs: readonly number[], asked: readonly string[]): Promise<void> {
    if (asked.length === 0) return;
    const rows = await this.db.query<{ variables: Record<string, string> | string }>(
      'SELECT DISTINCT variables::text AS variables FROM run WHERE id = ANY ($1::integer[])',
      [runs],
    );
    for (const name of asked) {
      const values = new Set(rows.map((r) => fromJson(r.variables)[name] ?? 'nothing'));
      if (values.size > 1)
        throw refused(
          `These records were read with different values of :${name} (${[...values].slice(0, 5).join(', ')}). Send those of one run at a time.`,
        );
    }
  }

  /** A replay that broke off takes its records again, where nobody else has them meanwhile. */
  async retake(run: number): Promise<void> {
    const rows = await this.db.query<{ id: string; state: string }>(
      `SELECT f.id, f.state FROM replay_item i JOIN failed_record f ON f.id = i.record
        WHERE i.run = $1 AND NOT EXISTS (SELECT 1 FROM failed_event e WHERE e.record = f.id AND e.run = $1)`,
      [run],
    );
    const gone = rows.filter((r) => r.state !== 'open' && r.state !== 'replaying').length;
    if (gone > 0)
      throw refused(
        `${counted(gone, 'record')} of this replay ${gone === 1 ? 'was' : 'were'} dealt with meanwhile; replay the open ones anew.`,
      );
    await this.db.query("UPDATE failed_record SET state = 'replaying' WHERE id = ANY ($1::bigint[])", [
      rows.map((r) => r.id),
    ]);
  }

  /** Closes open records on purpose, without delivering them. */
  async waive({ reason, ...which }: Waive, person: string): Promise<number> {
    const chosen = await this.chosen(which as Replay, true);
    const [, rows] = await this.db.transaction([
      {
        sql: `INSERT INTO failed_event (record, run, revision, what, message)
              SELECT id, run, revision, 'waived', $2 FROM failed_record WHERE state = 'open' AND id = ANY ($1::bigint[]) ON CONFLICT DO NOTHING`,
        params: [chosen.map((c) => c.id), `${person}: ${reason}`],
      },
      {
        sql: "UPDATE failed_record SET state = 'waived', updated_at = now() WHERE state = 'open' AND id = ANY ($1::bigint[]) RETURNING id",
        params: [chosen.map((c) => c.id)],
      },
    ]);
    return rows!.length;
  }

  private async chosen(replay: Replay, unreadableToo = false): Promise<{ id: string; mapping: string; run: number }[]> {
    const byIds = 'ids' in replay;
    const rows = await this.db.query<{ id: string; mapping: string; run: number; cause: string; state: string }>(
      byIds
        ? 'SELECT id, mapping, run, cause, state FROM failed_record WHERE id = ANY ($1::bigint[])'
        : "SELECT id, mapping, run, cause, state FROM failed_record WHERE mapping = $1 AND cause = $2 AND line IS NOT DISTINCT FROM $3 AND state = 'open'",
      byIds ? [replay.ids] : [replay.mapping, replay.cause, replay.line],
    );
    if (rows.length === 0)
      throw refused('There are no such open failed records; they may have been replayed meanwhile.');
    const busy = rows.filter((r) => r.state !== 'open').length;
    if (busy > 0)
      throw refused(
        `${counted(busy, 'record')} of these ${busy === 1 ? 'is' : 'are'} not open any more; load the list again and choose among the open ones.`,
      );
    if (new Set(rows.map((r) => r.mapping)).size > 1)
      throw refused('The records belong to several mappings; replay those of one mapping at a time.');
    const unread = unreadableToo ? 0 : rows.filter((r) => r.cause === 'source_unreadable').length;
    if (unread > 0)
      throw refused(
        `${counted(unread, 'record')} could not even be read, so there is nothing to send again. Mend the file, then run the plan; ${unread === 1 ? 'it closes itself' : 'they close themselves'} when the row can be read.`,
      );
    return rows;
  }
}

function recordOf(row: RecordRow): FailedRecord {
  return {
    id: Number(row.id),
    mapping: row.mapping,
    row: Number(row.row_number),
    fileRow: Number(row.file_row ?? row.row_number),
    file: row.file,
    cause: row.cause,
    line: row.line,
    message: row.message,
    state: row.state,
    label: row.label,
    example: row.example,
    updatedAt: isoTime(row.updated_at),
  };
}

function conditions(filter: FailureFilter, state: FailedRecord['state']): Conditions {
  const asked = new Conditions();
  if (filter.cause !== undefined && !CAUSES.includes(filter.cause as Cause))
    throw refused(`There is no cause ${quoted(filter.cause)}; the causes are ${CAUSES.join(', ')}.`);
  const wanted = filter.state ?? state;
  if (wanted === 'any') asked.always("f.state <> 'remark'");
  else asked.add((p) => `f.state = ${p}`, wanted);
  asked.add((p) => `f.mapping = ${p}`, filter.mapping);
  // A record belongs to each run that it failed in, also when it was mended later.
  asked.add(
    (p) =>
      `EXISTS (SELECT 1 FROM failed_event e WHERE e.record = f.id AND (e.run = ${p} OR e.run IN (${partsOf(p)})) AND e.what = 'failed')`,
    filter.run,
  );
  asked.add((p) => `f.cause = ${p}`, filter.cause);
  if (filter.filed === 'exactly' && !filter.line) asked.always('f.line IS NULL');
  else if (filter.filed === 'exactly') asked.add((p) => `f.line = ${p}`, filter.line);
  else
    asked.add(
      (p) => `(f.line = ${p} OR f.failures @> jsonb_build_array(jsonb_build_object('line', ${p}::text)))`,
      filter.line,
    );
  asked.add(
    (p) => `(f.label || ' ' || f.example || ' ' || f.message || ' ' || f.source::text) ILIKE '%' || ${p} || '%'`,
    filter.search && literal(filter.search),
  );
  return asked;
}
