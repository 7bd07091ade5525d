import { canonicalText, type Line, type MappingDocument } from './document.ts';

export interface LineDifference {
  readonly line: string;
  readonly target: string;
  readonly change: 'added' | 'removed' | 'changed';
  readonly parts: readonly { readonly part: string; readonly before: string; readonly after: string }[];
}
export interface DocumentDifference {
  readonly lines: readonly LineDifference[];
  /** Parts of the document outside its lines that differ, in words. */
  readonly other: readonly string[];
}

const PARTS: readonly (keyof Line)[] = [
  'target',
  'kind',
  'source',
  'value',
  'rule',
  'codeTable',
  'generate',
  'of',
  'condition',
  'default',
  'defaultWhen',
  'onFail',
  'check',
  'checkMessage',
  'note',
  'lineage',
  'state',
];
const shown = (value: unknown): string =>
  value === undefined || value === null
    ? ''
    : typeof value === 'object'
      ? JSON.stringify(value)
      : String(value as string);

/** What differs between two states of a document: line by line, and the rest by its parts. */
export function documentDifference(before: MappingDocument, after: MappingDocument): DocumentDifference {
  const old = new Map(before.lines.map((l) => [l.id, l]));
  const now = new Map(after.lines.map((l) => [l.id, l]));
  const lines: LineDifference[] = [];
  for (const line of after.lines) {
    const was = old.get(line.id);
    const parts = PARTS.filter((p) => shown(was?.[p]) !== shown(line[p])).map((part) => ({
      part,
      before: shown(was?.[part]),
      after: shown(line[part]),
    }));
    if (!was) lines.push({ line: line.id, target: line.target, change: 'added', parts });
    else if (parts.length > 0) lines.push({ line: line.id, target: line.target, change: 'changed', parts });
  }
  for (const line of before.lines)
    if (!now.has(line.id))
      lines.push({
        line: line.id,
        target: line.target,
        change: 'removed',
        parts: PARTS.filter((p) => shown(line[p]) !== '').map((part) => ({
          part,
          before: shown(line[part]),
          after: '',
        })),
      });
  const a = JSON.parse(canonicalText(before)) as Record<string, unknown>;
  const b = JSON.parse(canonicalText(after)) as Record<string, unknown>;
  const NAMES: Record<string, string> = {
    name: 'name',
    purpose: 'purpose',
    source: 'source set',
    target: 'target',
    checks: 'checks',
    skips: 'skip conditions',
    codeTables: 'code tables',
    write: 'write settings',
    questions: 'questions',
    dictionary: 'dictionary',
  };
  const other = Object.entries(NAMES)
    .filter(([key]) => JSON.stringify(a[key]) !== JSON.stringify(b[key]))
    .map(([, words]) => words);
  if (lines.length === 0 && before.lines.map((l) => l.id).join() !== after.lines.map((l) => l.id).join())
    other.push('order of the lines');
  return { lines, other };
}
