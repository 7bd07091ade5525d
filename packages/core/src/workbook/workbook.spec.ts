import * as fc from 'fast-check';
import {
  canonicalText,
  documentOfWorkbook,
  parseDocument,
  readWorkbook,
  workbookOf,
  type MappingDocument,
  type ReadSheet,
  type WorkbookSays,
} from '../index.ts';
import { documents } from '../testing/document-generator.ts';

const sheetsOf = (document: MappingDocument): Map<string, ReadSheet> =>
  new Map(workbookOf(document).map((s) => [s.name, [s.header, ...s.rows]]));
const again = (document: MappingDocument): MappingDocument => documentOfWorkbook(sheetsOf(document));

describe('the document as a workbook', () => {
  it('comes back as it was, to the letter', () => {
    fc.assert(
      fc.property(documents, (document) => {
        expect(canonicalText(again(document))).toBe(canonicalText(document));
      }),
      { numRuns: 300 },
    );
  });

  const small = parseDocument({
    versicle: 1,
    name: 'Members',
    source: { primary: { alias: 'm', dataset: 'files/members.csv' } },
    target: {
      dataset: 'store/member',
      key: ['no'],
      fields: [
        { name: 'no', type: 'varchar(6)', required: true },
        { name: 'born', label: 'Date of birth', type: 'date' },
      ],
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 'm.no', state: 'agreed' },
      { id: 'l2', target: 'born', kind: 'rule', rule: "parse_date(m.born, 'DD.MM.YYYY')", state: 'drafted' },
    ],
  });
  const changed = (change: (rows: (string | null)[][]) => (string | null)[][]): MappingDocument => {
    const sheets = sheetsOf(small);
    sheets.set('Mapping', change(sheets.get('Mapping')!.map((r) => [...r])));
    return documentOfWorkbook(sheets);
  };
  const column = (rows: (string | null)[][], name: string): number => rows[0]!.indexOf(name);

  it('is read also when columns were moved or added, and rows sorted otherwise', () => {
    const moved = changed((rows) => rows.map((r) => ['mine', ...[...r].reverse()]));
    expect(moved).toEqual(small);
    expect(changed(([head, ...rows]) => [head!, ...rows.reverse()])).toEqual(small);
  });
  it('takes rows that people added, as lines when they say how', () => {
    const added = changed((rows) => {
      const row = rows[0]!.map((): string | null => null);
      row[column(rows, 'Target name')] = 'town';
      row[column(rows, 'Type')] = 'text';
      row[column(rows, 'Source field')] = 'm.town';
      return [...rows, row];
    });
    expect(added.target.fields.map((f) => f.name)).toEqual(['no', 'born', 'town']);
    expect(added.lines[2]).toMatchObject({ target: 'town', kind: 'straight', source: 'm.town' });
  });
  it('takes a word however it is capitalised; for one that it does not know, what stood there before', () => {
    const says = (edit: (rows: (string | null)[][]) => void): WorkbookSays => {
      const sheets = sheetsOf(small);
      const rows = sheets.get('Mapping')!.map((r) => [...r]);
      edit(rows);
      return readWorkbook(sheets.set('Mapping', rows));
    };
    const loose = says((rows) => {
      rows[2]![column(rows, 'State')] = ' Agreed';
      rows[2]![column(rows, 'Required')] = 'x';
    });
    expect(loose.mistaken).toEqual([]);
    expect(loose.document.lines[1]!.state).toBe('agreed');
    expect(loose.document.target.fields[1]!.required).toBe(true);

    const mistaken = says((rows) => {
      rows[1]![column(rows, 'State')] = 'approved';
      rows[1]![column(rows, 'Key')] = 'maybe';
      rows[2]![column(rows, 'State')] = 'approved';
      rows[2]![column(rows, 'Note')] = 'and this counts';
      rows.splice(1, 2, rows[2]!, rows[1]!);
    });
    expect(mistaken.document.lines.map((l) => [l.id, l.state, l.note])).toEqual([
      ['l1', 'agreed', undefined],
      ['l2', 'drafted', 'and this counts'],
    ]);
    expect(mistaken.document.target.key).toEqual(['no']);
    expect(mistaken.mistaken.map((m) => [m.sheet, m.row, m.column, m.value])).toEqual([
      ['Mapping', 2, 'State', 'approved'],
      ['Mapping', 3, 'Key', 'maybe'],
      ['Mapping', 3, 'State', 'approved'],
    ]);
    expect(mistaken.mistaken[1]!.choices).toEqual(['yes', 'no']);
  });
  it('shows which fields a rule reads, and how a value is made in words', () => {
    const rows = sheetsOf(small)
      .get('Mapping')!
      .map((r) => [...r]);
    const cell = (row: number, name: string): string | null => rows[row]![column(rows, name)]!;
    expect([cell(1, 'Source fields'), cell(1, 'How')]).toEqual(['m.no', 'as it is']);
    expect([cell(2, 'Source fields'), cell(2, 'How')]).toEqual(['m.born', 'date written DD.MM.YYYY']);
    expect(cell(2, 'Source field')).toBeNull();
  });
  describe('columns that follow from others', () => {
    const says = (edit: (set: (row: number, name: string, text: string | null) => void) => void): WorkbookSays => {
      const sheets = sheetsOf(small);
      const rows = sheets.get('Mapping')!.map((r) => [...r]);
      edit((row, name, text) => (rows[row]![column(rows, name)] = text));
      return readWorkbook(sheets.set('Mapping', rows));
    };
    it('give a straight line its source field, and tell where a rule says it', () => {
      const { document, mistaken } = says((set) => {
        set(1, 'Source fields', 'm.number');
        set(2, 'Source fields', 'm.birthday');
      });
      expect(document.lines.map((l) => l.source)).toEqual(['m.number', undefined]);
      expect(mistaken.map((m) => [m.row, m.column, m.says])).toEqual([
        [3, 'Source fields', expect.stringMatching(/^The fields follow from how the line is filled/)],
      ]);
    });
    it('say that emptying a source field there takes nothing away', () => {
      const { document, mistaken } = says((set) => set(1, 'Source fields', null));
      expect(document.lines[0]!.source).toBe('m.no');
      expect(mistaken.map((m) => m.column)).toEqual(['Source fields']);
    });
    it('and grey entries of the title page are told, wherever they went', () => {
      const sheets = sheetsOf(small);
      const overview = sheets.get('Overview')!.map((r) => [...r]);
      const at = overview.findIndex(([entry]) => entry === 'Lines');
      overview[at]![1] = 'all agreed';
      overview.push(['Approver', 'somebody']);
      const { document, mistaken } = readWorkbook(
        sheets.set(
          'Overview',
          overview.reverse().sort((a) => (a[0] === 'Entry' ? -1 : 0)),
        ),
      );
      expect(document).toEqual(small);
      expect(mistaken.map((m) => [m.sheet, m.column, m.value])).toEqual([['Overview', 'Lines', 'all agreed']]);
    });
    it('keep what people write about how as a note, and a question as a question', () => {
      const { document, mistaken } = says((set) => {
        set(1, 'How', 'without the letter in front');
        set(2, 'Question', 'And those of 1900?');
      });
      expect(mistaken).toEqual([]);
      expect(document.lines[0]!.note).toBe('How, in the workbook: without the letter in front');
      expect(document.questions).toEqual([{ id: 'q01', line: 'l2', text: 'And those of 1900?' }]);
      expect(document.lines[1]!.state).toBe('question');
    });
    it('reword an open question; say that taking it out is no answer', () => {
      const asked = { ...small, questions: [{ id: 'q01', line: 'l2', text: 'Which century?', to: 'Oda Fenn' }] };
      const read = (text: string | null): WorkbookSays => {
        const sheets = sheetsOf(asked);
        const rows = sheets.get('Mapping')!.map((r) => [...r]);
        rows[2]![column(rows, 'Question')] = text;
        return readWorkbook(sheets.set('Mapping', rows));
      };
      expect(read('Which year?').document.questions).toEqual([
        { id: 'q01', line: 'l2', text: 'Which year?', to: 'Oda Fenn' },
      ]);
      const emptied = read(null);
      expect(emptied.document.questions).toEqual(asked.questions);
      expect(emptied.mistaken[0]!.says).toMatch(/answer, on the sheet Questions/);
    });
    it('are not taken for changes where another version worded them otherwise, or where they are not there', () => {
      const sheets = sheetsOf(small);
      const rows = sheets.get('Mapping')!.map((r) => [...r]);
      const [how, fields] = [column(rows, 'How'), column(rows, 'Source fields')];
      sheets.set(
        'Mapping',
        rows.map((r) => r.filter((_, i) => i !== how && i !== fields)),
      );
      expect(readWorkbook(sheets)).toMatchObject({ document: small, mistaken: [] });
      // What it said goes out with it.
      const base = sheets.get('As exported')!.map((r) => [...r]);
      base[1]![1] = base[1]![1]!.replace('date written DD.MM.YYYY', 'a date');
      for (const r of rows) if (r[how] === 'date written DD.MM.YYYY') r[how] = 'a date';
      sheets.set('Mapping', rows).set('As exported', base);
      expect(readWorkbook(sheets)).toMatchObject({ document: small, mistaken: [] });
    });
    it('make a line to map a line when its source field or rule is filled in', () => {
      const open = {
        ...small,
        lines: small.lines.map((l) => ({ id: l.id, target: l.target, state: 'to map' as const })),
      };
      const sheets = sheetsOf(open);
      const rows = sheets.get('Mapping')!.map((r) => [...r]);
      rows[1]![column(rows, 'Source fields')] = 'm.no';
      rows[2]![column(rows, 'Rule')] = 'm.born::date';
      const { document, mistaken } = readWorkbook(sheets.set('Mapping', rows));
      expect(mistaken).toEqual([]);
      expect(document.lines).toEqual([
        { id: 'l1', target: 'no', kind: 'straight', source: 'm.no', state: 'drafted' },
        { id: 'l2', target: 'born', kind: 'rule', rule: 'm.born::date', state: 'drafted' },
      ]);
      expect(readWorkbook(sheetsOf(open)).document).toEqual(open);
    });
    it('are short, however long the rest is', () => {
      const long = {
        ...small.lines[1]!,
        condition: `m.born <> '${'x'.repeat(30_000)}'`,
        default: `'${'y'.repeat(20_000)}'`,
      };
      const sheets = sheetsOf({ ...small, lines: [small.lines[0]!, long] });
      const rows = sheets.get('Mapping')!;
      const how =
        rows[2]![
          column(
            rows.map((r) => [...r]),
            'How',
          )
        ]!;
      expect(how.length).toBeLessThan(5000);
      expect(readWorkbook(sheets).document.lines[1]).toEqual(long);
    });
    it('make an added row a line to map, with its words', () => {
      const { document } = says((set) => {
        set(2, 'Line', null);
        set(2, 'Rule', null);
        set(2, 'Kind', null);
        set(2, 'Source fields', null);
        set(2, 'State', null);
        set(2, 'How', 'from the register');
      });
      expect(document.lines[1]).toMatchObject({
        target: 'born',
        state: 'to map',
        note: 'How, in the workbook: from the register',
      });
      expect(document.lines[1]!.kind).toBeUndefined();
    });
  });
  it('opens on a page that says what it is, what is open and what changed', () => {
    const [overview] = workbookOf(
      { ...small, questions: [{ id: 'q1', line: 'l2', text: 'Which century?', to: 'Oda Fenn' }] },
      {
        id: 'members',
        revision: 2,
        revisions: [{ number: 2, publishedAt: '2026-11-20T08:00:00Z', publishedBy: 'Ines Marlowe', note: 'Agreed' }],
        changed: {
          lines: [
            { line: 'l2', target: 'born', change: 'changed', parts: [{ part: 'rule', before: '', after: 'm.born' }] },
          ],
          other: [],
        },
        agreedBy: ['Oda Fenn'],
        systems: new Map([['files', 'Files of the club']]),
      },
    );
    const text = overview!.rows.map(([entry, value]) => `${entry}: ${value ?? ''}`);
    expect(text).toEqual(
      expect.arrayContaining([
        'Name: Members',
        'Revision: Draft after revision 2',
        'Last published: On 2026-11-20 by Ines Marlowe: Agreed',
        'Lines: 2 lines: 0 to map, 0 with a question, 1 drafted, 1 agreed',
        'Agreed to by: Oda Fenn',
        'What is read: The records of members.csv of Files of the club (m).',
        'What is written: Records of store/member with 2 fields, told apart by no; every record is new.',
        'Open questions: 1: ',
        'Line 2, Date of birth: For Oda Fenn: Which century?',
        'Changed since revision 2: ',
        'Line 2, Date of birth: rule: nothing → “m.born”',
      ]),
    );
    expect(overview!.page).toHaveLength(overview!.rows.length);
    expect(text.slice(overview!.page!.indexOf('kept'))).toEqual(expect.arrayContaining(['Mapping: members']));
  });
  it('says which sheet and row can’t be understood', () => {
    expect(() => documentOfWorkbook(new Map([['Sheet1', []]]))).toThrow(/no sheet “Overview”/);
    expect(() =>
      changed((rows) => {
        rows[1]![column(rows, 'Target name')] = null;
        return rows;
      }),
    ).toThrow(/Mapping, row 2: The row names no target field/);
    expect(() =>
      changed((rows) => {
        rows[2]![column(rows, 'State')] = 'perhaps';
        return rows;
      }),
    ).toThrow(/Mapping, row 3, State: “perhaps” is none of the words .*: to map, question, drafted, agreed/);
  });
});
