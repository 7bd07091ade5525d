import { createHash } from 'node:crypto';
import type { ForeignRead, ForeignSheet, ReadForeign } from '@versicle/contract';
import {
  type ForeignLayout,
  type ForeignPart,
  type ForeignSheet as Grid,
  guessLayouts,
  headingsOf,
  isFault,
  readForeign,
  refused,
  targetTables,
} from '@versicle/core';
import { withUpload } from '../http/upload.ts';
import type { Database } from '@versicle/postgres';
import type { Structures } from '../structures/structures.ts';
import type { Systems } from '../systems/systems.ts';

const SHOWN_ROWS = 40;
const SHOWN_CELL = 200;

/** Mapping spreadsheets that others laid out: matched column by column, remembered by their headings. */
export class Foreign {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly structures: Structures,
  ) {}

  async look(fileName: string, content: string): Promise<{ sheets: ForeignSheet[] }> {
    const grids = await this.grids(fileName, content);
    const sheets: ForeignSheet[] = [];
    for (const [i, guess] of guessLayouts(grids).entries()) {
      const grid = grids[i]!;
      const known = await this.remembered(guess.headings);
      const layout: ForeignLayout = { ...guess, columns: known ?? guess.columns };
      sheets.push({
        name: grid.name,
        rows: grid.rows.slice(0, SHOWN_ROWS).map((row) => row.map((c) => (c === null ? null : c.slice(0, SHOWN_CELL)))),
        count: grid.rows.length,
        headerRow: guess.headerRow,
        headings: [...guess.headings],
        columns: [...layout.columns],
        holds: guess.holds,
        remembered: known !== null,
        targets: targetTables(grid, layout),
      });
    }
    return { sheets };
  }

  async read(asked: ReadForeign): Promise<ForeignRead> {
    const grids = await this.grids(asked.fileName, asked.content);
    for (const layout of [asked.lines, ...asked.codes]) this.requireSheet(grids, layout);
    if (!asked.lines.columns.some((c) => c === 'target name' || c === 'target label'))
      throw refused('Say which column names the target’s fields; the lines are made of it.');
    const { id, dataset } = await this.systems.openDataset(asked.source);
    const { fields } = await this.structures.describe(id, dataset);
    const alias = /[a-z]/.exec(dataset.toLowerCase())?.[0] ?? 's';
    const { document, understood, toMap, left } = readForeign(grids, {
      name: asked.name,
      lines: asked.lines,
      codes: asked.codes,
      source: { dataset: asked.source, alias, fields: fields.map((f) => f.name) },
      target: asked.target,
      targetTable: asked.targetTable,
    });
    await this.remember(grids, asked.lines);
    return { document, understood, toMap, left: [...left] };
  }

  private async grids(fileName: string, content: string): Promise<Grid[]> {
    const grids = await withUpload(fileName, content, (path) =>
      this.systems.looks.ask(fileName, 'grid', [path, fileName]),
    ).catch((error: Error) => {
      throw isFault(error, 'unreadable')
        ? refused(error.message.includes(fileName) ? error.message : `${fileName}: ${error.message}`)
        : error;
    });
    if (grids.every((g) => g.rows.length === 0)) throw refused(`${fileName} is empty.`);
    return grids;
  }
  private requireSheet(grids: readonly Grid[], { sheet, headerRow }: ForeignLayout): void {
    const found = grids.find((g) => g.name === sheet);
    if (!found)
      throw refused(`There is no sheet “${sheet}” in the file; it has ${grids.map((g) => g.name).join(', ')}.`);
    if (headerRow >= found.rows.length)
      throw refused(`The sheet “${sheet}” has ${found.rows.length} rows; row ${headerRow + 1} can’t be its header.`);
  }

  private async remembered(headings: readonly string[]): Promise<(ForeignPart | null)[] | null> {
    const [row] = await this.db.query<{ value: string }>('SELECT value FROM house WHERE name = $1', [shape(headings)]);
    return row ? (JSON.parse(row.value) as (ForeignPart | null)[]) : null;
  }
  private async remember(grids: readonly Grid[], layout: ForeignLayout): Promise<void> {
    const headings = headingsOf(
      grids.find((g) => g.name === layout.sheet)!,
      layout.headerRow,
    );
    await this.db.query(
      'INSERT INTO house (name, value) VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value',
      [shape(headings), JSON.stringify(layout.columns)],
    );
  }
}

/** Files with the same headings are of one shape. */
function shape(headings: readonly string[]): string {
  const text = headings.map((h) => h.toLowerCase().trim()).join('\n');
  return `spreadsheet ${createHash('sha256').update(text).digest('hex').slice(0, 32)}`;
}
