import type { MappingDocument } from './document.ts';
import { joinText } from './join-text.ts';

/** The part that a piece belongs to: where that comes or goes as a whole, its pieces need not be told. */
export function wholeOf(part: string): string | null {
  const found = /^(example [A-Za-z0-9_-]+), /.exec(part);
  return found ? found[1]! : null;
}

/** What a document says beside its lines, piece by piece: what the piece is, and its text. Of a document, the names are unique. */
export function documentParts(document: MappingDocument): Map<string, string> {
  const parts = new Map<string, string>();
  const put = (part: string, ...texts: (string | number | null | undefined)[]): void => {
    const text = texts.filter((t) => t !== undefined && t !== null && t !== '').join(' · ');
    let name = part;
    for (let n = 2; parts.has(name); n++) name = `${part} (${n})`;
    if (text !== '') parts.set(name, text);
  };
  const { source, target } = document;
  put('name', document.name);
  put('purpose', document.purpose);
  put('first dataset', `${source.primary.dataset} as ${source.primary.alias}`);
  for (const join of source.joins) put(`join ${join.alias}`, joinText(join));
  for (const { dataset, columns } of source.unions) put(`below: ${dataset}`, 'all its records', pairs(columns));
  put('filter', source.filter);
  put('one record for each', source.distinctOn.join(', '));
  put('grouped by', source.groupBy.join(', '));
  put('sorted by', source.orderBy.join(', '));
  for (const [dataset, fields] of Object.entries(source.structures))
    put(
      `fields of ${dataset}`,
      fields.map((f) => [f.name, f.type, f.description].filter(Boolean).join(' ')).join(', '),
    );
  put('target', target.dataset);
  put('key', target.key.join(', '));
  for (const set of target.unique) put('unique together', set.join(', '));
  for (const f of target.fields)
    put(
      `field ${f.name}`,
      f.type,
      f.label,
      f.required ? 'required' : '',
      f.nullable ? '' : 'not null',
      f.codeTable && `codes of ${f.codeTable}`,
      f.section && `under ${f.section}`,
      f.description,
    );
  for (const { id, rule, message, onFail } of document.checks) put(`check ${id}`, rule, message, onFail);
  for (const { id, when, reason, at } of document.skips)
    put(`skip ${id}`, when, reason, at && 'of the finished record');
  for (const [table, codes] of Object.entries(document.codeTables))
    for (const { from, to, meaning, validFrom, validTo } of codes)
      put(`${table}: ${from}`, valueText(to), meaning, validFrom && `from ${validFrom}`, validTo && `until ${validTo}`);
  for (const [table, to] of Object.entries(document.codeDefaults ?? {})) put(`${table}: all others`, to);
  put('written as', document.write.mode);
  put('records that exist', document.write.existing);
  for (const q of document.questions)
    put(
      `question ${q.id}`,
      q.line && `line ${q.line}`,
      q.text,
      q.to && `to ${q.to}`,
      q.by && `by ${q.by}`,
      q.askedAt,
      q.answer && `answer: ${q.answer}`,
      q.answeredBy,
      q.answeredAt,
    );
  for (const { dataset, name, type, description } of document.dictionary)
    put(`definition of ${dataset} ${name}`, type, description);
  for (const { id, note, source: values, file, expect } of document.examples ?? []) {
    put(`example ${id}`, note, file, expect.outcome);
    const pieces = Object.entries({ '': values, 'expects ': expect.values, 'fails in ': expect.causes });
    for (const [how, of] of pieces)
      for (const [name, value] of Object.entries(of)) put(`example ${id}, ${how}${name}`, valueText(value));
  }
  return parts;
}
const valueText = (value: string | null): string => (value === null ? 'null' : value === '' ? '(empty)' : value);
const pairs = (values: Readonly<Record<string, string | null>>): string =>
  Object.entries(values)
    .map(([name, value]) => `${name} = ${valueText(value)}`)
    .join(', ');
