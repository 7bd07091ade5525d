import { marksOf, type FileFormat } from '@versicle/core';

const DELIMITERS: Record<string, string> = { ',': 'commas', ';': 'semicolons', '\t': 'tabs', '|': 'vertical bars' };
const ENCODINGS: Record<string, string> = {
  'utf-8': 'UTF-8',
  'windows-1252': 'Windows-1252',
  'utf-16le': 'UTF-16',
  'utf-16be': 'UTF-16',
};

function marksWords(format: FileFormat): { label: string; value: string }[] {
  const marks = marksOf(format);
  return marks
    ? [
        { label: 'Decimal sign', value: marks.decimal === ',' ? 'comma' : 'point' },
        { label: 'Dates', value: marks.dates ?? 'ISO 8601' },
      ]
    : [];
}

const UNKNOWN = {
  taken: 'are told, and get a field',
  ignored: 'are left out',
  refused: 'make their record fail',
};

/** How a file is read, as a short table for people. */
export function describeFormat(format: FileFormat): { label: string; value: string }[] {
  const { unknown = 'told' } = format;
  return [
    ...readAs(format),
    ...(unknown === 'told' ? [] : [{ label: 'Values without a field', value: UNKNOWN[unknown] }]),
    ...('withoutShort' in format && format.withoutShort
      ? [{ label: 'Rows that are too short', value: 'are left out' }]
      : []),
    ...('withoutBeginning' in format && format.withoutBeginning
      ? [{ label: 'Rows are left out that begin with', value: format.withoutBeginning }]
      : []),
  ];
}
function readAs(format: FileFormat): { label: string; value: string }[] {
  if (format.kind === 'xlsx')
    return [
      { label: 'Format', value: 'workbook' },
      { label: 'Sheet', value: format.sheet },
      { label: 'Cells', value: format.range ?? 'all of the sheet' },
      { label: 'Rows above', value: format.skipLines === 0 ? 'none' : String(format.skipLines) },
      { label: 'Header', value: format.header ? 'the first row of the table' : 'none' },
      { label: 'Read as', value: 'text stays text; formulas give their stored values' },
    ];
  const encoding = { label: 'Encoding', value: ENCODINGS[format.encoding] ?? format.encoding };
  const text = { label: 'Read as', value: 'text first; a mapping decides on types' };
  switch (format.kind) {
    case 'jsonl':
      return [{ label: 'Format', value: 'JSON Lines' }, encoding, text];
    case 'json':
      return [
        { label: 'Format', value: 'JSON' },
        encoding,
        { label: 'Records at', value: format.records || 'the top' },
        text,
      ];
    case 'xml':
      return [{ label: 'Format', value: 'XML' }, encoding, { label: 'Records at', value: format.records }, text];
    case 'fixed':
      return [
        { label: 'Format', value: `fixed width, ${format.columns.length} columns` },
        encoding,
        ...(format.counts === 'bytes' ? [{ label: 'Places count', value: 'bytes' }] : []),
        { label: 'Empty cell', value: format.emptyIsNull ? 'is null' : 'is an empty text' },
        ...marksWords(format),
        text,
      ];
    case 'delimited':
      return [
        { label: 'Format', value: `text delimited by ${DELIMITERS[format.delimiter] ?? format.delimiter}` },
        encoding,
        { label: 'Quotes', value: format.quote === '' ? 'none' : format.quote },
        { label: 'Header', value: format.header ? 'the first row' : 'none' },
        { label: 'Empty cell', value: format.emptyIsNull ? 'is null' : 'is an empty text' },
        ...marksWords(format),
        text,
      ];
  }
}
