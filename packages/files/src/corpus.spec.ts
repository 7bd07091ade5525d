import type { FileFormat } from '@versicle/core';
import { corpus, type CorpusFile, type Outcome, readOutcome } from './testing/corpus.ts';

const files = corpus();

/** Its rows with the fields that it means, in their order. */
function rowsOf({ means }: CorpusFile, { fields, rows }: Outcome): (string | null | undefined)[][] {
  const places = means.fields.map((name) => fields.indexOf(name));
  return rows.map((row) => places.map((at) => row[at]));
}

describe('files by many writers', () => {
  it.each(files.map((file) => [file.name, file] as const))('%s is read as what it means', async (_name, file) => {
    const { part = null, format = null } = file.means;
    const outcome = await readOutcome(file.path, { part, fixed: format });
    expect(outcome).toMatchObject({ refusal: null, unreadable: [], unknown: [] });
    expect(outcome.fields).toEqual(expect.arrayContaining([...file.means.fields]));
    expect(rowsOf(file, outcome)).toEqual(file.means.rows);
  });
  it('are not few', () => expect(files.length).toBe(40));
});

/** What can truly be read as another format, too. */
const ALSO: Readonly<Record<string, readonly string[]>> = {
  // Objects one after the other.
  'lines.jsonl': ['json'],
  'lines-crlf.jsonl': ['json'],
  'lines-escaped.jsonl': ['json'],
  // One object in one line.
  'repairs.json': ['jsonl'],
  // Lines of one cell. Their header has none of the dataset's columns: for that, a run ends with a sentence.
  'fixed-width.txt': ['delimited'],
  'repairs.xml': ['delimited'],
};

describe('a file that is read as another format', () => {
  const others = [
    'sheetjs.xlsx',
    'csv-stringify.csv',
    'fixed-width.txt',
    'lines.jsonl',
    'list.json',
    'xmlbuilder2.xml',
  ];
  /** What was settled for files of other kinds, by kind. */
  const settled = new Map<string, FileFormat>();
  beforeAll(async () => {
    for (const name of others) {
      const file = files.find((f) => f.name === name)!;
      const { format } = await readOutcome(file.path, { fixed: file.means.format ?? null });
      settled.set(format!.kind, format!);
    }
    expect(settled.size).toBe(others.length);
  });
  it.each(files.map((file) => [file.name, file] as const))('%s gets a sentence', async (name, file) => {
    const own = (await readOutcome(file.path, { fixed: file.means.format ?? null })).format!.kind;
    const silent: string[] = [];
    for (const [kind, as] of settled) {
      if (kind === own) continue;
      const { refusal, unreadable } = await readOutcome(file.path, { as });
      if (refusal === null && unreadable.length === 0) silent.push(kind);
    }
    expect(silent).toEqual(ALSO[name] ?? []);
  });
});
