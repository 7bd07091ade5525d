type Schema = Readonly<Record<string, unknown>>;
/** A schema, and a value that is valid by it; each of its values is a new one of `say`, so that they can be counted. */
export interface Described {
  readonly schema: Schema;
  make(say: () => number): unknown;
}

/** A random JSON Schema of records, and records by it. `below`: whole numbers from 0. */
export function randomJsonSchema(below: (n: number) => number): Described {
  const defs: Record<string, Schema> = {};
  let names = 0;
  const maybe = (): boolean => below(2) === 0;
  const scalars: readonly Described[] = [
    { schema: { type: 'integer' }, make: (say) => say() },
    { schema: { type: 'string', maxLength: 9 }, make: (say) => `t${say()}` },
    { schema: { type: ['number', 'null'] }, make: (say) => say() + 0.5 },
    { schema: { anyOf: [{ type: 'string' }, { type: 'null' }] }, make: (say) => `u${say()}` },
  ];
  const scalar = (): Described => scalars[below(scalars.length)]!;

  function object(depth: number): Described {
    const all = Array.from({ length: 1 + below(3) }, () => ({
      name: `n${++names}`,
      of: any(depth - 1),
      required: maybe(),
    }));
    const properties = Object.fromEntries(all.map(({ name, of }) => [name, of.schema]));
    const own: Schema = { type: 'object', properties, required: all.filter((p) => p.required).map((p) => p.name) };
    const more = depth > 0 && below(4) === 0 ? object(depth - 1) : null;
    return {
      schema: more ? { allOf: [own, more.schema] } : own,
      make: (say) => ({
        ...Object.fromEntries(all.filter((p) => p.required || maybe()).map(({ name, of }) => [name, of.make(say)])),
        ...(more?.make(say) as object | undefined),
      }),
    };
  }
  function list(depth: number): Described {
    const items = maybe() ? object(depth) : scalar();
    return {
      schema: { type: 'array', items: items.schema },
      make: (say) => Array.from({ length: below(4) }, () => items.make(say)),
    };
  }
  function either(depth: number): Described {
    const both = [object(depth), object(depth)] as const;
    return {
      schema: { [maybe() ? 'oneOf' : 'anyOf']: both.map((one) => one.schema) },
      make: (say) => both[below(2)]!.make(say),
    };
  }
  function orNull({ schema, make }: Described): Described {
    return { schema: { anyOf: [schema, { type: 'null' }] }, make: (say) => (maybe() ? make(say) : null) };
  }
  function byReference({ schema, make }: Described): Described {
    const name = `D${++names}`;
    defs[name] = schema;
    return { schema: { $ref: `#/$defs/${name}` }, make };
  }
  function any(depth: number): Described {
    const kind = depth <= 0 ? 0 : below(7);
    let found = kind <= 2 ? scalar() : kind <= 4 ? object(depth) : kind === 5 ? either(depth - 1) : list(depth - 1);
    if (below(5) === 0) found = byReference(found);
    return kind > 2 && below(6) === 0 ? orNull(found) : found;
  }

  const top = below(3) === 0 ? either(2) : object(3);
  return { schema: { ...top.schema, $defs: defs }, make: top.make };
}
