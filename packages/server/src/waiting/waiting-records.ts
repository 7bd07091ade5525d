import type { WaitingQuery, WaitingRecord, WaitingRecords as Found } from '@versicle/contract';
import { columnCondition, refused, RuleError, type Column } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { NOT_BEHIND } from '../engine/lanes/queue/outbox.ts';
import { Conditions } from '../store/conditions.ts';
import { fromJson } from '../store/values.ts';

/** Records that are looked at in one go where a rule chooses among them. */
const LOOKED = 1000;

type Asked = Pick<WaitingQuery, 'dataset' | 'run' | 'state' | 'rule' | 'search'>;
interface Row {
  [name: string]: unknown;
  id: string;
  sooner: number;
  target: string;
  run: number;
  plan: string;
  plan_name: string;
  mapping: string;
  mapping_name: string;
  label: string;
  row: string;
  state: WaitingRecord['state'];
  cells: (string | null)[] | string;
  columns: Column[] | string;
}
const STATE = `CASE WHEN o.request IS NOT NULL THEN 'sent' WHEN o.held THEN 'held' WHEN r.state <> 'running' OR r.trouble IS NOT NULL THEN 'run'
  WHEN NOT (${NOT_BEHIND}) THEN 'behind' ELSE 'waits' END`;

/** Records that wait for a system, in the order in which they go. */
export class WaitingRecords {
  constructor(private readonly db: Database) {}

  async list(system: string, { limit, after, ...asked }: WaitingQuery): Promise<Found> {
    const found: WaitingRecord[] = [];
    for await (const rows of this.pages(system, asked, after ?? null, limit + 1)) {
      found.push(...rows.map(recordOf));
      if (found.length > limit) break;
    }
    return { records: found.slice(0, limit), more: found.length > limit };
  }
  /** The ids of all that meet what is asked, by target, so many at a time. */
  async *idsOf(system: string, asked: Asked, atATime: number): AsyncIterable<{ target: string; ids: number[] }> {
    const highest = await this.highest();
    for await (const rows of this.pages(system, asked, null, atATime)) {
      const targets = new Set(rows.map((r) => r.target));
      for (const target of targets) {
        const ids = rows.filter((r) => r.target === target && Number(r.id) <= highest).map((r) => Number(r.id));
        if (ids.length > 0) yield { target, ids };
      }
    }
  }
  /** What comes while somebody acts upon all of them is none of those. */
  private async highest(): Promise<number> {
    const [row] = await this.db.query<{ id: string | null }>('SELECT max(id) AS id FROM outbox');
    return Number(row?.id ?? 0);
  }

  private async *pages(
    system: string,
    { rule, ...asked }: Asked,
    after: string | null,
    most: number,
  ): AsyncIterable<Row[]> {
    if (rule !== undefined && rule.trim() !== '' && asked.dataset === undefined)
      throw refused('A rule speaks of the fields of one dataset; choose which one first.');
    const meets = rule === undefined || rule.trim() === '' ? null : new Meeting(rule);
    for (let place = after; ;) {
      const rows = await this.page(system, asked, place, meets === null ? most : LOOKED);
      const met = meets === null ? rows : rows.filter((row) => meets.meets(row));
      if (met.length > 0) yield met;
      const last = rows.at(-1);
      if (!last || rows.length < (meets === null ? most : LOOKED)) return;
      place = placeOf(last);
    }
  }
  private async page(
    system: string,
    { dataset, run, state, search }: Omit<Asked, 'rule'>,
    after: string | null,
    most: number,
  ): Promise<Row[]> {
    const conditions = new Conditions();
    if (dataset === undefined) conditions.add((p) => `starts_with(o.target, ${p})`, `${system}/`);
    else conditions.add((p) => `o.target = ${p}`, `${system}/${dataset}`);
    conditions.add((p) => `o.run = ${p}`, run);
    conditions.add((p) => `${STATE} = ${p}`, state);
    conditions.add((p) => `strpos(lower(o.cells::text), lower(${p})) > 0`, search);
    const [sooner, id] = (after ?? '').split(':').map(Number);
    if (after !== null)
      conditions.always(
        `(o.sooner < ${conditions.param(sooner)} OR o.sooner = ${conditions.param(sooner)} AND o.id > ${conditions.param(id)})`,
      );
    // What keeps a record is looked for of those that are given only, unless just such ones are asked for.
    return this.db.query<Row>(
      `SELECT o.id, o.sooner, o.target, o.run, r.plan, p.name AS plan_name, r.mapping, m.name AS mapping_name, o.record ->> 'label' AS label, o.record ->> 'row' AS row,
              ${STATE} AS state, o.cells, c.columns
         FROM (SELECT o.* FROM outbox o JOIN run r ON r.id = o.run WHERE ${conditions.sql} ORDER BY o.sooner DESC, o.id LIMIT ${conditions.param(most)}) o
         JOIN run r ON r.id = o.run JOIN plan p ON p.id = r.plan JOIN mapping m ON m.id = r.mapping
         JOIN outbox_part c ON c.run = o.run AND c.part = o.part
        ORDER BY o.sooner DESC, o.id`,
      conditions.params,
    );
  }
}

const placeOf = ({ sooner, id }: Row): string => `${sooner}:${id}`;
function recordOf(row: Row): WaitingRecord {
  const cells = fromJson<(string | null)[]>(row.cells);
  return {
    id: Number(row.id),
    place: placeOf(row),
    run: row.run,
    plan: row.plan,
    planName: row.plan_name,
    mapping: row.mapping,
    mappingName: row.mapping_name,
    dataset: row.target.slice(row.target.indexOf('/') + 1),
    label: row.label,
    row: Number(row.row),
    state: row.state,
    first: row.sooner > 0,
    values: fromJson<Column[]>(row.columns).map(({ name }, i) => ({ name, value: cells[i] ?? null })),
  };
}

/** Whether records meet a rule over their mapped fields, which have the types that the document gives them. */
class Meeting {
  private readonly known = new Map<string, (cells: readonly (string | null)[]) => boolean>();
  constructor(private readonly rule: string) {}

  meets({ columns, cells }: Row): boolean {
    const shape = typeof columns === 'string' ? columns : JSON.stringify(columns);
    let meets = this.known.get(shape);
    if (!meets) {
      meets = this.compiled(fromJson<Column[]>(columns));
      this.known.set(shape, meets);
    }
    return meets(fromJson(cells));
  }
  private compiled(columns: readonly Column[]): (cells: readonly (string | null)[]) => boolean {
    try {
      return columnCondition(this.rule, columns);
    } catch (error) {
      throw error instanceof RuleError
        ? refused(`The rule can't be used: ${error.message}`, [{ path: 'rule', message: error.message }])
        : error;
    }
  }
}
