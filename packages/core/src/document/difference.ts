import { documentParts, wholeOf } from './document-parts.ts';
import { canonicalText, type Line, type MappingDocument } from './document.ts';

export interface LineDifference {
  readonly line: string;
  readonly target: string;
  readonly change: 'added' | 'removed' | 'changed';
  readonly parts: readonly PartDifference[];
}
/** A part, and what it says in words; empty where it was not there, or is not any more. */
export interface PartDifference {
  readonly part: string;
  readonly before: string;
  readonly after: string;
}
export interface DocumentDifference {
  readonly lines: readonly LineDifference[];
  /** Parts of the document beside its lines that differ. */
  readonly other: readonly PartDifference[];
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

/** What differs between the lines of two states of a document. */
export function lineDifferences(before: MappingDocument, after: MappingDocument): LineDifference[] {
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
  return lines;
}

/** What differs between two states of a document: line by line, and the rest by its parts. */
export function documentDifference(before: MappingDocument, after: MappingDocument): DocumentDifference {
  const lines = lineDifferences(before, after);
  const [old, now] = [documentParts(before), documentParts(after)];
  const other = [...inOrder(old, now)].flatMap((part): PartDifference[] => {
    const texts = { before: old.get(part) ?? '', after: now.get(part) ?? '' };
    const whole = wholeOf(part);
    const told = whole !== null && old.has(whole) !== now.has(whole);
    return told || texts.before === texts.after ? [] : [{ part, ...texts }];
  });
  // What has no words of its own is a difference all the same, such as another order of lines or codes.
  if (lines.length === 0 && other.length === 0 && canonicalText(before) !== canonicalText(after))
    other.push({ part: 'order and form', before: '', after: '' });
  return { lines, other };
}

/** The parts of both states, each near those that it stood with. */
function inOrder(old: ReadonlyMap<string, string>, now: ReadonlyMap<string, string>): Set<string> {
  const parts = new Set<string>();
  const before = [...old.keys()];
  let at = 0;
  for (const part of now.keys()) {
    if (old.has(part)) for (; at < before.length && before[at] !== part; at++) parts.add(before[at]!);
    parts.add(part);
  }
  for (; at < before.length; at++) parts.add(before[at]!);
  return parts;
}
