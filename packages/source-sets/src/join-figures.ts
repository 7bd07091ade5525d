import { landedTable, type MappingDocument, type SourceSetSql } from '@versicle/core';
import type { Session } from '@versicle/postgres';
import {
  ask,
  expectedPairs,
  fieldsOf,
  MOST_JOINED,
  requireBounded,
  statements,
  type ComposeOptions,
} from './compose.ts';
import { withDatabase } from './database.ts';
import { landMembers, type Landed, type Member } from './landing.ts';

/** What a join finds, counted before anything runs. */
export interface JoinFigures {
  readonly alias: string;
  readonly dataset: string;
  /** Records that were joined before, and those of the dataset that is joined now. */
  readonly left: number;
  readonly right: number;
  /** How many keys the dataset was asked for, so that `right` are those found; null: they are all its records. */
  readonly asked: number | null;
  /** Records of the left that find a partner, and those that find several. */
  readonly matched: number;
  readonly doubled: number;
  /** The most partners of one record. */
  readonly most: number;
  /** Records of the joined dataset that nobody asks for. */
  readonly unused: number;
  /** Values of the condition's fields, of records without a partner: how often, most frequent first. */
  readonly withoutPartner: readonly {
    readonly values: Readonly<Record<string, string | null>>;
    readonly count: number;
  }[];
  readonly unusedExamples: readonly {
    readonly values: Readonly<Record<string, string | null>>;
    readonly count: number;
  }[];
  /** Values that find several partners. */
  readonly severalPartners: readonly {
    readonly values: Readonly<Record<string, string | null>>;
    readonly count: number;
  }[];
  /** It stopped counting: the condition does not tell records apart. */
  readonly tooMany: boolean;
}

const SHOWN = 8;
/** Pairs that are looked at where there are too many. */
const SOME = 200_000;

/** Counts what each join of a source set finds. Throws a fault. */
export function joinFigures(
  document: MappingDocument,
  members: readonly Member[],
  options: ComposeOptions,
): Promise<JoinFigures[]> {
  return withDatabase(options.home, async (db) => {
    const landed = await landMembers(db, document, members, options.rowLimit, options.tell ?? (() => undefined));
    const sql = statements(document, fieldsOf(document, landed), options, db);
    requireBounded(document, landed, sql);
    const figures: JoinFigures[] = [];
    for (const join of sql.joins) {
      figures.push(await figuresOf(db, join, landed));
      if (figures.at(-1)!.tooMany) break;
    }
    return figures;
  });
}

async function figuresOf(db: Session, join: SourceSetSql['joins'][number], landed: Landed): Promise<JoinFigures> {
  const { alias } = join;
  const { dataset, records: right, asked } = landed.datasets.get(alias)!;
  await ask(db, join.before);
  const tooMany = (await expectedPairs(db, join)) > MOST_JOINED;
  await ask(db, join.pairs(tooMany ? SOME : MOST_JOINED + 1));
  const one = async (sql: string): Promise<number> => Number((await ask<{ n: string }>(db, sql))[0]!.n ?? 0);
  const pairs = await one(`SELECT count(*) AS n FROM pairs_${alias}`);
  const left = await one(`SELECT count(*) AS n FROM before_${alias}`);
  await ask(db, `CREATE TEMP TABLE partners_${alias} AS SELECT l, count(*) AS n FROM pairs_${alias} GROUP BY l`);
  const valuesOf = async (
    columns: readonly { readonly label: string; readonly column: string }[],
    from: string,
    order: string,
  ): Promise<JoinFigures['withoutPartner']> => {
    if (columns.length === 0) return [];
    const list = columns.map((c, i) => `x.${c.column}::text AS v${i}`);
    const rows = await ask<Record<string, string | null>>(
      db,
      `SELECT ${list.join(', ')}, ${order} AS n FROM ${from} GROUP BY ${columns.map((_, i) => i + 1).join(', ')} ORDER BY n DESC, 1 LIMIT ${SHOWN}`,
    );
    return rows.map((row) => ({
      values: Object.fromEntries(columns.map((c, i) => [c.label, row[`v${i}`] ?? null])),
      count: Number(row['n']),
    }));
  };
  const unpaired = `before_${alias} x WHERE NOT EXISTS (SELECT 1 FROM partners_${alias} p WHERE p.l = x.l)`;
  const unused = `${landedTable(alias)} x WHERE NOT EXISTS (SELECT 1 FROM pairs_${alias} p WHERE p.r = x._row)`;
  return {
    alias,
    dataset,
    left,
    right,
    asked,
    matched: await one(`SELECT count(*) AS n FROM partners_${alias}`),
    doubled: await one(`SELECT count(*) AS n FROM partners_${alias} WHERE n > 1`),
    most: await one(`SELECT max(n) AS n FROM partners_${alias}`),
    unused: await one(`SELECT count(*) AS n FROM ${unused}`),
    withoutPartner: await valuesOf(join.left, unpaired, 'count(*)'),
    unusedExamples: await valuesOf(join.right, unused, 'count(*)'),
    severalPartners: await valuesOf(
      join.left,
      `before_${alias} x JOIN partners_${alias} p ON p.l = x.l AND p.n > 1`,
      'max(p.n)',
    ),
    tooMany: tooMany || pairs > MOST_JOINED,
  };
}
