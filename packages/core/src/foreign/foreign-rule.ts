import { parseRule } from '../rules/parse.ts';
import { fieldText, textLiteral } from '../rules/print.ts';
import { walk } from '../rules/syntax.ts';
import type { Code, Line } from '../document/document.ts';

/** What is known where a rule in somebody's own words is read. */
export interface RuleGround {
  readonly alias: string;
  /** The source field that the line names, as it is called in the source; null where it names none. */
  readonly source: string | null;
  /** All fields of the source; empty where they are not known. */
  readonly fields: readonly string[];
  readonly codeTables: readonly string[];
}
export interface Understood {
  readonly line: Partial<Line>;
  /** A code list that stands in the rule itself. */
  readonly codes?: readonly Code[];
}

const STRAIGHT =
  /^(straight|as is|as-is|1:1|1 to 1|one to one|direct|direct move|copy|move|same|unchanged|take over|direkt|übernehmen|unverändert|kopieren|=)\.?$/i;
const NOTHING =
  /^(n\/?a|not loaded|do not load|not used|ignore|leave empty|empty|blank|nicht befüllen|nicht geladen|leer|entfällt|leave blank)\.?$/i;
const CONSTANT =
  /^(?:(?:constant|const|fixed(?: value)?|always|set to|hard-?coded|konstante?|fest(?:wert)?|immer)\s*[:=]?\s*)(.+)$/is;
const LOOKUP =
  /^(?:lookup|look up|translate|translation|via|map via|code table|code list|umschlüsseln|codeliste|see code list|see codes?)\s*(?:by|via|in|with|über|mit)?\s*[:=]?\s*[“"']?([\p{L}\p{N}_ -]+?)[”"']?\.?$/iu;
const IF = /^(?:if|wenn|falls)\s+(.+?)[,\s]+(?:then|dann)\s+(.+?)(?:[,;\s]+(?:else|otherwise|sonst)\s+(.+?))?\.?$/is;

/** Reads a rule text where it can be understood for certain; null otherwise. */
export function understandRule(text: string, ground: RuleGround): Understood | null {
  const rule = text.trim();
  if (rule === '' || STRAIGHT.test(rule)) {
    if (ground.source === null) return null;
    return { line: { kind: 'straight', source: fieldText(ground.alias, ground.source) } };
  }
  if (NOTHING.test(rule)) return { line: { kind: 'not loaded' } };
  if (/^(generated?|uuid|guid|generate (?:a )?(?:uuid|key))\.?$/i.test(rule))
    return { line: { kind: 'generated', generate: 'uuid' } };
  if (/^(sequence|running number|next number|laufende nummer)\.?$/i.test(rule))
    return { line: { kind: 'generated', generate: 'sequence' } };
  return (
    constant(rule) ??
    inlineCodes(rule, ground) ??
    lookup(rule, ground) ??
    ifThen(rule, ground) ??
    expression(rule, ground)
  );
}

function constant(rule: string): Understood | null {
  const quotedAlone = /^(?:'([^']*)'|"([^"]*)"|“([^”]*)”)$/.exec(rule);
  if (quotedAlone) return { line: { kind: 'constant', value: quotedAlone.slice(1).find((v) => v !== undefined)! } };
  const found = CONSTANT.exec(rule)?.[1]?.trim().replace(/\.$/, '');
  if (found === undefined) return null;
  const value = /^(['"“])(.*)['"”]$/s.exec(found)?.[2] ?? found;
  // A sentence is no value.
  return /\s/.test(value) && value === found && value.split(/\s+/).length > 3
    ? null
    : { line: { kind: 'constant', value } };
}
function lookup(rule: string, { alias, source, codeTables }: RuleGround): Understood | null {
  const wanted = LOOKUP.exec(rule)?.[1]?.trim();
  if (wanted === undefined || source === null) return null;
  const same = codeTables.find((t) => plain(t) === plain(wanted));
  const codeTable = same ?? codeTables.find((t) => plain(t) === plain(wanted.replace(/^(code )?(list|table)\s+/i, '')));
  return codeTable === undefined ? null : { line: { kind: 'lookup', source: fieldText(alias, source), codeTable } };
}
/** `A = MONTHLY; B = YEARLY`, one below the other or with signs between. */
function inlineCodes(rule: string, { alias, source }: RuleGround): Understood | null {
  const parts = rule
    .split(/[;\n]+|,\s*(?=[^,;=]+(?:=|->|→))/)
    .map((p) => p.trim())
    .filter((p) => p !== '');
  if (parts.length < 2 || source === null) return null;
  const codes: Code[] = [];
  for (const part of parts) {
    const pair = /^['"]?([^=→'"]{1,30}?)['"]?\s*(?:=>|->|=|→)\s*['"]?([^=→'"]{1,60}?)['"]?$/.exec(part);
    if (!pair || codes.some((c) => c.from === pair[1])) return null;
    codes.push({ from: pair[1]!, to: pair[2]! });
  }
  return { line: { kind: 'lookup', source: fieldText(alias, source) }, codes };
}

function ifThen(rule: string, ground: RuleGround): Understood | null {
  const found = IF.exec(rule);
  if (!found) return null;
  const [, when, then, otherwise] = found;
  const condition = inSql(conditionWords(when!), ground);
  const [yes, no] = [value(then!, ground), otherwise === undefined ? '' : value(otherwise, ground)];
  if (condition === null || yes === null || no === null) return null;
  return { line: { kind: 'rule', rule: `CASE WHEN ${condition} THEN ${yes}${no === '' ? '' : ` ELSE ${no}`} END` } };
}
/** Words of conditions as SQL has them; what stands in quotes is left alone. */
function conditionWords(text: string): string {
  return text
    .split(/('[^']*'|"[^"]*")/)
    .map((part, i) =>
      i % 2 === 1
        ? part
        : part
            .replace(/\band also\b|\band\b|\bund\b|&&/gi, 'AND')
            .replace(/\bor\b|\boder\b/gi, 'OR')
            .replace(/\bnot\b|\bnicht\b/gi, 'NOT')
            .replace(/==/g, '=')
            .replace(/!=/g, '<>')
            .replace(/\bis NOT (empty|blank|null|leer)\b/gi, 'IS NOT NULL')
            .replace(/\bis (empty|blank|null|leer)\b|\bist leer\b/gi, 'IS NULL'),
    )
    .join('');
}
/** What an outcome says: a quoted text, a number, a field, or one bare word in capitals. */
function value(text: string, ground: RuleGround): string | null {
  const bare = text
    .trim()
    .replace(/\.$/, '')
    .replace(/^set (?:it )?to /i, '');
  const quotes = /^(?:'([^']*)'|"([^"]*)"|“([^”]*)”)$/.exec(bare);
  if (quotes) return textLiteral(quotes.slice(1).find((v) => v !== undefined)!);
  if (/^-?\d+(\.\d+)?$/.test(bare)) return bare;
  if (/^(null|empty|blank|leer)$/i.test(bare)) return 'NULL';
  const field = fieldNamed(bare, ground);
  if (field) return fieldText(ground.alias, field);
  if (ground.source !== null && /^(as is|the value|source|source value|itself)$/i.test(bare))
    return fieldText(ground.alias, ground.source);
  return /^[A-Z0-9_]{1,20}$/.test(bare) ? textLiteral(bare) : null;
}

/** SQL as it stands, when it parses and every field of it is one of the source's. */
function expression(rule: string, ground: RuleGround): Understood | null {
  if (!/[()'|:]|::|\bcase\b/i.test(rule) && !/^[\w.]+\s*[-+*/]\s*[\w.]+$/.test(rule)) return null;
  const sql = inSql(rule, ground);
  return sql === null ? null : { line: { kind: 'rule', rule: sql } };
}
function inSql(text: string, ground: RuleGround): string | null {
  const places: { at: number; end: number; by: string }[] = [];
  let known = true;
  try {
    const sql = text
      .replace(/[‘’]/g, "'")
      .replace(/"([^"]*)"/g, (whole, name: string) => (fieldNamed(name, ground) ? whole : textLiteral(name)));
    walk(parseRule(sql), (node) => {
      if (node.kind !== 'field') return true;
      const field = fieldNamed(node.name, ground);
      if (field === null) known = false;
      else places.push({ at: node.at, end: node.end, by: fieldText(ground.alias, field) });
      return true;
    });
    if (!known) return null;
    return places.sort((a, b) => b.at - a.at).reduce((t, p) => t.slice(0, p.at) + p.by + t.slice(p.end), sql);
  } catch {
    return null;
  }
}
function fieldNamed(name: string, { fields, source }: RuleGround): string | null {
  const all = fields.length > 0 ? fields : source === null ? [] : [source];
  return all.find((f) => f === name) ?? all.find((f) => plain(f) === plain(name)) ?? null;
}
const plain = (text: string): string => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
