import { createWriteStream, existsSync, mkdirSync, renameSync } from 'node:fs';
import { once } from 'node:events';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Files and documents of the benchmarks: 12 fields, 12 typical rules. */

export const folder = join(tmpdir(), 'versicle-bench');

/** A file of so many trips, written once. A fixed recurrence, so that every machine has the same file. */
export async function tripsFile(rows: number): Promise<string> {
  mkdirSync(folder, { recursive: true });
  const path = join(folder, `trips-${rows}.csv`);
  if (existsSync(path)) return path;
  const stream = createWriteStream(`${path}.part`);
  let state = 12345;
  const random = (n: number): number => {
    state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff;
    return state % n;
  };
  const two = (n: number): string => String(n).padStart(2, '0');
  let text = 'trip_id;bike_id;started;ended;from_station;to_station;member_no;miles;fare;tariff;rating;name\n';
  for (let i = 0; i < rows; i++) {
    const [day, hour, minute] = [1 + random(28), random(23), random(60)];
    const date = `${two(day)}.${two(1 + random(12))}.2026`;
    text += `${String(i).padStart(8, '0')};${String(7500 + random(210)).padStart(7, '0')};${date} ${two(hour)}:${two(minute)};${date} ${two(hour + 1)}:${two(minute)};S-${String(1 + random(23)).padStart(3, '0')};S-${String(1 + random(23)).padStart(3, '0')};${random(10) === 0 ? '' : String(40000 + random(5200)).padStart(7, '0')};${random(12)},${two(random(100))};${random(20)},${two(random(100))}${random(50) === 0 ? '-' : ''};${'ABCD'[random(4)]};${random(4) === 0 ? 1 + random(5) : ''};Aldermoor, Kit ${random(900)}\n`;
    if (text.length > 1_000_000) {
      if (!stream.write(text)) await once(stream, 'drain');
      text = '';
    }
  }
  stream.end(text);
  await once(stream, 'finish');
  renameSync(`${path}.part`, path);
  return path;
}

const field = (name: string, type: string, required = false): object => ({ name, type, nullable: !required, required });
export const TARGET = [
  field('trip_no', 'varchar(10)', true),
  field('bike_id', 'varchar(8)', true),
  field('route', 'varchar(12)', true),
  field('member_no', 'varchar(7)'),
  field('member_kind', 'varchar(6)', true),
  field('started_at', 'timestamp', true),
  field('duration_min', 'integer'),
  field('distance_km', 'numeric(6,2)'),
  field('fare', 'numeric(7,2)', true),
  field('tariff', 'varchar(10)', true),
  field('rating', 'smallint'),
  field('last_name', 'varchar(40)'),
];
const P = "'DD.MM.YYYY HH24:MI'";
export const RULES: Readonly<Record<string, string>> = {
  trip_no: 't.trip_id',
  bike_id: "'TB-' || lpad((t.bike_id::integer - 7500)::text, 4, '0')",
  route: "substring(t.from_station, 3) || '>' || substring(t.to_station, 3)",
  member_no: 't.member_no',
  member_kind: "CASE WHEN t.member_no IS NULL THEN 'guest' ELSE 'member' END",
  started_at: `parse_timestamp(t.started, ${P})`,
  duration_min: `(extract(epoch FROM parse_timestamp(t.ended, ${P}) - parse_timestamp(t.started, ${P})) / 60)::integer`,
  distance_km: "round(parse_number(t.miles, ',') * 1.609344, 2)",
  fare: "parse_number(t.fare, ',')",
  tariff: "lookup('tariff', t.tariff)",
  rating: 't.rating::smallint',
  last_name: "upper(split_part(t.name, ', ', 1))",
};
export const TARIFFS = { A: 'MONTHLY', B: 'YEARLY', C: 'STUDENT', D: 'CASUAL' } as const;

export function document(dataset: string, target: string): object {
  return {
    versicle: 1,
    name: 'Benchmark',
    source: { primary: { alias: 't', dataset } },
    target: { dataset: target, key: ['trip_no'], fields: TARGET },
    lines: Object.entries(RULES).map(([name, rule], i) => ({ id: `l${i + 1}`, target: name, kind: 'rule', rule })),
    codeTables: { tariff: Object.entries(TARIFFS).map(([from, to]) => ({ from, to })) },
    write: { mode: 'insert' },
  };
}
