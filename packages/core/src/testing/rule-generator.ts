import fc from 'fast-check';

/** Random rules over the reference's columns, mostly well typed, so that most of them have values to compare. */

type Kind =
  'text' | 'int' | 'numeric' | 'float' | 'bool' | 'date' | 'stamp' | 'zoned' | 'span' | 'array' | 'json' | 'bytes';
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
  array: one("string_to_array(a, ' ')", "ARRAY['x', NULL, 'S-019']", "'{a,b}'::text[]", "'{}'::text[]"),
  json: one(
    '\'{"a": 1, "b": [1, 2.50, "x", null], "ß": {"a": true}}\'::jsonb',
    "'[]'::jsonb",
    'to_jsonb(a)',
    'to_jsonb(n)',
    "jsonb_build_object('a', a, 'n', n, 'd', d)",
  ),
  bytes: one("convert_to(b, 'UTF8')", "'\\x00ff41'::bytea", "'abc'::bytea"),
  span: one('iv', "INTERVAL '1 month'", "INTERVAL '-3 days 04:00:00'", "INTERVAL '90 minutes'"),
};

/** Pieces put together at random, `least` to `most` of them. */
const pieces = (least: number, most: number, ...items: string[]): Gen =>
  fc.array(fc.constantFrom(...items), { minLength: least, maxLength: most }).map((parts) => parts.join(''));
const literal = (gen: Gen): Gen => gen.map((text) => `'${text.replace(/'/g, "''")}'`);

/** Regular expressions over few letters, so that they match often. */
const regexes: Gen = fc.letrec<{ re: string; branch: string; item: string; atom: string }>((tie) => ({
  re: fc.oneof(
    { weight: 4, arbitrary: tie('branch') },
    { weight: 1, arbitrary: fc.tuple(tie('branch'), tie('branch')).map((b) => b.join('|')) },
  ),
  branch: fc.array(tie('item'), { minLength: 0, maxLength: 3 }).map((items) => items.join('')),
  item: fc.oneof(
    {
      weight: 5,
      arbitrary: fc
        .tuple(tie('atom'), one('', '', '', '*', '+', '?', '*?', '+?', '??', '{2}', '{1,2}', '{0,1}?', '{2,}'))
        .map((p) => p.join('')),
    },
    { weight: 1, arbitrary: one('^', '$', '\\y', '\\m', '\\M', '(?=a)', '(?!a)', '(?<=a)', '\\A') },
  ),
  atom: fc.oneof(
    { maxDepth: 3, depthIdentifier: 'regex' },
    {
      weight: 4,
      arbitrary: one('a', 'b', 'A', '.', '[a-c]', '[^a]', '\\w', '\\d', '\\s', 'x', '-', '[[:alpha:]]', 'é'),
    },
    { weight: 2, arbitrary: tie('re').map((re) => `(${re})`) },
    { weight: 1, arbitrary: tie('re').map((re) => `(?:${re})`) },
  ),
})).re;
const texts: Gen = literal(pieces(0, 7, 'a', 'b', 'A', 'ab', 'x', '-', ' ', '0', '12', 'é', '.', ','));
const numberPatterns: Gen = literal(
  pieces(
    1,
    8,
    '9',
    '9',
    '9',
    '0',
    '0',
    '.',
    'D',
    ',',
    'G',
    'FM',
    'S',
    'MI',
    'PL',
    'SG',
    'PR',
    'L',
    'V',
    'TH',
    'B',
    ' ',
    '"x"',
    '-',
  ),
);
const numbers: Gen = literal(pieces(0, 8, '1', '2', '0', '9', '.', ',', '-', '+', ' ', '<', '>', 'x'));
const datePatterns: Gen = literal(
  pieces(
    1,
    9,
    'YYYY',
    'YYYY',
    'MM',
    'DD',
    'YY',
    'Mon',
    'Month',
    'HH24',
    'HH12',
    'MI',
    'SS',
    'MS',
    'US',
    'DDD',
    'AM',
    'BC',
    'IYYY',
    'IW',
    'ID',
    'Q',
    'CC',
    'WW',
    'J',
    'Dy',
    '-',
    '.',
    ' ',
    '/',
    ':',
    'T',
    '"x"',
    'FM',
    'th',
  ),
);
const dateTexts: Gen = literal(
  pieces(
    0,
    9,
    '2026',
    '19',
    '03',
    '8',
    '12',
    '31',
    'Aug',
    'march',
    '0',
    '-',
    '-',
    '.',
    ' ',
    ':',
    '/',
    'x',
    'pm',
    'BC',
    '00',
    '1',
    '5',
  ),
);
const jsonTexts: Gen = literal(
  fc.oneof(
    fc.json({ maxDepth: 2 }),
    pieces(1, 6, '{', '}', '[', ']', '"a"', ':', ',', '1', '-0', '1.50', '1e3', 'true', 'null', ' ', '"\\u00e9"', '"x'),
  ),
).map((text) => text.replaceAll('\u0000', ''));

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
        fc.tuple(texts, literal(regexes), texts).map(([t, r, x]) => `regexp_replace(${t}, ${r}, ${x}, 'g')`),
        fc.tuple(f('$1', 'text'), literal(regexes)).map(([t, r]) => `regexp_replace(${t}, ${r}, '[\\1\\&]')`),
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `substring(${t} from ${r})`),
        fc.tuple(texts, literal(regexes), small).map(([t, r, n]) => `regexp_substr(${t}, ${r}, 1, ${n})`),
        fc.tuple(g('numeric'), numberPatterns).map(([n, p]) => `to_char(${n}, ${p})`),
        fc.tuple(g('int'), numberPatterns).map(([n, p]) => `to_char(${n}, ${p})`),
        f("array_to_string($1, ',', '*')", 'array'),
        withSmall('($1)[#]', 'array'),
        f('$1::text', 'array'),
        f('$1::text', 'json'),
        f("$1 ->> 'a'", 'json'),
        f("$1 #>> '{b,1}'", 'json'),
        withSmall('$1 ->> #', 'json'),
        f('jsonb_typeof($1)', 'json'),
        f("json_value($1, '$.b[0]')", 'json'),
        jsonTexts.map((t) => `(${t}::jsonb)::text`),
        f("encode($1, 'base64')", 'bytes'),
        f("encode($1, 'escape')", 'bytes'),
        f("encode(sha256($1), 'hex')", 'bytes'),
        withSmall('overlay($1 placing $2 from #)', 'text', 'text'),
        f('normalize($1, NFD)', 'text'),
        f('quote_literal($1)', 'text'),
        withSmall('to_hex(#)'),
        f('to_hex($1)', 'int'),
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
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `regexp_count(${t}, ${r})`),
        fc.tuple(texts, literal(regexes), small).map(([t, r, n]) => `regexp_instr(${t}, ${r}, 1, ${n}, 1)`),
        f('cardinality($1)', 'array'),
        f('array_length($1, 1)', 'array'),
        f('array_position($1, $2)', 'array', 'text'),
        f('length($1)', 'bytes'),
        f('ascii($1)', 'text'),
        f('scale($1)', 'numeric'),
        f('gcd($1, $2)', 'int', 'int'),
        f('lcm($1, $2)', 'int', 'int'),
        f('num_nulls($1, $2)', 'text', 'int'),
        f("($1 -> 'a')::int", 'json'),
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
        fc.tuple(numbers, numberPatterns).map(([t, p]) => `to_number(${t}, ${p})`),
        f('trim_scale($1)', 'numeric'),
        f("($1 ->> 'n')::numeric", 'json'),
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
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `${t} ~ ${r}`),
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `${t} ~* ${r}`),
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `regexp_like(${t}, ${r}, 'n')`),
        fc
          .tuple(texts, literal(pieces(0, 5, '%', '_', 'a', 'b', '(', ')', '|', '[a-c]', '.', '\\')))
          .map(([t, p]) => `${t} SIMILAR TO ${p}`),
        f('$1 = ANY ($2)', 'text', 'array'),
        f('$1 @> $2', 'json', 'json'),
        f("$1 ? 'a'", 'json'),
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
        fc.tuple(dateTexts, datePatterns).map(([t, p]) => `to_date(${t}, ${p})`),
        datePatterns.map((p) => `to_date(to_char(ts, ${p}), ${p})`),
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
        withSmall('make_timestamp(2026, 2, 28, 20 + #, 59 + #, 7.25 * #)'),
        f("date_bin('7 hours', $1, $2)", 'stamp', 'stamp'),
        ...branch('stamp'),
      ],
      zoned: [
        f("$1 AT TIME ZONE 'Europe/London'", 'stamp'),
        f("$1 AT TIME ZONE 'UTC'", 'stamp'),
        f('$1 + $2', 'zoned', 'span'),
        fc.tuple(dateTexts, datePatterns).map(([t, p]) => `to_timestamp(${t}, ${p})`),
        f("date_trunc('day', $1, 'Europe/London')", 'zoned'),
      ],
      span: [
        f('$1 - $2', 'stamp', 'stamp'),
        f('age($1, $2)', 'stamp', 'stamp'),
        f('age($1, $2)', 'date', 'date'),
        f('$1 + $2', 'span', 'span'),
        f('- $1', 'span'),
        withSmall('$1 * #', 'span'),
        f('justify_interval($1)', 'span'),
        f('justify_hours($1)', 'span'),
        withSmall('make_interval(0, #, 0, #, #)'),
      ],
      array: [
        f('string_to_array($1, $2)', 'text', 'text'),
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `regexp_split_to_array(${t}, ${r})`),
        fc.tuple(texts, literal(regexes)).map(([t, r]) => `regexp_match(${t}, ${r})`),
        f('array_append($1, $2)', 'array', 'text'),
        f('array_remove($1, $2)', 'array', 'text'),
        f('ARRAY[$1, $2]', 'text', 'text'),
        f('$1::text[]', 'text'),
      ],
      json: [
        f('to_jsonb($1)', 'stamp'),
        f('to_jsonb($1)', 'int'),
        f('to_jsonb($1)', 'array'),
        f("jsonb_build_object('x', $1, 'y', $2)", 'text', 'numeric'),
        f('jsonb_build_array($1, $2)', 'bool', 'json'),
        f('$1 || $2', 'json', 'json'),
        f("$1 - 'a'", 'json'),
        f("$1 -> 'b'", 'json'),
        f("$1 #> '{b,-1}'", 'json'),
        f('jsonb_strip_nulls($1)', 'json'),
        jsonTexts.map((t) => `${t}::jsonb`),
      ],
      bytes: [
        f("decode($1, 'escape')", 'text'),
        f("decode($1, 'base64')", 'text'),
        f("convert_to($1, 'UTF8')", 'text'),
        f('$1::bytea', 'text'),
      ],
    };
    return fc
      .oneof({ weight: 1, arbitrary: leaves[kind] }, { weight: 6, arbitrary: fc.oneof(...options[kind]) })
      .map((text) => (/[ -]/.test(text) ? `(${text})` : text));
  };
  return fc
    .constantFrom<Kind>(
      'text',
      'int',
      'numeric',
      'float',
      'bool',
      'date',
      'stamp',
      'zoned',
      'span',
      'array',
      'json',
      'bytes',
    )
    .chain((kind) => make(kind, depth));
}
