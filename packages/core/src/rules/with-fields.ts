import { fieldText } from './print.ts';
import { parseRule } from './parse.ts';
import { walk } from './syntax.ts';

/** A rule with its fields renamed; null when one of them has no counterpart. `alias`: how they are written afterwards. */
export function withFields(
  text: string,
  alias: string | null,
  counterpart: (name: string) => string | null,
): string | null {
  const places: { at: number; end: number; by: string }[] = [];
  let whole = true;
  try {
    walk(parseRule(text), (node) => {
      if (node.kind !== 'field') return true;
      const by = counterpart(node.name);
      if (by === null) whole = false;
      else if (by !== node.name || alias !== node.alias)
        places.push({ at: node.at, end: node.end, by: fieldText(alias, by) });
      return true;
    });
  } catch {
    return null;
  }
  if (!whole) return null;
  return places.sort((a, b) => b.at - a.at).reduce((t, p) => t.slice(0, p.at) + p.by + t.slice(p.end), text);
}
