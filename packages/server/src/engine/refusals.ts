import type { Failure, MappingDocument, Rejection } from '@versicle/core';

const CAUSES: Readonly<Record<string, Failure['cause']>> = {
  '23503': 'reference_missing',
  '22001': 'too_long',
};
/** Nobody refused it: it was not sent, or what became of it is not known. It says so itself, and is no matter of a line. */
const NOT_DELIVERED = 'delivery_failed';
const UNIQUE = '23505';
/** An update found nothing to change. */
const NOT_THERE = 'not_there';

/** The target's refusal as a failure, filed under the line of the field that it is about. */
export function failureOf(rejection: Rejection, document: MappingDocument, replayedDuplicate: boolean): Failure {
  const { key } = document.target;
  if (rejection.code === NOT_DELIVERED)
    return { line: null, target: null, cause: 'delivery_failed', message: rejection.message, values: {} };
  if (rejection.code === NOT_THERE) {
    const line = document.lines.find((l) => l.target === key[0])?.id ?? null;
    const target = key.join(', ') || null;
    return { line, target, cause: 'target_rejected', message: `The target refused: ${rejection.message}`, values: {} };
  }
  const named = columnsOf(rejection, document);
  const isKey = rejection.code === UNIQUE;
  // A unique constraint without a name of its own is most likely the key.
  const about = isKey && named.length === 0 ? key : named.length === 1 || isKey ? named : [];
  const target = about.length === 0 ? null : about.join(', ');
  const line = document.lines.find((l) => l.target === about[0])?.id ?? null;
  if (isKey && replayedDuplicate)
    return {
      line,
      target,
      cause: 'duplicate_key',
      message: `${target} is in the target already, from the record that came first.`,
      values: {},
    };
  return {
    line,
    target,
    cause: CAUSES[rejection.code] ?? 'target_rejected',
    message: `The target refused: ${rejection.message}`,
    values: {},
  };
}

/** The fields that a refusal speaks of: those that the target says, or that its sentence or the constraint's name have. */
function columnsOf({ columns, message, constraint }: Rejection, document: MappingDocument): readonly string[] {
  const known = document.target.fields.map((f) => f.name);
  const said = columns.filter((c) => known.includes(c));
  if (said.length > 0) return said;
  const longest = [...known].sort((a, b) => b.length - a.length);
  const found =
    longest.find((name) => isNamed(message, name, '\\p{L}\\p{N}_')) ??
    longest.find((name) => constraint !== null && isNamed(constraint, name, '\\p{L}\\p{N}'));
  return found === undefined ? [] : [found];
}

/** Whether a text has the name as a word; `within` are the characters of words. */
function isNamed(text: string, name: string, within: string): boolean {
  const escaped = name.replace(/[\\^$.*+?()[\]{}|/-]/g, (c) => `\\u{${c.charCodeAt(0).toString(16)}}`);
  return new RegExp(`(?<![${within}])${escaped}(?![${within}])`, 'u').test(text);
}
