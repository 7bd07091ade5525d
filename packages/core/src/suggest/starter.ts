import { NameMatcher } from './name-match.ts';
import { parseDocument, type Line, type MappingDocument } from '../document/document.ts';
import { withFields } from '../rules/with-fields.ts';

/** What stands for source and target in a starter. */
export const STARTER_SOURCE = 'starter/source';
export const STARTER_TARGET = 'starter/target';

/** A document without what belongs to one project: its datasets, questions, examples and signatures. */
export function asStarter(document: MappingDocument, name: string): MappingDocument {
  const { alias } = document.source.primary;
  return parseDocument({
    versicle: 1,
    name,
    ...(document.purpose === undefined ? {} : { purpose: document.purpose }),
    source: {
      primary: { alias, dataset: STARTER_SOURCE },
      ...(document.source.filter ? { filter: document.source.filter } : {}),
    },
    target: { ...document.target, dataset: STARTER_TARGET },
    lines: document.lines.map((line) => ({ ...line, state: line.kind === undefined ? 'to map' : 'drafted' })),
    checks: document.checks,
    skips: document.skips,
    codeTables: document.codeTables,
    ...(document.codeDefaults ? { codeDefaults: document.codeDefaults } : {}),
    write: document.write,
  });
}

export interface StarterGround {
  readonly name: string;
  readonly source: { readonly dataset: string; readonly fields: readonly string[] };
  /** `fields`: null where the target is not there yet, and the starter's own fields are taken. */
  readonly target: {
    readonly dataset: string;
    readonly fields:
      | readonly { readonly name: string; readonly type: string; readonly nullable: boolean; readonly key: boolean }[]
      | null;
  };
  readonly synonyms?: readonly (readonly string[])[];
}
const ALIKE = 0.7;

/** Begins a document with a starter: source and target fields are matched by their names; what does not fit is to map. */
export function useStarter(
  starter: MappingDocument,
  { name, source, target, synonyms }: StarterGround,
): MappingDocument {
  const matcher = new NameMatcher(synonyms ?? []);
  const best = <T>(wanted: string, from: readonly T[], nameOf: (item: T) => string): T | null => {
    let found: T | null = null;
    let score = ALIKE;
    for (const item of from) {
      const alike = matcher.alike(wanted, nameOf(item));
      if (alike > score || (alike === score && found === null)) [found, score] = [item, alike];
    }
    return found;
  };
  const { alias } = starter.source.primary;
  const rename = (text: string): string | null =>
    withFields(text, alias, (field) => best(field, source.fields, (n) => n));
  const all = (text: string | null | undefined): string | null | undefined => (text ? rename(text) : text);

  const fields = target.fields
    ? target.fields.map((f) => {
        const known = best(f.name, starter.target.fields, (k) => k.name);
        return {
          name: f.name,
          type: f.type,
          nullable: f.nullable,
          required: !f.nullable,
          ...(known?.label ? { label: known.label } : {}),
          ...(known?.section ? { section: known.section } : {}),
        };
      })
    : starter.target.fields;
  const targetName = (field: string): string | null => best(field, fields, (f) => f.name)?.name ?? null;
  const lines = fields.map((field, i): Line => {
    const id = `l${String(i + 1).padStart(2, '0')}`;
    const known = best(field.name, starter.target.fields, (k) => k.name);
    const line = known && starter.lines.find((l) => l.target === known.name);
    if (!line || line.kind === undefined) return { id, target: field.name, state: 'to map' };
    const moved = movedLine(line, all, targetName);
    if (moved) return { ...moved, id, target: field.name, state: 'drafted' };
    const was = line.kind === 'rule' ? line.rule : (line.source ?? String(line.value ?? ''));
    const note = [line.note, `The starter fills it by: ${was}`].filter(Boolean).join(' ');
    return { id, target: field.name, state: 'to map', note };
  });
  const keep = <T>(items: readonly T[], change: (item: T) => T | null): T[] =>
    items.flatMap((item) => change(item) ?? []);
  const filter = all(starter.source.filter);
  const keys = target.fields ? target.fields.filter((f) => f.key).map((f) => f.name) : starter.target.key;
  const key = keys.length > 0 ? keys : starter.target.key.flatMap((k) => targetName(k) ?? []);
  return parseDocument({
    versicle: 1,
    name,
    ...(starter.purpose === undefined ? {} : { purpose: starter.purpose }),
    source: { primary: { alias, dataset: source.dataset }, ...(filter ? { filter } : {}) },
    target: { dataset: target.dataset, key, fields },
    lines,
    checks: keep(starter.checks, (c) => {
      const rule = withFields(c.rule, null, targetName);
      return rule === null ? null : { ...c, rule };
    }),
    skips: keep(starter.skips, (s) => {
      const when = s.at === 'mapped' ? withFields(s.when, null, targetName) : rename(s.when);
      return when === null ? null : { ...s, when };
    }),
    codeTables: starter.codeTables,
    ...(starter.codeDefaults ? { codeDefaults: starter.codeDefaults } : {}),
    write: key.length === 0 && starter.write.mode !== 'replace' ? { mode: 'insert' } : starter.write,
  });
}

/** The line in the names of the new datasets; null when one of them has no counterpart. */
function movedLine(
  line: Line,
  source: (text: string | null | undefined) => string | null | undefined,
  target: (name: string) => string | null,
): Line | null {
  const moved: Record<string, unknown> = { ...line };
  for (const part of ['source', 'rule', 'condition', 'default'] as const) {
    const text = line[part];
    if (!text) continue;
    const changed = source(text);
    if (changed === null) return null;
    moved[part] = changed;
  }
  if (line.of) {
    const of = line.of.map((name) => source(name));
    if (of.includes(null)) return null;
    moved['of'] = of;
  }
  if (line.check) {
    const check = withFields(line.check, null, target);
    if (check === null) {
      delete moved['check'];
      delete moved['checkMessage'];
    } else moved['check'] = check;
  }
  return moved as unknown as Line;
}
