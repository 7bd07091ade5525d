import type { MappingDocument } from '../document/document.ts';
import type { KeptShown } from './derived-columns.ts';
import { DERIVED, MAPPING_CHOICES, MAPPING_HEADER, mappingSheet } from './mapping-sheet.ts';
import { overviewSheet, type WorkbookFacts } from './overview.ts';
import { sheetOf, type Row, type WorkbookSheet } from './workbook-sheet.ts';

/** How a skip of the finished record is called in the workbook. */
export const SKIP_MAPPED = 'skip when mapped';
/** Columns whose cells take one of a few words, by sheet. */
export const CHOICES: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>> = {
  Mapping: MAPPING_CHOICES,
  'Checks and skips': { What: ['check', 'skip', SKIP_MAPPED], 'When it fails': ['reject', 'remark', 'stop'] },
  Dictionary: { What: ['term', 'structure'] },
  Examples: { Outcome: ['written', 'filtered', 'skipped', 'failed'] },
};

/** Headings whose columns are read back, by sheet; a workbook without one of them would lose what stood there. */
export const READ_BACK: Readonly<Record<string, readonly string[]>> = {
  Overview: ['Entry', 'Value'],
  Mapping: MAPPING_HEADER.filter((h) => !(DERIVED as readonly string[]).includes(h)),
  'Checks and skips': ['What', 'Id', 'Rule', 'Says', 'When it fails'],
  'Code tables': ['Table', 'From', 'To', 'Meaning'],
  Questions: ['Id', 'Line', 'Question', 'To', 'By', 'Asked at', 'Answer', 'Answered by', 'Answered at'],
};

/** The document as a workbook's sheets; `workbook-reader.ts` is the way back. */
export function workbookOf(document: MappingDocument, facts: WorkbookFacts = {}): WorkbookSheet[] {
  const mapping = mappingSheet(document);
  const overview = overviewSheet(document, facts);
  return [
    overview,
    mapping,
    checksSheet(document),
    codesSheet(document),
    questionsSheet(document),
    dictionarySheet(document),
    examplesSheet(document),
    revisionsSheet(facts),
    baseSheet(document, mapping, overview),
  ];
}

function checksSheet(document: MappingDocument): WorkbookSheet {
  const rows: Row[] = [
    ...document.skips.map((s) => ({
      What: s.at === 'mapped' ? SKIP_MAPPED : 'skip',
      Id: s.id,
      Rule: s.when,
      Says: s.reason,
      'When it fails': null,
    })),
    ...document.checks.map((c) => ({
      What: 'check',
      Id: c.id,
      Rule: c.rule,
      Says: c.message,
      'When it fails': c.onFail,
    })),
  ];
  return sheetOf('Checks and skips', ['What', 'Id', 'Rule', 'Says', 'When it fails'], rows, {
    choices: CHOICES['Checks and skips']!,
    widths: { Rule: 60, Says: 48 },
  });
}
function codesSheet(document: MappingDocument): WorkbookSheet {
  const rows = Object.entries(document.codeTables).flatMap(([table, codes]) =>
    codes.map((c): Row => ({
      Table: table,
      From: c.from,
      To: c.to,
      Meaning: c.meaning,
      'Valid from': c.validFrom,
      'Valid to': c.validTo,
    })),
  );
  const header = ['Table', 'From', 'To', 'Meaning', 'Valid from', 'Valid to'];
  return sheetOf('Code tables', header, rows, { widths: { Meaning: 48 } });
}
function questionsSheet(document: MappingDocument): WorkbookSheet {
  const header = ['Id', 'Line', 'Question', 'To', 'By', 'Asked at', 'Answer', 'Answered by', 'Answered at'];
  const rows = document.questions.map((q): Row => ({
    Id: q.id,
    Line: q.line ?? null,
    Question: q.text,
    To: q.to,
    By: q.by,
    'Asked at': q.askedAt,
    Answer: q.answer,
    'Answered by': q.answeredBy,
    'Answered at': q.answeredAt,
  }));
  return sheetOf('Questions', header, rows, { widths: { Question: 60, Answer: 60 } });
}
/** The dictionary, and the structures of the source as they were known. */
function dictionarySheet(document: MappingDocument): WorkbookSheet {
  const structures = Object.entries(document.source.structures).flatMap(([dataset, fields]) =>
    fields.length === 0
      ? [{ What: 'structure', Dataset: dataset }]
      : fields.map((f): Row => ({
          What: 'structure',
          Dataset: dataset,
          Name: f.name,
          Type: f.type,
          Description: f.description,
        })),
  );
  const terms = document.dictionary.map((t): Row => ({
    What: 'term',
    Dataset: t.dataset,
    Name: t.name,
    Type: t.type,
    Description: t.description,
  }));
  return sheetOf('Dictionary', ['What', 'Dataset', 'Name', 'Type', 'Description'], [...structures, ...terms], {
    choices: CHOICES['Dictionary']!,
    widths: { Description: 60, Dataset: 30 },
  });
}
function examplesSheet(document: MappingDocument): WorkbookSheet {
  const rows = (document.examples ?? []).map((e): Row => ({
    Id: e.id,
    'Example of': e.note,
    Record: JSON.stringify(e.source),
    File: e.file,
    Outcome: e.expect.outcome,
    Values: JSON.stringify(e.expect.values),
    Causes: JSON.stringify(e.expect.causes),
  }));
  return sheetOf('Examples', ['Id', 'Example of', 'Record', 'File', 'Outcome', 'Values', 'Causes'], rows, {
    choices: CHOICES['Examples']!,
    widths: { 'Example of': 36, Record: 60, Values: 60 },
  });
}
function revisionsSheet({ revisions = [] }: WorkbookFacts): WorkbookSheet {
  const rows = revisions.map((r): Row => ({
    Revision: String(r.number),
    Published: r.publishedAt,
    By: r.publishedBy,
    Note: r.note,
  }));
  return sheetOf('Revisions', ['Revision', 'Published', 'By', 'Note'], rows, { widths: { Published: 26, Note: 60 } });
}

/** The sheet that holds the document as it went out. */
export const BASE_SHEET = 'As exported';
const PIECE = 20_000;
/**
 * The document as it went out, so that what was changed in the workbook can be told from what changed meanwhile; and what
 * cells said that follow from others, which another version may word otherwise.
 */
function baseSheet(document: MappingDocument, mapping: WorkbookSheet, overview: WorkbookSheet): WorkbookSheet {
  const columns = ['Line', ...DERIVED].map((h) => mapping.header.indexOf(h));
  const shown: KeptShown = {
    lines: mapping.rows.map((row) => columns.map((at) => row[at]!)),
    overview: overview.rows.filter((_, i) => overview.page![i] === 'derived'),
  };
  const [documents, said] = [pieces(document), pieces(shown)];
  const rows = Array.from({ length: Math.max(documents.length, said.length) }, (_, i) => [
    documents[i] ?? null,
    said[i] ?? null,
  ]);
  return { name: BASE_SHEET, header: ['Document', 'Shown'], rows, hidden: true };
}
/** In ASCII, so that a piece may end anywhere. */
function pieces(value: unknown): string[] {
  const text = JSON.stringify(value).replace(
    /[^\x20-\x7e]/g,
    (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
  return Array.from({ length: Math.ceil(text.length / PIECE) }, (_, i) => text.slice(i * PIECE, (i + 1) * PIECE));
}
