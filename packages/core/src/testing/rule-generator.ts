import fc from 'fast-check';

/** Random rules over the reference's columns, mostly well typed, so that most of them have values to compare. */

type Kind = 'text' | 'int' | 'numeric' | 'float' | 'bool' | 'date' | 'stamp' | 'zoned' | 'span';
type Gen = fc.Arbitrary<string>;

const one = (...items: string[]): Gen => fc.constantFrom(...items);
const leaves: Record<Kind, Gen> = {
  text: one('a', 'b', 't', "''", "'x'", "'S-019'", "'ß'", "' '", "'Kit'", "'0'"),
  int: one('i', 's', 'j', '0', '1', '-1', '3', '100', '2147483647', 'length(a)'),
  numeric: one('n', 'm', '0.0', '1.5', '-2.50', '100.00', '0.001', '12345678901234567890.12'),
  float: one('f', '0.1::float8', '1e10::float8', '-0.5::float8', '3::float8'),
  bool: one('q', 'TRUE', 'FALSE', 'NULL::boolean', 'a = b', 'i > 0', 'n IS NULL'),
  date: one('d', 'e', "DATE '2026-08-03'", "DATE '2024-02-29'"),
  stamp: one('ts', "TIMESTAMP '2026-08-03 14:05:06.5'", 'd::timestamp'),
  zoned: one('tz', 'ts::timestamptz'),
  span: one('iv', "INTERVAL '1 month'", "INTERVAL '-3 days 04:00:00'", "INTERVAL '90 minutes'"),
};

export function ruleArbitrary(depth: number): Gen {
  // One arbitrary for each kind and depth; made anew at each use they would be millions.
  const made = new Map<string, Gen>();
  const make = (kind: Kind, d: number): Gen => {
    if (d <= 0) return leaves[kind];
    const key = `${kind}${d}`;
    const known = made.get(key) ?? build(kind, d);
    made.set(key, known);
    return known;
  };
  const build = (kind: Kind, d: number): Gen => {
    const g = (k: Kind): Gen => make(k, d - 1);
    const f = (template: string, ...kinds: Kind[]): Gen =>
      fc
        .tuple(...kinds.map(g))
        .map((parts) => parts.reduce((text, part, i) => text.replaceAll(`$${i + 1}`, () => part), template));
    const small = one('0', '1', '2', '3', '-1', '5', 'i % 7');
    const withSmall = (template: string, ...kinds: Kind[]): Gen =>
      fc.tuple(f(template, ...kinds), small).map(([text, n]) => text.replaceAll('#', () => n));
    const any = fc.constantFrom<Kind>('text', 'int', 'numeric', 'date', 'bool').chain(g);
    const branch = (k: Kind): Gen[] => [
      f('CASE WHEN $1 THEN $2 ELSE $3 END', 'bool', k, k),
      f('COALESCE($1, $2)', k, k),
      f('NULLIF($1, $2)', k, k),
      f('GREATEST($1, $2)', k, k),
      f('LEAST($1, $2)', k, k),
      f('CASE $1 WHEN $2 THEN $3 END', 'text', 'text', k),
    ];
    const compare = (k: Kind): Gen[] => ['=', '<>', '<', '>=', '>'].map((op) => f(`$1 ${op} $2`, k, k));
    const options: Record<Kind, Gen[]> = {
      text: [
        ...['upper', 'lower', 'initcap', 'trim', 'ltrim', 'rtrim', 'reverse', 'md5'].map((name) =>
          f(`${name}($1)`, 'text'),
        ),
        f('$1 || $2', 'text', 'text'),
        f('btrim($1, $2)', 'text', 'text'),
        f('ltrim($1, $2)', 'text', 'text'),
        f('replace($1, $2, $3)', 'text', 'text', 'text'),
        f('translate($1, $2, $3)', 'text', 'text', 'text'),
        withSmall('left($1, #)', 'text'),
        withSmall('right($1, #)', 'text'),
        withSmall('lpad($1, #, $2)', 'text', 'text'),
        withSmall('rpad($1, #)', 'text'),
        withSmall('split_part($1, $2, #)', 'text', 'text'),
        withSmall('substring($1 FROM # FOR 2)', 'text'),
        withSmall('substr($1, #)', 'text'),
        withSmall('repeat($1, #)', 'text'),
        fc.tuple(any, any).map(([x, y]) => `concat(${x}, ${y})`),
        fc.tuple(any, any).map(([x, y]) => `concat_ws('-', ${x}, ${y})`),
        fc.tuple(any, any).map(([x, y]) => `format('%s|%s', ${x}, ${y})`),
        any.map((x) => `(${x})::text`),
        f("to_char($1, 'YYYY-MM-DD HH24:MI:SS')", 'stamp'),
        f("to_char($1, 'FMDay DD Mon YY, Q IW DDD')", 'stamp'),
        f("to_char($1, 'DD.MM.YYYY')", 'date'),
        withSmall('$1::varchar(3)', 'text'),
        ...branch('text'),
      ],
      int: [
        ...['+', '-', '*', '/', '%'].map((op) => f(`$1 ${op} $2`, 'int', 'int')),
        f('abs($1)', 'int'),
        f('- $1', 'int'),
        f('mod($1, $2)', 'int', 'int'),
        f('length($1)', 'text'),
        f('position($1 in $2)', 'text', 'text'),
        f('strpos($1, $2)', 'text', 'text'),
        f('$1 - $2', 'date', 'date'),
        f('$1::integer', 'numeric'),
        f('$1::bigint', 'float'),
        f('$1::integer', 'text'),
        f('$1::smallint', 'int'),
        f('octet_length($1)', 'text'),
        f('$1::int', 'bool'),
        ...branch('int'),
      ],
      numeric: [
        ...['+', '-', '*', '/', '%'].map((op) => f(`$1 ${op} $2`, 'numeric', 'numeric')),
        f('$1 + $2', 'numeric', 'int'),
        f('$1 / $2', 'int', 'numeric'),
        ...['abs', 'ceil', 'floor', 'round', 'trunc', 'sign', 'sqrt'].map((name) => f(`${name}($1)`, 'numeric')),
        withSmall('round($1, #)', 'numeric'),
        withSmall('trunc($1, #)', 'numeric'),
        f('$1::numeric', 'text'),
        f('$1::numeric(9,2)', 'numeric'),
        f('$1::numeric', 'float'),
        f('div($1, $2)', 'numeric', 'numeric'),
        f('extract(year FROM $1)', 'date'),
        f('extract(second FROM $1)', 'stamp'),
        f('extract(epoch FROM $1)', 'stamp'),
        f('extract(dow FROM $1)', 'date'),
        f('extract(week FROM $1)', 'stamp'),
        f('extract(month FROM $1)', 'span'),
        f('extract(epoch FROM $1)', 'span'),
        f('- $1', 'numeric'),
        ...branch('numeric'),
      ],
      float: [
        ...['+', '-', '*', '/'].map((op) => f(`$1 ${op} $2`, 'float', 'float')),
        f('round($1)', 'float'),
        f('abs($1)', 'float'),
        f('ceil($1)', 'int'),
        f('round($1)', 'int'),
        f('sqrt($1)', 'int'),
        f('$1::float8', 'numeric'),
        f('$1::float8', 'text'),
        f("date_part('day', $1)", 'stamp'),
        f('$1 * $2', 'float', 'int'),
      ],
      bool: [
        f('$1 AND $2', 'bool', 'bool'),
        f('$1 OR $2', 'bool', 'bool'),
        f('NOT $1', 'bool'),
        ...compare('text'),
        ...compare('int'),
        ...compare('numeric'),
        ...compare('date'),
        ...compare('stamp'),
        ...compare('span'),
        f('$1 = $2', 'int', 'numeric'),
        f('$1 < $2', 'date', 'stamp'),
        f('$1 BETWEEN $2 AND $3', 'numeric', 'int', 'numeric'),
        f('$1 NOT BETWEEN SYMMETRIC $2 AND $3', 'int', 'int', 'int'),
        f('$1 IN ($2, $3)', 'text', 'text', 'text'),
        f('$1 NOT IN ($2, NULL, $3)', 'int', 'int', 'int'),
        f("$1 IN ('A', 'abc')", 'text'),
        f('$1 LIKE $2', 'text', 'text'),
        f("$1 LIKE '%a_%'", 'text'),
        f("$1 NOT ILIKE 'S%'", 'text'),
        f("$1 ~ '^[A-Z]-?[0-9]{3}$'", 'text'),
        f("$1 !~* 'ki+t|\\d'", 'text'),
        f('$1 IS DISTINCT FROM $2', 'text', 'text'),
        f('$1 IS NOT TRUE', 'bool'),
        f('$1 IS UNKNOWN', 'bool'),
        f('$1 IS NULL', 'text'),
        f('$1::boolean', 'text'),
        f('starts_with($1, $2)', 'text', 'text'),
        f('isfinite($1)', 'date'),
        ...branch('bool'),
      ],
      date: [
        withSmall('$1 + #', 'date'),
        f('$1 - $2', 'date', 'int'),
        f('$1::date', 'stamp'),
        f("to_char($1, 'YYYY-MM-DD')::date", 'stamp'),
        one('a::date', 'b::date'),
        f("(date_trunc('month', $1))::date", 'stamp'),
        f("(date_trunc('week', $1) + $2)::date", 'stamp', 'span'),
        withSmall('make_date(2024, 2, 28 + #)'),
        ...branch('date'),
      ],
      stamp: [
        f('$1 + $2', 'stamp', 'span'),
        f('$1 - $2', 'stamp', 'span'),
        f('$1 + $2', 'date', 'span'),
        f("date_trunc('quarter', $1)", 'stamp'),
        f("date_trunc('hour', $1)", 'stamp'),
        f("$1 AT TIME ZONE 'Europe/London'", 'zoned'),
        f("to_char($1, 'YYYY-MM-DD HH24:MI:SS.US')::timestamp", 'stamp'),
        ...branch('stamp'),
      ],
      zoned: [
        f("$1 AT TIME ZONE 'Europe/London'", 'stamp'),
        f("$1 AT TIME ZONE 'UTC'", 'stamp'),
        f('$1 + $2', 'zoned', 'span'),
      ],
      span: [
        f('$1 - $2', 'stamp', 'stamp'),
        f('age($1, $2)', 'stamp', 'stamp'),
        f('age($1, $2)', 'date', 'date'),
        f('$1 + $2', 'span', 'span'),
        f('- $1', 'span'),
        withSmall('$1 * #', 'span'),
      ],
    };
    return fc
      .oneof({ weight: 1, arbitrary: leaves[kind] }, { weight: 6, arbitrary: fc.oneof(...options[kind]) })
      .map((text) => (/[ -]/.test(text) ? `(${text})` : text));
  };
  return fc
    .constantFrom<Kind>('text', 'int', 'numeric', 'float', 'bool', 'date', 'stamp', 'zoned', 'span')
    .chain((kind) => make(kind, depth));
}
