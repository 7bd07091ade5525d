/** A random XML Schema of records, and documents that are valid by it. `below`: whole numbers from 0. */
export interface RandomSchema {
  readonly xsd: string;
  /** `export` with some `rec`, and how many values (texts and attributes) are in these. */
  document(): { readonly xml: string; readonly values: number };
}
type Below = (n: number) => number;
interface Type {
  readonly xsd: string;
  /** What stands in an element of it: attributes, and what is inside. */
  fill(say: Say): { readonly attributes: string; readonly inner: string };
}
/** Adds a value. */
type Say = () => string;
interface Particle {
  readonly xsd: string;
  fill(say: Say): string;
}
interface Times {
  readonly min: number;
  /** Null: any number. */
  readonly max: number | null;
}

const XSI = 'http://www.w3.org/2001/XMLSchema-instance';

export function randomSchema(below: Below): RandomSchema {
  const maker = new SchemaMaker(below);
  const record = maker.complex(3);
  const space = below(2) === 0 ? ' xmlns="urn:larkway"' : '';
  const xsd = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"${space === '' ? '' : `${space} targetNamespace="urn:larkway" elementFormDefault="qualified"`}>
<xs:element name="export"><xs:complexType><xs:sequence><xs:element name="rec" maxOccurs="unbounded">${record.xsd}</xs:element></xs:sequence></xs:complexType></xs:element>
${maker.top.join('\n')}
</xs:schema>`;
  return {
    xsd,
    document: () => {
      let values = 0;
      const say = (): string => String(++values);
      const records = Array.from({ length: 1 + below(4) }, () => {
        const { attributes, inner } = record.fill(say);
        return `<rec${attributes}>${inner}</rec>`;
      });
      return { xml: `<export${space}>${records.join('\n')}</export>`, values };
    },
  };
}

class SchemaMaker {
  /** Definitions at the top: types, groups, elements that others refer to. */
  readonly top: string[] = [];
  private names = 0;
  constructor(private readonly below: Below) {}

  private fresh(): string {
    return `n${++this.names}`;
  }
  private one<T>(...of: readonly T[]): T {
    return of[this.below(of.length)]!;
  }
  private maybe(): boolean {
    return this.below(2) === 0;
  }

  complex(depth: number): Type {
    if (this.below(6) === 0) return this.ofText();
    const content = this.below(6) === 0 ? this.all(depth) : this.sequence(depth);
    const attributes = this.attributes();
    const mixed = this.below(8) === 0;
    const base = this.below(4) === 0 ? this.complex(depth - 1) : null;
    // A base with text alone is extended otherwise.
    const extended =
      base !== null && !base.xsd.includes('mixed') && base.xsd.startsWith('<xs:complexType><xs:sequence') ? base : null;
    let xsd = `<xs:complexType${mixed && !extended ? ' mixed="true"' : ''}>${content.xsd}${attributes.xsd}</xs:complexType>`;
    if (extended) {
      const name = this.fresh();
      this.top.push(extended.xsd.replace('<xs:complexType', `<xs:complexType name="${name}"`));
      xsd = `<xs:complexType><xs:complexContent><xs:extension base="${name}">${content.xsd}${attributes.xsd}</xs:extension></xs:complexContent></xs:complexType>`;
    }
    return {
      xsd,
      fill: (say) => {
        const before = extended?.fill(say) ?? { attributes: '', inner: '' };
        const own = attributes.fill(say);
        const inner = before.inner + content.fill(say);
        const text = mixed && !extended && this.maybe() ? say() : '';
        return { attributes: before.attributes + own, inner: text + inner };
      },
    };
  }
  /** Text with attributes. */
  private ofText(): Type {
    const attributes = this.attributes();
    return {
      xsd: `<xs:complexType><xs:simpleContent><xs:extension base="${this.simple()}">${attributes.xsd}</xs:extension></xs:simpleContent></xs:complexType>`,
      fill: (say) => ({ attributes: attributes.fill(say), inner: say() }),
    };
  }
  /** Of whole numbers, which every one of them takes. */
  private simple(): string {
    if (this.below(4) > 0) return this.one('xs:string', 'xs:int', 'xs:decimal', 'xs:token');
    const name = this.fresh();
    this.top.push(
      `<xs:simpleType name="${name}"><xs:restriction base="${this.one('xs:string', 'xs:token')}"><xs:maxLength value="9"/></xs:restriction></xs:simpleType>`,
    );
    return name;
  }
  private attributes(): Particle {
    const all = Array.from({ length: this.below(3) }, () => ({ name: this.fresh(), required: this.maybe() }));
    const each = all.map(({ name, required }) => `<xs:attribute name="${name}" type="${this.simple()}"${required ? ' use="required"' : ''}/>`); // prettier-ignore
    let xsd = each.join('');
    if (each.length > 0 && this.below(3) === 0) {
      const group = this.fresh();
      this.top.push(`<xs:attributeGroup name="${group}">${xsd}</xs:attributeGroup>`);
      xsd = `<xs:attributeGroup ref="${group}"/>`;
    }
    return {
      xsd,
      fill: (say) => all.filter(({ required }) => required || this.maybe()).map(({ name }) => ` ${name}="${say()}"`).join(''), // prettier-ignore
    };
  }

  private times(): Times {
    return this.one(
      { min: 1, max: 1 },
      { min: 0, max: 1 },
      { min: 0, max: null },
      { min: 1, max: 3 },
      { min: 1, max: 1 },
    );
  }
  private often({ min, max }: Times): number {
    return min + this.below((max ?? 3) - min + 1);
  }
  private sequence(depth: number): Particle {
    const items = Array.from({ length: 1 + this.below(3) }, () => this.particle(depth));
    return {
      xsd: `<xs:sequence>${items.map((item) => item.xsd).join('')}</xs:sequence>`,
      fill: (say) => items.map((item) => item.fill(say)).join(''),
    };
  }
  /** In any order, each once at the most. */
  private all(depth: number): Particle {
    const items = Array.from({ length: 1 + this.below(3) }, () => this.named(depth));
    const optional = items.map(() => this.maybe());
    return {
      xsd: `<xs:all>${items.map((item, i) => item.of(optional[i] ? ' minOccurs="0"' : '')).join('')}</xs:all>`,
      fill: (say) => {
        const there = items.filter((_, i) => !optional[i] || this.maybe());
        return (this.maybe() ? there : there.reverse()).map((item) => item.fill(say)).join('');
      },
    };
  }
  private particle(depth: number): Particle {
    const kind = depth <= 0 ? 0 : this.below(8);
    if (kind === 5) return this.choice(depth - 1);
    if (kind === 6) return this.several(depth - 1);
    if (kind === 7) return this.group(depth - 1);
    return this.element(depth);
  }
  private occurs({ min, max }: Times): string {
    return `${min === 1 ? '' : ` minOccurs="${min}"`}${max === 1 ? '' : ` maxOccurs="${max ?? 'unbounded'}"`}`;
  }
  private repeated(times: Times, one: (say: Say) => string): (say: Say) => string {
    return (say) => Array.from({ length: this.often(times) }, () => one(say)).join('');
  }
  private choice(depth: number): Particle {
    const times = this.times();
    const items = Array.from({ length: 2 + this.below(2) }, () => this.particle(depth));
    return {
      xsd: `<xs:choice${this.occurs(times)}>${items.map((item) => item.xsd).join('')}</xs:choice>`,
      fill: this.repeated(times, (say) => this.one(...items).fill(say)),
    };
  }
  private several(depth: number): Particle {
    const times = this.times();
    const inner = this.sequence(depth);
    return {
      xsd: inner.xsd.replace('<xs:sequence', `<xs:sequence${this.occurs(times)}`),
      fill: this.repeated(times, (say) => inner.fill(say)),
    };
  }
  private group(depth: number): Particle {
    const times = this.times();
    const inner = this.sequence(depth);
    const name = this.fresh();
    this.top.push(`<xs:group name="${name}">${inner.xsd}</xs:group>`);
    return {
      xsd: `<xs:group ref="${name}"${this.occurs(times)}/>`,
      fill: this.repeated(times, (say) => inner.fill(say)),
    };
  }
  /** Elements that were made already: another one of the same name has the same type. */
  private readonly made: Named[] = [];
  private named(depth: number): Named {
    const name = this.fresh();
    const type = depth > 0 && this.maybe() ? this.complex(depth - 1) : null;
    const simple = type === null ? this.simple() : '';
    const nil = this.below(6) === 0 ? ' nillable="true"' : '';
    let of = (more: string, called = name): string =>
      type === null
        ? `<xs:element name="${called}" type="${simple}"${more}${nil}/>`
        : `<xs:element name="${called}"${more}${nil}>${type.xsd}</xs:element>`;
    if (type !== null && this.below(3) === 0) {
      const shared = this.fresh();
      this.top.push(type.xsd.replace('<xs:complexType', `<xs:complexType name="${shared}"`));
      of = (more, called = name) => `<xs:element name="${called}" type="${shared}"${more}${nil}/>`;
    }
    return {
      name,
      of,
      fill: (say, called = name) => {
        if (type === null && nil !== '' && this.maybe()) return `<${called} xmlns:xsi="${XSI}" xsi:nil="true"/>`;
        const { attributes, inner } = type?.fill(say) ?? { attributes: '', inner: say() };
        return `<${called}${attributes}>${inner}</${called}>`;
      },
      isSimple: type === null,
    };
  }
  private element(depth: number): Particle {
    const times = this.times();
    const again = this.below(6) === 0 ? this.one(undefined, ...this.made) : undefined;
    const element = again ?? this.named(depth);
    if (again || this.below(6) > 0) {
      this.made.push(element);
      return { xsd: element.of(this.occurs(times)), fill: this.repeated(times, (say) => element.fill(say)) };
    }
    // By reference, with another one that may stand for it.
    const other = this.fresh();
    const isAbstract = this.maybe() && element.isSimple;
    this.top.push(element.of(isAbstract ? ' abstract="true"' : ''));
    if (element.isSimple) this.top.push(element.of(` substitutionGroup="${element.name}"`, other));
    const called = !element.isSimple ? [element.name] : isAbstract ? [other] : [element.name, other];
    return {
      xsd: `<xs:element ref="${element.name}"${this.occurs(times)}/>`,
      fill: this.repeated(times, (say) => element.fill(say, this.one(...called))),
    };
  }
}
interface Named {
  readonly name: string;
  /** Its declaration; `more`: further attributes of that. */
  of(more: string, called?: string): string;
  fill(say: Say, called?: string): string;
  readonly isSimple: boolean;
}
