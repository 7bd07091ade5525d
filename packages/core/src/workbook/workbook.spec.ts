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
