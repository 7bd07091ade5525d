import { type LearnedText, requireFewFields } from '../formats/nested/learn.ts';
import { ownName } from '../formats/nested/nested.ts';
import type { NestedStructure } from '../formats/nested/settings.ts';
import type { Structure } from './structure.ts';

/**
 * A format with what a description tells of its records, behind what is known of them: so that what has not occurred yet is
 * read once it does. `fields`: those of JSON Lines as they are read now; `name`: what a JSON Schema calls its outermost
 * structure. What occurs more than once in the data stays so, whatever the description says; what the description gives no
 * fields stays unknown. Throws a fault.
 */
export function withDescribed<F extends LearnedText>(
  format: F,
  structures: readonly Structure[],
  name: string,
  fields: readonly string[] = [],
): { readonly format: F; readonly added: readonly string[] } {
  const known: readonly NestedStructure[] = format.kind === 'jsonl' ? [{ path: '', fields }] : format.structures;
  const all = new Map(known.map((s) => [s.path, [...s.fields]]));
  const added: string[] = [];
  for (const { path, fields: names } of toldOf(format, structures, name)) {
    const before = all.get(path) ?? [];
    const repeating = known.filter((s) => isBelow(s.path, path)).map((s) => s.path);
    const isElsewhere = (field: string): boolean => {
      const at = path === '' ? field : `${path}.${field}`;
      return repeating.some((one) => at === one || isBelow(at, one));
    };
    const fresh = names.filter((field) => !before.includes(field) && !isElsewhere(field));
    if (fresh.length === 0 && (all.has(path) || names.length > 0)) continue;
    all.set(path, [...before, ...fresh]);
    added.push(...fresh.map((field) => (path === '' ? field : `${path}/${field}`)));
  }
  const now = [...all].map(([path, names]) => ({ path, fields: names }));
  requireFewFields(now);
  return {
    format: format.kind === 'jsonl' ? { ...format, fields: now[0]!.fields } : { ...format, structures: now },
    added,
  };
}

const isBelow = (path: string, above: string): boolean => (above === '' ? path !== '' : path.startsWith(`${above}.`));

/** What is described of a format's records, by paths below them. */
function toldOf(format: LearnedText, structures: readonly Structure[], name: string): NestedStructure[] {
  const between = format.kind === 'xml' ? '/' : '.';
  const places =
    format.kind === 'jsonl' ? [name] : [format.kind === 'xml' ? format.records : `${name}.${format.records}`, name];
  const below = (structure: Structure, at: string): boolean =>
    structure.name === at || structure.name.startsWith(at + between);
  const place = places.find((at) => structures.some((s) => below(s, at)));
  if (place === undefined) return [];
  const told = structures
    .filter((s) => below(s, place))
    .map((s) => ({
      path: s.name.slice(place.length + 1).replaceAll(between, '.'),
      // Whatever may be in an object that is not described further has no field.
      fields: s.fields.filter((f) => f.type !== 'jsonb').map((f) => ownName(f.name)),
    }));
  if (format.kind !== 'jsonl') return told;
  // What is nested stays as it is written, in the field of its outermost name.
  const names = structures
    .filter((s) => below(s, place))
    .flatMap((s) => (s.name === place ? s.fields.map((f) => f.name) : [s.name.slice(place.length + 1)]));
  return [{ path: '', fields: [...new Set(names.map((path) => path.split('.')[0]!))] }];
}
