import type { LineChange } from '@versicle/contract';
import {
  cellText,
  CELLS,
  typeName,
  parseFieldType,
  sourceOfLine,
  type Cell,
  type Line,
  type MappingDocument,
  type Problem,
  type TargetField,
} from '@versicle/core';
import type { TrialAnswer } from './trial-messages';

/** A line as the sheet shows it. */
export interface SheetRow {
  readonly id: string;
  readonly number: number;
  readonly line: Line;
  readonly section: string;
  /** Source fields or the expression, as shown. */
  readonly source: string;
  readonly value: string;
  readonly kind: string;
  readonly how: string;
  readonly target: string;
  readonly targetName: string;
  readonly type: string;
  readonly key: boolean;
  readonly required: boolean;
  readonly result: string | null;
  /** What is wrong with the line itself, or with the sample record on it. */
  readonly problem: string | null;
  readonly broken: boolean;
  readonly failures: number;
  /** Whether a sample record went through the line; a result of null is one then. */
  readonly tried: boolean;
  readonly changed: boolean;
  /** A question on it is open. */
  readonly asked: boolean;
  readonly cells: Readonly<Record<Cell, string>>;
}

export function rowsOf(
  document: MappingDocument,
  trial: TrialAnswer | null,
  failures: readonly { line: string; open: number }[],
  changed: readonly LineChange['line'][],
): SheetRow[] {
  const fields = new Map(document.target.fields.map((f) => [f.name, f]));
  const open = new Map(failures.map((f) => [f.line, f.open]));
  const problems = new Map<string, Problem>();
  for (const p of trial?.problems ?? [])
    if (p.line && p.severity === 'error' && !problems.has(p.line)) problems.set(p.line, p);
  const asked = new Set(document.questions.flatMap((q) => (q.answer === undefined && q.line ? [q.line] : [])));
  const changes = new Set(changed);
  return document.lines.map((line, i): SheetRow => {
    const field = fields.get(line.target);
    const result = trial?.record?.lines[line.id];
    const problem = problems.get(line.id)?.message ?? result?.failure?.message ?? null;
    return {
      ...writtenRow(line, field),
      number: i + 1,
      value: line.kind === 'generated' || line.kind === 'constant' ? '' : (result?.source ?? ''),
      key: document.target.key.includes(line.target),
      result: result?.result ?? null,
      tried: result !== undefined,
      problem,
      broken: problems.has(line.id),
      failures: open.get(line.id) ?? 0,
      changed: changes.has(line.id),
      asked: asked.has(line.id),
    };
  });
}

type WrittenRow = Pick<
  SheetRow,
  'id' | 'line' | 'section' | 'source' | 'kind' | 'how' | 'target' | 'targetName' | 'type' | 'required' | 'cells'
>;
/** What of a row hangs on nothing but its line and field: kept as long as both are the same, for sheets of many lines. */
const writtenRows = new WeakMap<Line, { readonly field: TargetField | undefined; readonly row: WrittenRow }>();
function writtenRow(line: Line, field: TargetField | undefined): WrittenRow {
  const known = writtenRows.get(line);
  if (known?.field === field && known) return known.row;
  const row: WrittenRow = {
    id: line.id,
    line,
    section: field?.section ?? '',
    source: sourceOfLine(line),
    kind: line.kind ?? 'to map',
    how: howWords(line),
    target: field?.label ?? line.target,
    targetName: line.target,
    type: shortType(field?.type ?? ''),
    required: field !== undefined && (field.required || !field.nullable),
    cells: Object.fromEntries(CELLS.map((cell) => [cell, cellText(field, line, cell)])) as Record<Cell, string>,
  };
  writtenRows.set(line, { field, row });
  return row;
}

function shortType(type: string): string {
  try {
    const parsed = parseFieldType(type);
    return parsed.sql.includes('(')
      ? parsed.sql.replace('character varying', 'varchar')
      : typeName(parsed.value) === parsed.sql
        ? parsed.sql
        : type;
  } catch {
    return type;
  }
}

function howWords(line: Line): string {
  switch (line.kind) {
    case 'rule':
      return line.rule ?? '';
    case 'constant':
      return String(line.value ?? '');
    case 'lookup':
      return line.codeTable ?? '';
    case 'generated':
      return line.generate ?? 'uuid';
    default:
      return '';
  }
}
