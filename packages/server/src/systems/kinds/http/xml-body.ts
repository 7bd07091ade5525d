import { NOT_IN_XML, xmlAttribute, xmlText } from '@versicle/core';

/** A record as an XML element, its fields named as they are when they are read: `model`, `wheel`, `wheel.@unit`, `@id`. */

interface Element {
  readonly attributes: Map<string, string>;
  readonly children: Map<string, Element>;
  text: string | null;
}
const element = (): Element => ({ attributes: new Map(), children: new Map(), text: null });

const NAME = /^[\p{L}_][\p{L}\p{N}_.-]*$/u;

/** The first column whose name can't be that of an element or attribute; null when all can. */
export function badXmlName(columns: readonly string[]): string | null {
  return columns.find((c) => !c.split('.').every((part) => NAME.test(part.replace(/^@/, '')))) ?? null;
}

/** Null values are left out. Gives the field instead whose value can't be written as XML. */
export function xmlBody(
  name: string,
  columns: readonly string[],
  values: readonly (string | null)[],
): { readonly xml: string } | { readonly field: string } {
  const root = element();
  for (const [i, column] of columns.entries()) {
    const value = values[i] ?? null;
    if (value === null) continue;
    if (NOT_IN_XML.test(value)) return { field: column };
    const path = column.split('.');
    const last = path.at(-1)!;
    const attribute = last.startsWith('@');
    let at = root;
    for (const part of attribute ? path.slice(0, -1) : path) {
      const child = at.children.get(part) ?? element();
      at.children.set(part, child);
      at = child;
    }
    if (attribute) at.attributes.set(last.slice(1), value);
    else at.text = value;
  }
  return { xml: `<?xml version="1.0" encoding="UTF-8"?>\n${written(name, root)}` };
}
function written(name: string, { attributes, children, text }: Element): string {
  const marks = [...attributes].map(([n, value]) => ` ${n}="${xmlAttribute(value)}"`).join('');
  const inside = `${text === null ? '' : xmlText(text)}${[...children].map(([n, child]) => written(n, child)).join('')}`;
  return inside === '' ? `<${name}${marks}/>` : `<${name}${marks}>${inside}</${name}>`;
}
