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
/** Definitions that are gone through for one structure: groups that refer twice to the next ones are ever more. */
const MAX_STEPS = 50_000;
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
    throw new Fault('structure', `The schema is not well-formed XML: ${error.message.replace(/\.$/, '')}.`);
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

/** What the language itself defines besides, all of it text to us. */
const TEXTS = new Set(
  'string normalizedString token language Name NCName NMTOKEN NMTOKENS ID IDREF IDREFS ENTITY ENTITIES QName NOTATION anyURI base64Binary hexBinary duration time gYear gYearMonth gMonth gMonthDay gDay nonPositiveInteger negativeInteger unsignedLong anyType anySimpleType anyAtomicType dateTimeStamp yearMonthDuration dayTimeDuration untypedAtomic'.split(
    ' ',
  ),
);

class SchemaReader {
  readonly found: Structure[] = [];
  private readonly types = new Map<string, Node>();
  private readonly elements = new Map<string, Node>();
  private readonly groups = new Map<string, Node>();
  /** Elements that may stand for another one, by its name. */
  private readonly substitutes = new Map<string, Node[]>();
  /** Other files that it is made of. */
  private readonly others: readonly string[];
  private steps = 0;

  constructor(schema: Node) {
    this.others = schema.children
      .filter((n) => n.name === 'include' || n.name === 'import' || n.name === 'redefine')
      .flatMap((n) => n.attributes['schemaLocation'] ?? []);
    for (const node of schema.children) {
      const name = node.attributes['name'] ?? '';
      const head = node.attributes['substitutionGroup'];
      if (node.name === 'element' && head !== undefined)
        for (const one of head.trim().split(/\s+/))
          this.substitutes.set(local(one), [...(this.substitutes.get(local(one)) ?? []), node]);
      if (node.name === 'complexType' || node.name === 'simpleType') this.types.set(name, node);
      else if (node.name === 'element') this.elements.set(name, node);
      else if (node.name === 'group' || node.name === 'attributeGroup') this.groups.set(name, node);
    }
  }

  /** It names what stands elsewhere: nothing is guessed in its place. */
  private lacks(what: string, name: string): Fault {
    const where = this.others.length === 0 ? '' : ` It may be in ${this.others.join(', ')}.`;
    return new Fault(
      'structure',
      `The schema refers to the ${what} ${name}, which it does not define.${where} Put all of it into one file.`,
    );
  }
  private group(reference: string, what: string): Node {
    const found = this.groups.get(local(reference));
    if (!found) throw this.lacks(what, reference);
    return found;
  }
  /** Undefined for what the language itself defines. Throws a fault. */
  private typeOf(reference: string | undefined): Node | undefined {
    if (reference === undefined) return undefined;
    const found = this.types.get(local(reference));
    if (!found && !TEXTS.has(local(reference)) && TYPES[local(reference)] === undefined)
      throw this.lacks('type', reference);
    return found;
  }
  /** What holds itself is told; so is what refers to more than anybody meant. Throws a fault. */
  private follow(node: Node, within: readonly Node[]): readonly Node[] {
    if (within.includes(node)) {
      const words: Readonly<Record<string, string>> = { complexType: 'type', element: 'element' };
      const what = words[node.name] ?? node.name;
      throw new Fault('structure', `The ${what} ${node.attributes['name'] ?? ''} of the schema is made of itself.`);
    }
    if (++this.steps > MAX_STEPS)
      throw new Fault('structure', 'The groups of the schema refer to one another more often than can be followed.');
    return [...within, node];
  }

  /** Files the structure of an element, and those inside it. `within`: definitions that are being followed. */
  structure(element: Node, path: string, within: readonly Node[], many = false): void {
    if (this.found.length >= MAX_STRUCTURES) throw new Fault('structure', 'The schema has more than 2,000 structures.');
    this.steps = 0;
    const fields: StructureField[] = [];
    const at = this.found.length;
    this.found.push({
      name: path,
      description: documentation(this.definition(element)) ?? documentation(element),
      fields,
    });
    this.flatten(element, '', path, fields, within, !this.mayBeNil(element));
    // An element that only holds others is no dataset of its own, unless there are several; nor is what is followed no further.
    const isCut = within.includes(this.definition(element));
    if (fields.length === 0 && (!many || isCut)) this.found.splice(at, 1);
  }

  private definition(element: Node, within: readonly Node[] = []): Node {
    const ref = element.attributes['ref'];
    if (ref !== undefined) {
      const target = this.elements.get(local(ref));
      if (!target) throw this.lacks('element', ref);
      return this.definition(target, this.follow(target, within));
    }
    const type = element.attributes['type'];
    return (
      this.typeOf(type) ?? element.children.find((n) => n.name === 'complexType' || n.name === 'simpleType') ?? element
    );
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
    // Text between its elements.
    else if (isMixed(definition)) fields.push(field(prefix || 'value', { description: documentation(element) }));
    for (const attribute of this.attributes(definition, [])) {
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
    for (const [name, { node, many, optional }] of this.particles(definition, [])) {
      if (many) this.structure(node, `${path}/${prefix ? `${prefix.replaceAll('.', '/')}/` : ''}${name}`, next, true);
      else
        this.flatten(
          node,
          prefix ? `${prefix}.${name}` : name,
          path,
          fields,
          next,
          required && !optional && !this.mayBeNil(node),
        );
    }
  }
  private mayBeNil(element: Node): boolean {
    const ref = element.attributes['ref'];
    const named = ref === undefined ? element : (this.elements.get(local(ref)) ?? element);
    return named.attributes['nillable'] === 'true' || named.attributes['nillable'] === '1';
  }

  /** The elements of a complex type by their names, through sequences, choices, groups and what it extends. */
  private particles(node: Node, within: readonly Node[]): Particles {
    const path = this.follow(node, within);
    const parts = node.children.map((child) => this.part(child, path));
    return node.name === 'choice' ? either(parts) : together(parts);
  }
  private part(child: Node, path: readonly Node[]): Particles {
    const { maxOccurs = '1', minOccurs } = child.attributes;
    if (maxOccurs === '0') return new Map();
    const found = this.once(child, path);
    if (maxOccurs === '1' && minOccurs !== '0') return found;
    return changed(found, ({ node, many, optional }) => ({
      node,
      many: many || maxOccurs !== '1',
      optional: optional || minOccurs === '0',
    }));
  }
  private once(child: Node, path: readonly Node[]): Particles {
    switch (child.name) {
      case 'element':
        return either(
          this.inPlaceOf(child).map((node) => new Map([[nameOf(node), { node, many: false, optional: false }]])),
        );
      case 'group':
        return this.particles(this.group(child.attributes['ref'] ?? '', 'group'), path);
      case 'extension': {
        const base = this.typeOf(child.attributes['base']);
        return together([base ? this.particles(base, path) : new Map(), this.particles(child, path)]);
      }
      case 'sequence':
      case 'all':
      case 'choice':
      case 'complexContent':
      case 'restriction':
        return this.particles(child, path);
      default:
        return new Map();
    }
  }
  /** An element, or those that may stand where it is named: it is one of several then, or none of them where it is abstract. */
  private inPlaceOf(element: Node): readonly Node[] {
    const ref = element.attributes['ref'];
    const found: Node[] = [];
    const look = (name: string): void => {
      for (const one of this.substitutes.get(name) ?? []) {
        const own = one.attributes['name'] ?? '';
        if (found.includes(one) || own === name) continue;
        found.push(one);
        look(own);
      }
    };
    if (ref !== undefined) look(local(ref));
    if (found.length === 0) return [element];
    const isAbstract = (n: Node | undefined): boolean => n?.attributes['abstract'] === 'true';
    const others = found.filter((n) => !isAbstract(n)).map((n): Node => ({ ...n }));
    // It may be missing for another one.
    return isAbstract(this.elements.get(local(ref!))) ? others : [{ ...element }, ...others];
  }
  private *attributes(node: Node, within: readonly Node[]): Generator<Node> {
    const path = this.follow(node, within);
    for (const child of node.children) {
      if (child.name === 'attribute') yield child;
      else if (child.name === 'attributeGroup')
        yield* this.attributes(this.group(child.attributes['ref'] ?? '', 'group of attributes'), path);
      else if (['simpleContent', 'complexContent', 'extension', 'restriction'].includes(child.name)) {
        const base = child.name === 'extension' ? this.typeOf(child.attributes['base']) : undefined;
        if (base?.name === 'complexType') yield* this.attributes(base, path);
        yield* this.attributes(child, path);
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
      const named: Node | undefined = this.typeOf(base);
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

/** The elements that may be in another one, by their names. */
type Particles = Map<string, Particle>;
interface Particle {
  /** Of those of one name the first: all of them have the same type. */
  readonly node: Node;
  readonly many: boolean;
  readonly optional: boolean;
}
const nameOf = (element: Node): string => element.attributes['name'] ?? local(element.attributes['ref'] ?? '');
const changed = (particles: Particles, change: (particle: Particle) => Particle): Particles =>
  new Map([...particles].map(([name, particle]) => [name, change(particle)]));
/** One after the other: what is in several of them occurs more than once. */
function together(parts: readonly Particles[]): Particles {
  const all: Particles = new Map();
  for (const [name, particle] of parts.flatMap((part) => [...part])) {
    const before = all.get(name);
    const optional = particle.optional && (before?.optional ?? true);
    all.set(name, before ? { node: before.node, many: true, optional } : particle);
  }
  return all;
}
/** One of them: what is not in each may be missing. */
function either(parts: readonly Particles[]): Particles {
  const all: Particles = new Map();
  for (const [name, particle] of parts.flatMap((part) => [...part])) {
    const before = all.get(name);
    const optional = particle.optional || !parts.every((part) => part.has(name)) || (before?.optional ?? false);
    all.set(name, { node: before?.node ?? particle.node, many: particle.many || (before?.many ?? false), optional });
  }
  return all;
}

function isMixed(definition: Node): boolean {
  const content = definition.children.find((n) => n.name === 'complexContent');
  return [definition, content].some((n) => n?.attributes['mixed'] === 'true' || n?.attributes['mixed'] === '1');
}

function documentation(node: Node): string | null {
  const text = node.children
    .find((n) => n.name === 'annotation')
    ?.children.find((n) => n.name === 'documentation')?.text;
  return text?.replace(/\s+/g, ' ').trim() || null;
}
