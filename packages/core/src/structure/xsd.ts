import { Fault } from '../faults.ts';
import { SaxesParser } from 'saxes';
import { field, type Structure, type StructureField } from './structure.ts';

/** A node of the schema document, by its local name. */
interface Node {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: Node[];
  text: string;
}
const MAX_STRUCTURES = 2000;
const MAX_FIELDS = 5000;
const MAX_LEVELS = 30;
const local = (name: string): string => name.slice(name.indexOf(':') + 1);

/**
 * The structures that an XML Schema (W3C XSD 1.0) describes, named by the paths of their elements (`export/repairs/order`):
 * one for each element that repeats, with what does not repeat flattened as the reader of XML does. A definition that holds
 * itself is followed once. Throws a fault.
 */
export function structuresOfXsd(text: string): Structure[] {
  const schema = parse(text);
  const reader = new SchemaReader(schema);
  const roots = schema.children.filter((n) => n.name === 'element');
  if (roots.length === 0)
    throw new Fault('structure', 'The schema defines no element at its top, so nothing has a name.');
  for (const root of roots) reader.structure(root, root.attributes['name'] ?? '', []);
  return reader.found;
}

function parse(text: string): Node {
  const parser = new SaxesParser();
  const stack: Node[] = [{ name: '', attributes: {}, children: [], text: '' }];
  parser.on('doctype', () => {
    throw new Fault('structure', 'The schema has a document type declaration; take it out first.');
  });
  parser.on('error', (error) => {
    throw new Fault('structure', `The schema is not well-formed XML: ${error.message}.`);
  });
  parser.on('opentag', (tag) => {
    const node: Node = {
      name: local(tag.name),
      attributes: tag.attributes as Record<string, string>,
      children: [],
      text: '',
    };
    if (stack.length > 200) throw new Fault('structure', 'The schema is nested too deep.');
    stack.at(-1)!.children.push(node);
    stack.push(node);
  });
  parser.on('text', (piece) => {
    stack.at(-1)!.text += piece;
  });
  parser.on('closetag', () => void stack.pop());
  parser.write(text.replace(/^\ufeff/, '')).close();
  const schema = stack[0]!.children[0];
  if (schema?.name !== 'schema') throw new Fault('structure', 'It is not an XML Schema: its root is not “schema”.');
  return schema;
}

const TYPES: Record<string, string> = {
  boolean: 'boolean',
  date: 'date',
  dateTime: 'timestamp',
  byte: 'smallint',
  short: 'smallint',
  unsignedByte: 'smallint',
  int: 'integer',
  unsignedShort: 'integer',
  long: 'bigint',
  unsignedInt: 'bigint',
  integer: 'numeric',
  positiveInteger: 'numeric',
  nonNegativeInteger: 'numeric',
  decimal: 'numeric',
  float: 'double precision',
  double: 'double precision',
};

class SchemaReader {
  readonly found: Structure[] = [];
  private readonly types = new Map<string, Node>();
  private readonly elements = new Map<string, Node>();
  private readonly groups = new Map<string, Node>();

  constructor(schema: Node) {
    for (const node of schema.children) {
      const name = node.attributes['name'] ?? '';
      if (node.name === 'complexType' || node.name === 'simpleType') this.types.set(name, node);
      else if (node.name === 'element') this.elements.set(name, node);
      else if (node.name === 'group' || node.name === 'attributeGroup') this.groups.set(name, node);
    }
  }

  /** Files the structure of an element, and those inside it. `within`: definitions that are being followed. */
  structure(element: Node, path: string, within: readonly Node[]): void {
    if (this.found.length >= MAX_STRUCTURES) throw new Fault('structure', 'The schema has more than 2,000 structures.');
    const fields: StructureField[] = [];
    const at = this.found.length;
    this.found.push({
      name: path,
      description: documentation(this.definition(element)) ?? documentation(element),
      fields,
    });
    this.flatten(element, '', path, fields, within, true);
    // An element that only holds others is no dataset of its own.
    if (fields.length === 0) this.found.splice(at, 1);
  }

  private definition(element: Node): Node {
    const ref = element.attributes['ref'];
    if (ref !== undefined) {
      const target = this.elements.get(local(ref));
      if (!target)
        throw new Fault(
          'structure',
          `The schema refers to the element ${ref}, which it does not define; include that file.`,
        );
      return this.definition(target);
    }
    const type = element.attributes['type'];
    const named = type === undefined ? undefined : this.types.get(local(type));
    return named ?? element.children.find((n) => n.name === 'complexType' || n.name === 'simpleType') ?? element;
  }

  private flatten(
    element: Node,
    prefix: string,
    path: string,
    fields: StructureField[],
    within: readonly Node[],
    required: boolean,
  ): void {
    const definition = this.definition(element);
    if (within.includes(definition) && definition.name === 'complexType') return;
    if (within.length > MAX_LEVELS) return;
    if (fields.length > MAX_FIELDS)
      throw new Fault('structure', 'A structure of the schema has more than 5,000 fields.');
    const next = [...within, definition];
    if (definition.name !== 'complexType') {
      fields.push(this.simple(definition, element, prefix || 'value', required));
      return;
    }
    const simple = definition.children.find((n) => n.name === 'simpleContent');
    if (simple) {
      const base = simple.children[0];
      fields.push(this.simple(base ?? simple, element, prefix || 'value', required));
    }
    for (const attribute of this.attributes(definition)) {
      const name = `@${attribute.attributes['name'] ?? attribute.attributes['ref'] ?? ''}`;
      const type = attribute.children.find((n) => n.name === 'simpleType') ?? attribute;
      fields.push(
        this.simple(
          type,
          attribute,
          prefix ? `${prefix}.${name}` : name,
          required && attribute.attributes['use'] === 'required',
        ),
      );
    }
    for (const { node, many, optional } of this.particles(definition, false, false)) {
      const name = node.attributes['name'] ?? local(node.attributes['ref'] ?? '');
      if (many) this.structure(node, `${path}/${prefix ? `${prefix.replaceAll('.', '/')}/` : ''}${name}`, next);
      else this.flatten(node, prefix ? `${prefix}.${name}` : name, path, fields, next, required && !optional);
    }
  }

  /** The elements of a complex type, through sequences, choices, groups and what it extends. */
  private *particles(
    node: Node,
    many: boolean,
    optional: boolean,
  ): Generator<{ node: Node; many: boolean; optional: boolean }> {
    for (const child of node.children) {
      const times = child.attributes['maxOccurs'];
      const repeats = many || (times !== undefined && times !== '1' && times !== '0');
      const missing = optional || child.attributes['minOccurs'] === '0';
      if (child.name === 'element') yield { node: child, many: repeats, optional: missing };
      else if (child.name === 'sequence' || child.name === 'all') yield* this.particles(child, repeats, missing);
      else if (child.name === 'choice') yield* this.particles(child, repeats, true);
      else if (child.name === 'group') {
        const group = this.groups.get(local(child.attributes['ref'] ?? ''));
        if (group) yield* this.particles(group, repeats, missing);
      } else if (child.name === 'complexContent' || child.name === 'extension' || child.name === 'restriction') {
        const base = child.name === 'extension' ? this.types.get(local(child.attributes['base'] ?? '')) : undefined;
        if (base && base !== node) yield* this.particles(base, many, optional);
        yield* this.particles(child, many, optional);
      }
    }
  }
  private *attributes(node: Node): Generator<Node> {
    for (const child of node.children) {
      if (child.name === 'attribute') yield child;
      else if (child.name === 'attributeGroup') {
        const group = this.groups.get(local(child.attributes['ref'] ?? ''));
        if (group) yield* this.attributes(group);
      } else if (['simpleContent', 'complexContent', 'extension', 'restriction'].includes(child.name)) {
        const base = child.name === 'extension' ? this.types.get(local(child.attributes['base'] ?? '')) : undefined;
        if (base?.name === 'complexType' && base !== node) yield* this.attributes(base);
        yield* this.attributes(child);
      }
    }
  }

  /** A field of a simple type: its base through named types, narrowed by length, digits and the like. */
  private simple(type: Node, owner: Node, name: string, required: boolean): StructureField {
    let at: Node | undefined = type;
    let base = owner.attributes['type'] ?? type.attributes['base'] ?? 'string';
    let length: string | null = null;
    let digits: string | null = null;
    let fraction: string | null = null;
    let description = documentation(owner);
    for (let steps = 0; at && steps < 20; steps++) {
      const named: Node | undefined = this.types.get(local(base));
      description ??= documentation(at);
      const restriction: Node | undefined =
        at.name === 'restriction' ? at : at.children.find((n) => n.name === 'restriction');
      if (restriction) {
        const facet = (facetName: string): string | null =>
          restriction.children.find((n) => n.name === facetName)?.attributes['value'] ?? null;
        length ??= facet('maxLength') ?? facet('length');
        digits ??= facet('totalDigits');
        fraction ??= facet('fractionDigits');
        base = restriction.attributes['base'] ?? base;
      }
      const next: Node | undefined = this.types.get(local(base)) ?? (named !== at ? named : undefined);
      if (!next || next === at || next.name !== 'simpleType') break;
      description ??= documentation(next);
      at = next;
    }
    let kind = TYPES[local(base)] ?? 'text';
    if (kind === 'text' && length !== null) kind = `varchar(${length})`;
    if (kind === 'numeric' && digits !== null) kind = `numeric(${digits},${fraction ?? '0'})`;
    return field(name, { type: kind, nullable: !required, description });
  }
}

function documentation(node: Node): string | null {
  const text = node.children
    .find((n) => n.name === 'annotation')
    ?.children.find((n) => n.name === 'documentation')?.text;
  return text?.replace(/\s+/g, ' ').trim() || null;
}
