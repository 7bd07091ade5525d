import * as fc from 'fast-check';
import {
  addField,
  canonicalText,
  cellText,
  CELLS,
  changeField,
  changeLine,
  clipboardRows,
  documentDifference,
  documentJsonSchema,
  parseDocument,
  readDocument,
  removeField,
  setKey,
  timestampOfMillis,
  Trial,
  withAllLines,
  writeCell,
  type Cell,
  type Line,
  type MappingDocument,
} from '../index.ts';

const minimal = {
  versicle: 1,
  name: 'Test',
  source: { primary: { alias: 'm', dataset: 'x/y' } },
  target: {
    dataset: 'a/b',
    fields: [
      { name: 'a', type: 'text' },
      { name: 'b', label: 'Bee', type: 'integer' },
    ],
  },
};
const base: MappingDocument = parseDocument({
  ...minimal,
  lines: [{ id: 'l1', target: 'a', kind: 'straight', source: 'm.x', state: 'agreed' }],
  codeTables: { tariff: [{ from: 'A', to: 'M' }] },
});

describe('the JSON form', () => {
  it('has one text for equal documents, whatever the order of keys', () => {
    const turned = (value: unknown): unknown =>
      Array.isArray(value)
        ? value.map(turned)
        : typeof value === 'object' && value !== null
          ? Object.fromEntries(
              Object.entries(value)
                .reverse()
                .map(([k, v]) => [k, turned(v)]),
            )
          : value;
    expect(canonicalText(parseDocument(turned(base)))).toBe(canonicalText(base));
    expect(canonicalText(readDocument(canonicalText(base)))).toBe(canonicalText(base));
    expect(canonicalText(base)).toMatch(/^\{\n {2}"versicle": 1,\n {2}"name": "Test"/);
  });
  it.each([
    [{ ...minimal, versicle: 2 }, /version 2; this program reads version 1/],
    [{ ...minimal, colour: 'red' }, /colour: This key is not part/],
    [{ ...minimal, target: { ...minimal.target, fields: [] } }, /target\.fields: a target needs at least one field/],
    [{ ...minimal, lines: [{ id: 'l1', target: 'a', kind: 'magic' }] }, /lines\[0\]\.kind/],
    [{ ...minimal, source: { primary: { alias: 'M', dataset: 'x/y' } } }, /source\.primary\.alias: use small letters/],
    [null, /./],
  ])('refuses with the path %#', (data, message) => expect(() => parseDocument(data)).toThrow(message));
  it('says what is no JSON', () => expect(() => readDocument('{"versicle": 1,')).toThrow(/not JSON/));
  it('publishes its JSON Schema', () =>
    expect(documentJsonSchema()).toMatchObject({
      type: 'object',
      required: expect.arrayContaining(['versicle', 'name', 'source', 'target']),
      additionalProperties: false,
    }));
});

describe('changes on the sheet', () => {
  it('gives every field a line, in the order of the fields', () => {
    const doc = withAllLines(parseDocument({ ...minimal, lines: [{ id: 'l2', target: 'b' }] }));
    expect(doc.lines.map((l) => [l.id, l.target, l.state])).toEqual([
      ['l02', 'a', 'to map'],
      ['l2', 'b', 'drafted'],
    ]);
    expect(withAllLines(doc)).toBe(doc);
  });
  it('lets an agreed line fall back to drafted when its content is edited, not when a note is', () => {
    expect(changeLine(base, 'l1', { source: 'm.y' }).lines[0]!.state).toBe('drafted');
    expect(changeLine(base, 'l1', { note: 'asked Oda' }).lines[0]!.state).toBe('agreed');
    expect(changeLine(base, 'l1', { kind: undefined, source: undefined }).lines[0]).toEqual({
      id: 'l1',
      target: 'a',
      state: 'to map',
    });
    expect(base.lines[0]!.source).toBe('m.x');
  });
  it('renames a field everywhere, and takes one out everywhere', () => {
    const keyed = setKey(base, 'a', true);
    const renamed = changeField(keyed, 'a', { name: 'z' });
    expect([renamed.target.fields[0]!.name, renamed.target.key, renamed.lines[0]!.target]).toEqual(['z', ['z'], 'z']);
    const gone = removeField(keyed, 'a');
    expect([gone.target.fields.length, gone.target.key, gone.lines]).toEqual([1, [], []]);
    expect(addField(base, 'c', 'date').lines.at(-1)).toMatchObject({ target: 'c', state: 'to map' });
  });
  it.each<[Cell, string, Partial<Line>]>([
    ['how', 'straight', { kind: 'straight', source: 'm.x' }],
    ['how', 'constant GB', { kind: 'constant', value: 'GB' }],
    ['how', 'lookup tariff', { kind: 'lookup', source: 'm.x', codeTable: 'tariff' }],
    ['how', 'generated hash of m.x, m.y', { kind: 'generated', generate: 'hash', of: ['m.x', 'm.y'] }],
    ['how', 'not loaded', { kind: 'not loaded' }],
    ['how', "upper(m.x) || 'constant'", { kind: 'rule', rule: "upper(m.x) || 'constant'" }],
    ['source', 'm.y', { kind: 'straight', source: 'm.y' }],
    ['state', 'q', { state: 'question' }],
  ])('writes %s: %s', (cell, text, expected) =>
    expect(writeCell(base, 'l1', cell, text)).toMatchObject({ lines: [expect.objectContaining(expected)] }),
  );
  it('refuses a state that there is not', () =>
    expect(writeCell(base, 'l1', 'state', 'agred')).toMatch(/none of these\. Did you mean agreed\?/));
  it('changes nothing when a cell’s own text is written into it', () => {
    const line = fc.oneof(
      fc.record({ kind: fc.constant('rule' as const), rule: fc.stringMatching(/^[a-z]{3,8}\(m\.[a-z]{1,4}\)$/) }),
      fc.record({ kind: fc.constant('constant' as const), value: fc.stringMatching(/^[A-Z0-9]{1,6}$/) }),
      fc.record({
        kind: fc.constant('lookup' as const),
        source: fc.constant('m.x'),
        codeTable: fc.stringMatching(/^[a-z]{1,8}$/),
      }),
      fc.constant({ kind: 'not loaded' as const }),
      fc.record({
        kind: fc.constant('generated' as const),
        generate: fc.constantFrom('uuid' as const, 'sequence' as const, 'hash' as const),
        of: fc.constant<string[]>(['m.x', 'm.y']),
      }),
    );
    fc.assert(
      fc.property(line, fc.constantFrom(...CELLS), (content, cell) => {
        const doc: MappingDocument = { ...base, lines: [{ id: 'l1', target: 'a', state: 'drafted', ...content }] };
        const text = cellText(doc.target.fields[0], doc.lines[0]!, cell);
        expect(writeCell(doc, 'l1', cell, text)).toEqual(doc);
        if (cell === 'how')
          expect(
            writeCell(
              { ...doc, lines: [{ id: 'l1', target: 'a', state: 'drafted', source: 'm.x' }] },
              'l1',
              'how',
              text,
            ),
          ).toMatchObject({ lines: [expect.objectContaining({ kind: content.kind })] });
      }),
    );
  });
  it('reads a spreadsheet program’s clipboard', () => {
    expect(clipboardRows('a\tb\r\nc\td\r\n')).toEqual([
      ['a', 'b'],
      ['c', 'd'],
    ]);
    expect(clipboardRows('"two\nlines"\t"say ""hi"""\n')).toEqual([['two\nlines', 'say "hi"']]);
    expect(clipboardRows('"Quoted" = 1\tx')).toEqual([['"Quoted" = 1', 'x']]);
    expect(clipboardRows('')).toEqual([]);
  });
});

describe('differences', () => {
  it('names lines by what changed in them, and the rest by its parts', () => {
    const after = { ...changeLine(withAllLines(base), 'l1', { source: 'm.y' }), name: 'Other' };
    const found = documentDifference(base, after);
    expect(found.lines).toEqual([
      {
        line: 'l1',
        target: 'a',
        change: 'changed',
        parts: [
          { part: 'source', before: 'm.x', after: 'm.y' },
          { part: 'state', before: 'agreed', after: 'drafted' },
        ],
      },
      expect.objectContaining({ target: 'b', change: 'added' }),
    ]);
    expect(found.other).toEqual([{ part: 'name', before: base.name, after: 'Other' }]);
    expect(documentDifference(after, base).lines.map((l) => l.change)).toEqual(['changed', 'removed']);
    expect(documentDifference(base, base)).toEqual({ lines: [], other: [] });
  });
});

describe('trying a document on samples', () => {
  const doc = parseDocument({
    ...minimal,
    source: { primary: { alias: 'm', dataset: 'x/y' }, filter: "m.y <> 'no'" },
    skips: [{ id: 's1', when: "m.y = 'skip'", reason: 'Left out' }],
    lines: [
      { id: 'l1', target: 'a', kind: 'rule', rule: 'upper(m.x)' },
      { id: 'l2', target: 'b', kind: 'rule', rule: 'm.x::integer' },
      { id: 'l3', target: 'c', kind: 'rule', rule: 'broken(' },
    ],
  });
  const trial = new Trial(doc, ['x', 'y'], timestampOfMillis(0));

  it('gives each line’s result, also where another line can’t run or the record is left out', () => {
    const record = trial.record(['7', 'no'], 1, null);
    expect(record).toMatchObject({
      outcome: 'filtered',
      lines: { l1: { source: '7', result: '7' }, l2: { result: '7', failure: null } },
    });
    expect(trial.record(['7', 'skip'], 1, null)).toMatchObject({ outcome: 'skipped', reason: 'Left out' });
    expect(trial.record(['x', 'yes'], 1, null)).toMatchObject({
      outcome: 'failed',
      lines: { l1: { result: 'X' }, l2: { result: null, failure: { cause: 'rule_error' } } },
    });
    expect(trial.problems.map((p) => p.line)).toContain('l3');
  });
  it('shows values in and out, and counts what fails by line', () => {
    const rows = [
      ['1', 'a'],
      ['x', 'a'],
      [null, 'a'],
    ];
    expect(trial.inAndOut('l2', rows, null)).toEqual([
      { from: '1', to: '1', fault: null },
      { from: 'x', to: null, fault: expect.stringContaining('integer') },
      { from: 'null', to: null, fault: null },
    ]);
    expect(trial.coverage(rows, null)).toMatchObject({ failing: { l2: 1 } });
  });

  it('has nothing called __proto__, wherever somebody writes it', () => {
    const base = {
      versicle: 1,
      name: 'N',
      source: { primary: { alias: 'm', dataset: 'a/b' } },
      target: { dataset: 'c/d', fields: [{ name: 'x', type: 'text' }] },
      lines: [{ id: 'l1', target: 'x', kind: 'straight', source: 'm.x' }],
    };
    const refused = (text: string): void => expect(() => parseDocument(JSON.parse(text))).toThrow(/__proto__/);
    const json = JSON.stringify(base);
    refused(json.replace('"name":"x"', '"name":"__proto__"').replace('"target":"x"', '"target":"__proto__"'));
    refused(json.replace('"name":"x"', '"name":"__proto__.y"').replace('"target":"x"', '"target":"__proto__.y"'));
    refused(json.replace('"alias":"m"', '"alias":"__proto__"'));
    refused(json.replace('"id":"l1"', '"id":"__proto__"'));
    refused(json.replace('"lines"', '"codeTables":{"__proto__":[]},"lines"'));
    refused(json.replace('"lines"', '"__proto__":{"polluted":1},"lines"'));
    expect(({} as { polluted?: number }).polluted).toBeUndefined();
  });
});

it.each([
  ['a zero byte', 'a\u0000b'],
  ['half a character', 'a\ud83d'],
])('a document with %s in it is refused, wherever it stands: no database could keep it', (_what, text) => {
  const whole = JSON.parse(canonicalText(base)) as Record<string, unknown>;
  for (const [place, document] of [
    ['name', { ...whole, name: text }],
    ['lines.0.note', { ...whole, lines: [{ ...base.lines[0]!, note: text }] }],
    ['codeTables', { ...whole, codeTables: { [text]: [] } }],
  ] as const) {
    expect(() => parseDocument(document)).toThrow(new RegExp(`^${place}: There is a character that can’t be kept`));
  }
  // A whole pair is a character like any other.
  expect(parseDocument({ ...whole, name: '\u{1f6b2}' }).name).toBe('\u{1f6b2}');
});

describe('what is wrong with a document', () => {
  const faults = (data: object): string[] => {
    try {
      parseDocument(data);
      return [];
    } catch (error) {
      return (error as Error).message.split('\n');
    }
  };
  const sound = {
    versicle: 1,
    name: 'a',
    source: { primary: { alias: 'm', dataset: 'f/a' } },
    target: { dataset: 's/a', fields: [{ name: 'born', type: 'date' }] },
  };
  it('is said in words, with the line that it is about', () => {
    expect(faults({ ...sound, lines: [{ id: 'l1', target: 'born', state: 'approved' }] })).toEqual([
      'lines[0].state: in line 1, born, this must be one of to map, question, drafted, agreed',
    ]);
    expect(faults({ ...sound, name: 7 })).toEqual(['name: this must be a text']);
    expect(faults({ ...sound, name: '' })).toEqual(['name: something must stand here']);
    expect(faults({ versicle: 1, name: 'a' })).toEqual(['source: this is missing', 'target: this is missing']);
    expect(faults({ ...sound, lines: 'none' })).toEqual(['lines: this must be a list']);
    expect(faults({ ...sound, write: { mode: 'merge' } })[0]).toMatch(
      /^write.mode: this must be one of insert, append/,
    );
    expect(faults({ ...sound, codeTables: { t: [{ from: 'a', to: 'b', validTo: 'soon' }] } })).toEqual([
      'codeTables.t[0].validTo: this must be a day such as 2026-08-03',
    ]);
  });
});
