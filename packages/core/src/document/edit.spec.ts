import * as fc from 'fast-check';
import {
  addField,
  canonicalText,
  CELLS,
  cellText,
  changeField,
  changeLine,
  clipboardRows,
  clipboardText,
  countInRules,
  moveField,
  parseDocument,
  removeField,
  replaceInRules,
  setKey,
  withAllLines,
  writeCell,
  type Cell,
  type MappingDocument,
} from '../index.ts';
import { documents } from '../testing/document-generator.ts';

const document = parseDocument({
  versicle: 1,
  name: 'Stations',
  source: { primary: { alias: 's', dataset: 'files/stations.csv' } },
  target: {
    dataset: 'warehouse/station',
    key: ['code'],
    unique: [['code', 'town'], ['opened']],
    fields: [
      { name: 'code', type: 'varchar(8)', label: 'Code' },
      { name: 'town', type: 'text' },
      { name: 'opened', type: 'date' },
    ],
  },
  lines: [
    { id: 'a', target: 'code', kind: 'straight', source: 's.code', state: 'agreed' },
    { id: 'b', target: 'town', kind: 'rule', rule: 'upper(s.town)', check: "value <> 's.town'", state: 'agreed' },
    { id: 'c', target: 'opened', kind: 'lookup', source: 's.code', codeTable: 'days', state: 'agreed' },
  ],
  codeTables: { days: [{ from: '1', to: '2026-08-03' }] },
});
const line = (d: MappingDocument, id: string) => d.lines.find((l) => l.id === id)!;
const written = (cell: Cell, text: string, id = 'a'): MappingDocument => {
  const result = writeCell(document, id, cell, text);
  if (typeof result === 'string') throw new Error(result);
  return result;
};

describe('what is typed into a cell', () => {
  it.each<[string, Record<string, unknown>]>([
    ['straight', { kind: 'straight', source: 's.code' }],
    ['constant GB', { kind: 'constant', value: 'GB' }],
    ['CONSTANT  two words ', { kind: 'constant', value: 'two words' }],
    ['lookup days', { kind: 'lookup', source: 's.code', codeTable: 'days' }],
    ['generated', { kind: 'generated', generate: 'uuid' }],
    ['generated sequence', { kind: 'generated', generate: 'sequence' }],
    ['Generated Hash of s.code, s.town', { kind: 'generated', generate: 'hash', of: ['s.code', 's.town'] }],
    ['not loaded', { kind: 'not loaded' }],
    ['constants', { kind: 'rule', rule: 'constants' }],
    ["'constant' || s.code", { kind: 'rule', rule: "'constant' || s.code" }],
    ['straighten(s.code)', { kind: 'rule', rule: 'straighten(s.code)' }],
    ['', { state: 'to map' }],
  ])('How: %j', (text, expected) => {
    const { id, target, state, ...rest } = line(written('how', text), 'a');
    expect([id, target]).toEqual(['a', 'code']);
    // A line whose content changed is nobody's agreement any more.
    expect(state).toBe(text === '' ? 'to map' : text === 'straight' ? 'agreed' : 'drafted');
    expect(text === '' ? { state, ...rest } : rest).toEqual(expected);
  });
  it.each([
    ['generated sequnce', /uuid, a sequence, or a hash.*Did you mean sequence/],
    ['generated of s.code', /uuid, a sequence, or a hash/],
    ['generated hash off s.code', /uuid, a sequence, or a hash/],
  ])('How: %j is refused, not taken for something else', (text, why) =>
    expect(writeCell(document, 'a', 'how', text)).toMatch(why),
  );
  it.each<[Cell, string, RegExp]>([
    ['state', 'finished', /A line is .*“finished” is none of these/],
    ['state', '', /none of these/],
    ['onFail', 'ignore', /When a line fails/],
  ])('%s: %j is refused', (cell, text, why) => expect(writeCell(document, 'a', cell, text)).toMatch(why));
  it('a line that somebody else took out is told', () =>
    expect(writeCell(document, 'gone', 'note', 'x')).toBe('There is no line “gone” any more.'));
  it.each<[Cell, string, Record<string, unknown>]>([
    ['state', 'AGR', { state: 'agreed' }],
    ['state', 'que', { state: 'question' }],
    ['onFail', 'def', { onFail: 'default' }],
    ['note', ' why ', { note: 'why', state: 'agreed' }],
    ['condition', 's.code IS NOT NULL', { condition: 's.code IS NOT NULL', state: 'drafted' }],
    ['source', 's.other', { kind: 'straight', source: 's.other', state: 'drafted' }],
  ])('%s: %j', (cell, text, expected) => expect(line(written(cell, text), 'a')).toMatchObject(expected));
  it('an empty label gives the name back', () => {
    expect(cellText(written('target', '').target.fields[0], line(document, 'a'), 'target')).toBe('code');
    expect(written('target', 'Station code').target.fields[0]!.label).toBe('Station code');
  });

  it('what a cell says, written into it again, changes nothing, whatever the document', () =>
    fc.assert(
      fc.property(documents, (made) => {
        for (const l of made.lines)
          for (const cell of CELLS) {
            const field = made.target.fields.find((f) => f.name === l.target);
            expect(writeCell(made, l.id, cell, cellText(field, l, cell))).toBe(made);
          }
      }),
    ));
  it('what is written into a cell is what it then says, or a sentence says why not', () =>
    fc.assert(
      fc.property(
        fc.constantFrom(...CELLS.filter((c) => c !== 'state' && c !== 'onFail')),
        fc.oneof(
          fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }),
          fc.constantFrom(
            'constant  x',
            'lookup  days',
            'generated hash of a,b',
            'not loaded',
            'straight',
            '=1+1',
            "''",
          ),
        ),
        (cell, text) => {
          const result = writeCell(document, 'b', cell, text);
          if (typeof result === 'string') return expect(result).not.toBe('');
          const field = result.target.fields.find((f) => f.name === 'town');
          const said = cellText(field, line(result, 'b'), cell);
          const plain = (t: string): string =>
            t
              .trim()
              .replace(/\s*,\s*/g, ',')
              .replace(/\s+/g, ' ')
              .toLowerCase();
          // An empty cell of the target shows its name.
          return expect(plain(said)).toBe(text.trim() === '' && cell === 'target' ? 'town' : plain(text));
        },
      ),
    ));
});

describe('fields', () => {
  it('that are added get a line to map, at the end', () => {
    const added = addField(document, 'lat', 'numeric(8,5)');
    expect(added.target.fields.at(-1)).toEqual({ name: 'lat', type: 'numeric(8,5)', nullable: true, required: false });
    expect(added.lines.at(-1)).toMatchObject({ target: 'lat', state: 'to map' });
    expect(new Set(added.lines.map((l) => l.id)).size).toBe(4);
  });
  it('that are renamed stay in the key, in unique sets and on their line', () => {
    const renamed = changeField(document, 'code', { name: 'station_code' });
    expect(renamed.target.key).toEqual(['station_code']);
    expect(renamed.target.unique).toEqual([['station_code', 'town'], ['opened']]);
    expect(line(renamed, 'a').target).toBe('station_code');
    // It is the same line of the same content: who agreed to it agreed to this.
    expect(line(renamed, 'a').state).toBe('agreed');
  });
  it('that are renamed are renamed in all that names them', () => {
    const named = parseDocument({
      ...document,
      lines: [
        { id: 'a', target: 'code', kind: 'rule', rule: 'upper(s.code)', check: 'length(code) = 4', state: 'drafted' },
      ],
      checks: [{ id: 'k', rule: 'code <> town OR "code" = \'code\'', message: 'odd' }],
      dictionary: [
        { dataset: 'files/stations.csv', name: 'code' },
        { dataset: document.target.dataset, name: 'code' },
      ],
      examples: [{ id: 'e', source: { code: 'x' }, expect: { outcome: 'written', values: { code: 'X', town: null } } }],
    });
    const renamed = changeField(named, 'code', { name: 'Station code' });
    expect(line(renamed, 'a')).toMatchObject({ rule: 'upper(s.code)', check: 'length("Station code") = 4' });
    expect(renamed.checks[0]!.rule).toBe(`"Station code" <> town OR "Station code" = 'code'`);
    expect(renamed.dictionary.map((t) => t.name)).toEqual(['code', 'Station code']);
    expect(renamed.examples![0]).toMatchObject({
      source: { code: 'x' },
      expect: { values: { 'Station code': 'X', town: null } },
    });
  });
  it('are named and typed in their own cells, and in the target’s where they have no label', () => {
    const bare = parseDocument({
      ...document,
      target: {
        ...document.target,
        key: [],
        unique: [],
        fields: [
          { name: 'field_1', type: 'text' },
          { name: 'town', label: 'Town', type: 'text' },
        ],
      },
      lines: [
        { id: 'a', target: 'field_1', state: 'to map' },
        { id: 'b', target: 'town', state: 'to map' },
      ],
    });
    const write = (id: string, cell: Cell, text: string): unknown => {
      const written = writeCell(bare, id, cell, text);
      return typeof written === 'string' ? written : written.target.fields[id === 'a' ? 0 : 1];
    };
    expect(write('a', 'target', 'flight_date date')).toMatchObject({ name: 'flight_date', type: 'date' });
    expect(write('a', 'target', 'price numeric(10,2)')).toMatchObject({ name: 'price', type: 'numeric(10,2)' });
    expect(write('a', 'target', 'flight_date')).toMatchObject({ name: 'flight_date', type: 'text' });
    expect(write('a', 'target', 'flight of fancy')).toMatchObject({ name: 'field_1', label: 'flight of fancy' });
    expect(write('a', 'target', 'Flight date')).toMatchObject({ name: 'field_1', label: 'Flight date' });
    expect(write('b', 'target', 'city')).toMatchObject({ name: 'town', label: 'city' });
    expect(write('a', 'name', 'Flight date')).toMatchObject({ name: 'Flight date' });
    expect(write('a', 'name', 'town')).toBe('There is a field “town” already; a target has each name once.');
    expect(write('a', 'target', 'town')).toBe('There is a field “town” already; a target has each name once.');
    expect(write('a', 'type', 'dtae')).toMatch('“dtae” is no type of a field.');
    expect(write('a', 'type', 'varchar(12)')).toMatchObject({ type: 'varchar(12)' });
  });
  it('move with their lines, and not beyond the first and last', () => {
    const names = (d: MappingDocument): string[][] => [
      d.target.fields.map((f) => f.name),
      d.lines.map((l) => l.target),
    ];
    const [first, second] = document.target.fields.map((f) => f.name);
    const moved = moveField(document, second!, -1);
    expect(names(moved).map((n) => n.slice(0, 2))).toEqual([
      [second, first],
      [second, first],
    ]);
    expect(moveField(document, first!, -1)).toBe(document);
    expect(moveField(document, 'nothing', 1)).toBe(document);
  });
  it('that are removed leave nothing that names them', () => {
    const removed = removeField(document, 'code');
    expect([removed.target.key, removed.target.unique]).toEqual([[], [['opened']]]);
    expect(removed.lines.map((l) => l.id)).toEqual(['b', 'c']);
    expect(document.target.fields).toHaveLength(3);
  });
  it('come into the key and out of it, in the order in which they came', () => {
    const both = setKey(setKey(document, 'town', true), 'town', true);
    expect(both.target.key).toEqual(['code', 'town']);
    expect(setKey(both, 'code', false).target.key).toEqual(['town']);
    expect(setKey(document, 'opened', false)).toEqual(document);
  });
  it('have one line each in their order, and asking again changes nothing', () =>
    fc.assert(
      fc.property(documents, (made) => {
        const all = withAllLines(made);
        expect(withAllLines(all)).toBe(all);
        const named = new Set(made.target.fields.map((f) => f.name));
        for (const field of named) expect(all.lines.some((l) => l.target === field)).toBe(true);
        expect(new Set(all.lines.map((l) => l.id)).size).toBe(all.lines.length);
        // Nothing that was there is gone or another.
        for (const l of made.lines) expect(all.lines).toContain(l);
        expect(all.lines.length - made.lines.length).toBeLessThanOrEqual(named.size);
      }),
    ));
});

describe('texts in rules', () => {
  it('are counted and replaced wherever a line says something, and agreed lines that change are drafts again', () => {
    expect(countInRules(document, 's.town')).toEqual({ places: 2, lines: 1 });
    const replaced = replaceInRules(document, 's.town', '$&');
    expect(line(replaced, 'b')).toMatchObject({ rule: 'upper($&)', check: "value <> '$&'", state: 'drafted' });
    expect(line(replaced, 'a')).toBe(line(document, 'a'));
    expect(replaceInRules(document, '', 'x')).toBe(document);
    expect(countInRules(document, '')).toEqual({ places: 0, lines: 0 });
  });
  it('and back again is as it was, but for the agreement', () =>
    fc.assert(
      fc.property(fc.constantFrom('s.code', 's.town', 'upper', '('), (text) => {
        const mark = '\u{1f6b2}';
        const { places } = countInRules(document, text);
        const there = replaceInRules(document, text, mark);
        expect(countInRules(there, mark).places).toBe(places);
        const back = replaceInRules(there, mark, text);
        const without = (d: MappingDocument): string =>
          canonicalText({ ...d, lines: d.lines.map((l) => ({ ...l, state: 'drafted' })) });
        expect(without(back)).toBe(without(document));
      }),
    ));
});

describe('the clipboard', () => {
  const cell = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 6 }),
    fc.constantFrom('', '"', '""', '"a" = 1', 'a\tb', 'a\nb', 'a\r\nb', '"a"\tb', 'x"y', ' '),
  );
  it('gives back the cells that were copied', () =>
    fc.assert(
      fc.property(
        fc
          .integer({ min: 1, max: 4 })
          .chain((width) =>
            fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 5 }),
          ),
        (rows) => {
          // One empty cell alone is an empty clipboard, which pastes nothing; the last line break is a row's end, not a row.
          fc.pre(rows.at(-1)!.length > 1 || rows.at(-1)![0] !== '');
          expect(clipboardRows(clipboardText(rows))).toEqual(rows);
        },
      ),
    ));
  it.each([
    [
      'a\tb\r\nc\td\r\n',
      [
        ['a', 'b'],
        ['c', 'd'],
      ],
    ],
    ['one', [['one']]],
    ['"two\nlines"\tx', [['two\nlines', 'x']]],
    ['"Quoted name" = 1', [['"Quoted name" = 1']]],
    ['a\rb', [['a'], ['b']]],
    ['\t\t', [['', '', '']]],
    ['', []],
  ])('reads %j', (text, rows) => expect(clipboardRows(text)).toEqual(rows));
});

it('a line that is changed into what it is stays agreed', () => {
  expect(line(changeLine(document, 'b', { rule: 'upper(s.town)' }), 'b').state).toBe('agreed');
  expect(line(changeLine(document, 'b', { note: 'x', lineage: 'y' }), 'b').state).toBe('agreed');
  expect(line(changeLine(document, 'b', { rule: 'lower(s.town)' }), 'b').state).toBe('drafted');
  expect(line(changeLine(document, 'b', { rule: 'lower(s.town)', state: 'agreed' }), 'b').state).toBe('agreed');
});
