import { parseFieldType, type ValueType } from '../fields/types.ts';
import { Unreadable, type Marks, type RawRow } from '../formats/format.ts';
import { readRowsAs, type ReadsAs } from '../profile/reading.ts';
import { RuleError } from '../rules/errors.ts';
import { parseRule } from '../rules/parse.ts';
import { fieldText, textLiteral } from '../rules/print.ts';
import { walk } from '../rules/syntax.ts';
import type { Line, MappingDocument, TargetField } from '../document/document.ts';
import { NameMatcher } from './name-match.ts';
import { usedFields } from '../compile/source.ts';

/** What could fill a line that is still to map, with the reason. Taken, it is a draft. */
export interface Suggestion {
  readonly line: string;
  readonly target: string;
  readonly kind: 'straight' | 'rule' | 'lookup' | 'constant';
  readonly source?: string;
  readonly rule?: string;
  readonly codeTable?: string;
  readonly value?: string;
  readonly condition?: string;
  readonly default?: string;
  readonly defaultWhen?: 'condition' | 'null';
  /** From 0 to 1. */
  readonly confidence: number;
  readonly reason: string;
}
export interface SuggestSource {
  readonly name: string;
  readonly label?: string | null;
  readonly description?: string | null;
}
export interface SuggestFrom {
  readonly fields: readonly SuggestSource[];
  /** Some records, as text in the order of the fields. */
  readonly rows: readonly RawRow[];
  /** How the dataset writes numbers and dates; `declared` says whether a line may take them as they are. */
  readonly marks: Marks | null;
  readonly declared: boolean;
  /** Other mappings' documents, from which is learned how the same field was filled. */
  readonly others: readonly MappingDocument[];
  /** Words of one meaning beside the built-in ones. */
  readonly synonyms?: readonly (readonly string[])[];
  /** Some records that are in the target already, where it can be read. */
  readonly target?: { readonly fields: readonly string[]; readonly rows: readonly RawRow[] } | null;
}

/** Below this nothing is suggested: a wrong proposal costs more than none. */
const LEAST = 0.55;

/** Suggestions for the lines to map, the surest first. At most one for each line, and none that needs a field twice. */
export function suggestLines(document: MappingDocument, from: SuggestFrom): Suggestion[] {
  const { alias } = document.source.primary;
  const open = document.lines.filter((l) => l.kind === undefined);
  const byName = new Map(document.target.fields.map((f) => [f.name, f]));
  const matcher = new NameMatcher(from.synonyms);
  const readings = readRowsAs(
    from.fields.map((f) => f.name),
    from.rows,
    from.marks,
  ).fields;
  const used = new Set(document.lines.flatMap(usedFields));
  const values = new ValueMatcher(document, from, matcher);
  const found: { suggestion: Suggestion; uses: string | null }[] = [];
  for (const line of open) {
    const field = byName.get(line.target);
    if (!field) continue;
    const learned = learnedFor(document, line, field, from);
    if (learned) {
      found.push({ suggestion: learned, uses: null });
      continue;
    }
    for (const [i, source] of from.fields.entries()) {
      const named = nameScore(matcher, field, source);
      const codes = values.codesOf(field, i);
      const there = values.inTarget(field, i);
      const fit = codes ? { weight: 1, words: '' } : typeFit(field, readings[i]!.readsAs);
      // Names and values that say the same are surer than either.
      const score = Math.max(named.score, codes?.score ?? 0, there?.score ?? 0);
      const agreeing = named.score >= 0.5 && (codes ?? there) !== null ? 0.08 : 0;
      const confidence = Math.min(0.99, score * fit.weight + agreeing - (used.has(source.name) ? 0.1 : 0));
      if (confidence < LEAST) continue;
      const by = named.score >= 0.4 ? named.by : '';
      const reason = [by, codes?.by, there?.by, fit.words].filter(Boolean).join('; ');
      found.push({
        suggestion: {
          line: line.id,
          target: line.target,
          ...(codes
            ? { kind: 'lookup' as const, source: fieldText(alias, source.name), codeTable: codes.table }
            : expressionFor(field, fieldText(alias, source.name), readings[i]!, from)),
          confidence,
          reason,
        },
        uses: source.name,
      });
    }
  }
  found.sort((a, b) => b.suggestion.confidence - a.suggestion.confidence);
  const lines = new Set<string>();
  const sources = new Set<string>();
  return found.flatMap(({ suggestion, uses }) => {
    if (lines.has(suggestion.line) || (uses !== null && sources.has(uses))) return [];
    lines.add(suggestion.line);
    if (uses !== null) sources.add(uses);
    return [suggestion];
  });
}

function nameScore(matcher: NameMatcher, field: TargetField, source: SuggestSource): { score: number; by: string } {
  const theirs = [source.name, source.label ?? ''].filter((n) => n !== '');
  const ours = [field.name, field.label ?? ''].filter((n) => n !== '');
  let best = { score: 0, by: '' };
  for (const a of ours)
    for (const b of theirs) {
      const score = matcher.alike(a, b);
      if (score > best.score)
        best = { score, by: score === 1 ? `the name is the same (${b})` : `“${b}” is named like “${a}”` };
    }
  const described = source.description ? matcher.alike(field.label ?? field.name, source.description) : 0;
  return described > best.score ? { score: described, by: `its description is “${source.description}”` } : best;
}

/** Fewer different values than this fall together by chance. */
const ENOUGH = 3;
interface ValueMatch {
  readonly score: number;
  readonly by: string;
}
/** What the values themselves say: codes of a code table, or values that are in the target already. */
class ValueMatcher {
  private readonly own: readonly ReadonlySet<string>[];
  private readonly there = new Map<string, ReadonlySet<string>>();
  private readonly tables: readonly { readonly name: string; readonly from: ReadonlySet<string> }[];

  constructor(
    document: MappingDocument,
    from: SuggestFrom,
    private readonly matcher: NameMatcher,
  ) {
    this.own = from.fields.map((_, i) => valuesAt(from.rows, i));
    for (const [i, name] of (from.target?.fields ?? []).entries()) this.there.set(name, valuesAt(from.target!.rows, i));
    this.tables = Object.entries(document.codeTables).map(([name, codes]) => ({
      name,
      from: new Set(codes.map((c) => c.from)),
    }));
  }

  /** The code table that a field's values are codes of, if it is the target field's own or is named like it. */
  codesOf(field: TargetField, at: number): (ValueMatch & { readonly table: string }) | null {
    const own = this.own[at]!;
    if (own.size < 2) return null;
    for (const { name, from } of this.tables) {
      const meant = field.codeTable === name || this.matcher.alike(name, field.name) >= 0.6;
      const share = shareIn(own, from);
      if (meant && share >= 0.8)
        return { table: name, score: 0.6 + 0.3 * share, by: `its values are codes of the code table ${name}` };
    }
    return null;
  }
  inTarget(field: TargetField, at: number): ValueMatch | null {
    // Single letters and digits are the same everywhere.
    const own = new Set([...this.own[at]!].filter((v) => v.length > 1));
    const there = this.there.get(field.name);
    if (!there || own.size < ENOUGH || there.size < ENOUGH) return null;
    const share = shareIn(own, there);
    if (share < 0.5) return null;
    const found = Math.round(share * own.size);
    return { score: 0.45 + 0.45 * share, by: `${found} of ${own.size} of its values are in the target already` };
  }
}
function valuesAt(rows: readonly RawRow[], at: number): ReadonlySet<string> {
  const values = new Set<string>();
  for (const row of rows) if (!(row instanceof Unreadable) && row[at]) values.add(row[at]);
  return values;
}
function shareIn(some: ReadonlySet<string>, all: ReadonlySet<string>): number {
  let found = 0;
  for (const value of some) if (all.has(value)) found++;
  return found / some.size;
}

const NUMBERS = new Set<ValueType>(['int2', 'int4', 'int8', 'numeric', 'float8']);
function valueTypeOf(field: TargetField): ValueType {
  try {
    return parseFieldType(field.type).value;
  } catch {
    return 'text';
  }
}
/** Values that read as something else speak against a field, values of its very kind for it. */
function typeFit(field: TargetField, reads: ReadsAs): { weight: number; words: string } {
  const type = valueTypeOf(field);
  const isDate = type === 'date' || type === 'timestamp' || type === 'timestamptz';
  const isNumber = NUMBERS.has(type);
  const dates = reads === 'date' || reads === 'timestamp';
  const numbers = reads === 'number' || reads === 'whole number';
  if (isDate) return dates ? { weight: 1.05, words: 'its values are dates' } : { weight: 0.6, words: '' };
  if (isNumber) return numbers ? { weight: 1.05, words: 'its values are numbers' } : { weight: 0.75, words: '' };
  if (type === 'bool')
    return reads === 'boolean' ? { weight: 1.05, words: 'its values are yes and no' } : { weight: 0.7, words: '' };
  return dates || reads === 'boolean' ? { weight: 0.9, words: '' } : { weight: 1, words: '' };
}

/** Taken as it is, or read strictly where the text is not as PostgreSQL writes it. */
function expressionFor(
  field: TargetField,
  source: string,
  reading: { readonly readsAs: ReadsAs; readonly pattern: string | null; readonly decimal: '.' | ',' },
  { declared }: SuggestFrom,
): Pick<Suggestion, 'kind' | 'source' | 'rule'> {
  const type = valueTypeOf(field);
  const straight = { kind: 'straight' as const, source };
  const rule = (made: string): Pick<Suggestion, 'kind' | 'rule'> => ({ kind: 'rule', rule: made });
  if (declared) return straight;
  const isDate = type === 'date' || type === 'timestamp';
  if (isDate && reading.pattern !== null && reading.pattern !== 'YYYY-MM-DD')
    return rule(`parse_date(${source}, ${textLiteral(reading.pattern)})`);
  if (NUMBERS.has(type) && reading.readsAs === 'number' && reading.decimal === ',') {
    const number = `parse_number(${source}, ',', '.')`;
    return rule(type === 'numeric' ? number : `${number}::${field.type}`);
  }
  return straight;
}

/** The same target field in another mapping: what filled it there, where this source has the fields that it used. */
function learnedFor(document: MappingDocument, line: Line, field: TargetField, from: SuggestFrom): Suggestion | null {
  const known = new Set(from.fields.map((f) => f.name));
  for (const other of from.others) {
    if (other.target.dataset !== document.target.dataset) continue;
    const theirs = other.lines.find((l) => l.target === field.name);
    if (!theirs || !['straight', 'rule', 'lookup', 'constant'].includes(theirs.kind ?? '')) continue;
    if (!usedFields(theirs).every((name) => known.has(name))) continue;
    if (theirs.kind === 'lookup' && !Object.hasOwn(document.codeTables, theirs.codeTable ?? '')) continue;
    const renamed = (expression: string | undefined): string | undefined | null =>
      expression && withAlias(expression, other.source.primary.alias, document.source.primary.alias);
    const source = renamed(theirs.source);
    const rule = renamed(theirs.rule);
    const condition = renamed(theirs.condition ?? undefined);
    const fallback = renamed(theirs.default ?? undefined);
    if (source === null || rule === null || condition === null || fallback === null) continue;
    const agreed = theirs.state === 'agreed';
    return {
      line: line.id,
      target: line.target,
      kind: theirs.kind as Suggestion['kind'],
      ...(source === undefined ? {} : { source }),
      ...(rule === undefined ? {} : { rule }),
      ...(theirs.codeTable === undefined ? {} : { codeTable: theirs.codeTable }),
      ...(theirs.value === undefined || theirs.value === null ? {} : { value: String(theirs.value) }),
      ...(condition === undefined ? {} : { condition }),
      ...(fallback === undefined ? {} : { default: fallback }),
      ...(theirs.defaultWhen === undefined ? {} : { defaultWhen: theirs.defaultWhen }),
      confidence: agreed ? 0.97 : 0.9,
      reason: `filled so in “${other.name}”${agreed ? ', where it is agreed' : ''}`,
    };
  }
  return null;
}

/**
 * A rule of another source, whose fields are now called by another alias; all else stays as it was written. Null where
 * nothing is to be learned: the other mapping is somebody's work in progress, whose rule need not parse, or the rule asks
 * another source that is joined there.
 */
function withAlias(expression: string, from: string, to: string): string | null {
  const places: number[] = [];
  let joined = false;
  try {
    walk(parseRule(expression), (node) => {
      if (node.kind !== 'field' || node.alias === null) return;
      if (node.alias === from) places.push(node.at);
      else joined = true;
    });
  } catch (error) {
    if (error instanceof RuleError) return null;
    throw error;
  }
  if (joined) return null;
  return places
    .sort((a, b) => b - a)
    .reduce((rule, at) => rule.slice(0, at) + to + rule.slice(at + from.length), expression);
}

/** A suggestion as the line that it makes: a draft, whoever takes it. */
export function suggestedLine(s: Suggestion): Partial<Line> {
  return {
    kind: s.kind,
    source: s.source,
    rule: s.rule,
    codeTable: s.codeTable,
    value: s.value,
    condition: s.condition,
    default: s.default,
    defaultWhen: s.defaultWhen,
    state: 'drafted',
  } as Partial<Line>;
}
