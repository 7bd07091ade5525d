import { parse } from 'libpg-query';
import { compileMapping, parseDocument, sourceFieldsFor } from '../packages/core/src/index.ts';

/** Compiling a document of 1,000 rules, as the sheet does after each edit; beside it PostgreSQL's own parser on the same rules. */

const RULES = [
  'trim(t.note)',
  "round(parse_number(t.miles, ',') * 1.609344, 2)",
  "upper(t.tariff) || '-' || t.bike_id",
  "CASE WHEN t.rating = '5' THEN 'best' WHEN t.rating = '1' THEN 'worst' ELSE t.rating END",
  "to_char(parse_timestamp(t.started, 'DD.MM.YYYY HH24:MI') AT TIME ZONE 'Europe/London', 'YYYY-MM-DD')",
  "split_part(t.started, ' ', 2)",
  "regexp_replace(t.bike_id, '^0+', '')",
  "COALESCE(NULLIF(trim(t.member_no), ''), 'none')",
];
const COUNT = 1000;
const rules = Array.from(
  { length: COUNT },
  (_, i) => `${RULES[i % RULES.length]!.replace('t.note', `t.note || '${i}'`)}`,
);
const document = parseDocument({
  versicle: 1,
  name: 'Wide',
  source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
  target: { dataset: 'store/wide', fields: rules.map((_, i) => ({ name: `field_${i}`, type: 'text' })) },
  lines: rules.map((rule, i) => ({ id: `l${i}`, target: `field_${i}`, kind: 'rule', rule })),
});
const fields = sourceFieldsFor(document, ['note', 'miles', 'tariff', 'bike_id', 'rating', 'started', 'member_no']);

const times: number[] = [];
for (let n = 0; n < 5; n++) {
  const started = performance.now();
  const { problems } = compileMapping(document, fields);
  times.push(performance.now() - started);
  if (problems.length > 0) throw new Error(problems[0]!.message);
}
await parse('SELECT 1');
const started = performance.now();
for (const rule of rules) await parse(`SELECT ${rule} FROM t`);
const floor = performance.now() - started;
const [cold, ...warm] = times;
const median = warm.sort((a, b) => a - b)[1]!;
console.log(
  `compile ${COUNT} rules: ${cold!.toFixed(0)} ms the first time, ${median.toFixed(0)} ms after that (below 200); parsing alone by libpg-query ${floor.toFixed(0)} ms: ${(median / floor).toFixed(2)}`,
);
