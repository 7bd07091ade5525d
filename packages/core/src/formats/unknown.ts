import { counted, quoted } from '../words.ts';

/** Values at a path that a structure does not know: in how many records, and the first of them. */
export interface Unknown {
  readonly count: number;
  /** Counted as the batch that it comes with. */
  readonly row: number;
}
/** By path. */
export type UnknownValues = ReadonlyMap<string, Unknown>;

/** What becomes of them: they are told (where nothing is said), get a field besides, are left out, or their records fail. */
export type UnknownWay = 'told' | 'taken' | 'ignored' | 'refused';

/** Paths that are told apart; a file may have a new one in each record. */
const MOST = 100;
/** All paths beyond that. */
export const OTHER_PATHS = '…';

/** In the place of a path: rows of a report that are no records, which its format leaves out. */
export const LEFT_OUT = { short: '⊘ short', beginning: '⊘ beginning' } as const;
/** Before the path of what stands beside the records of a file. */
export const BESIDE = '⊘ beside ';
/** Whether it is the path of a value, and not of rows, of what is beside records, or of many paths. */
export const isPath = (path: string): boolean =>
  path !== OTHER_PATHS && !leftOutRows.has(path) && !path.startsWith(BESIDE);
const leftOutRows: ReadonlySet<string> = new Set(Object.values(LEFT_OUT));

/** What people are told of it. `file`: the one in which the first is. */
export function unknownWords(
  dataset: string,
  path: string,
  { count, row, file }: Unknown & { readonly file: string | null },
): string {
  const what = path === OTHER_PATHS ? 'further members' : quoted(path);
  if (leftOutRows.has(path)) return leftOutWords(dataset, path, count, row, file);
  if (path.startsWith(BESIDE)) return besideWords(dataset, path.slice(BESIDE.length), count, row, file);
  const where = `row ${row.toLocaleString('en-GB')}${file === null ? '' : ` of ${file}`}`;
  return `${counted(count, 'record')} of ${dataset} ${count === 1 ? 'has' : 'have'} ${what}, the first in ${where}; the structure of the dataset does not know it, so it was not read`;
}

function leftOutWords(dataset: string, path: string, count: number, row: number, file: string | null): string {
  const why = path === LEFT_OUT.short ? 'too short for a record' : 'begun as its format says of rows that are none';
  return `${counted(count, 'row')} of ${dataset} ${count === 1 ? 'was' : 'were'} left out, ${why}, the first ${between(row, file)}`;
}
function besideWords(dataset: string, path: string, count: number, row: number, file: string | null): string {
  const are = count === 1 ? 'is one' : `are ${count.toLocaleString('en-GB')}`;
  return `Beside the records of ${dataset} there ${are} “${path}”, the first ${between(row, file)}; the structure of the dataset does not know it, so it was not read`;
}
/** Between which rows something is that is none. `row`: the one before it. */
function between(row: number, file: string | null): string {
  const where = row === 0 ? 'before row 1' : `behind row ${row.toLocaleString('en-GB')}`;
  return file === null ? where : `${where} of ${file}`;
}

/** Of batches that come one after the other. */
export function mergeUnknown<T extends Unknown>(all: readonly (ReadonlyMap<string, T> | undefined)[]): Map<string, T> {
  const merged = new Map<string, T>();
  for (const [path, unknown] of all.flatMap((one) => [...(one ?? [])])) {
    const at = merged.has(path) || merged.size < MOST || leftOutRows.has(path) ? path : OTHER_PATHS;
    const before = merged.get(at);
    merged.set(at, before ? { ...before, count: before.count + unknown.count } : unknown);
  }
  return merged;
}

interface Seen {
  count: number;
  readonly row: number;
  /** The row that was counted last. */
  last: number;
}
/** Counts what records have and their structure does not know, so that nothing is left out without a word. */
export class UnknownCounter {
  private found = new Map<string, Seen>();
  private refused: { readonly path: string; readonly row: number } | null = null;

  constructor(private readonly way: UnknownWay = 'told') {}

  /** A record has a value there; asked again for the same record, it counts once. */
  see(path: string, row: number): void {
    if (this.way === 'ignored') return;
    if (this.way === 'refused') {
      if (this.refused?.row !== row) this.refused = { path, row };
      return;
    }
    const entry = this.entry(path, row);
    if (entry.count > 0 && entry.last === row) return;
    entry.count++;
    entry.last = row;
  }
  /** Something is there that belongs to no record: each counts. `row`: the one before it. */
  count(path: string, row: number): void {
    this.entry(path, row).count++;
  }
  private entry(path: string, row: number): Seen {
    const at = this.found.has(path) || this.found.size < MOST ? path : OTHER_PATHS;
    let entry = this.found.get(at);
    if (entry === undefined) this.found.set(at, (entry = { count: 0, row, last: row }));
    return entry;
  }
  /** Why a record that was just seen is one that fails; null: it doesn't. */
  refusal(row: number): string | null {
    if (this.refused?.row !== row) return null;
    return `It has ${quoted(this.refused.path)}, which the structure of the dataset does not know; records that have more are refused.`;
  }
  /** What was seen since it was asked last, as a part of a batch: nothing where nothing was. */
  take(): { readonly unknown?: UnknownValues } {
    if (this.found.size === 0) return {};
    const unknown = new Map([...this.found].map(([path, { count, row }]) => [path, { count, row }]));
    this.found = new Map();
    return { unknown };
  }
}
