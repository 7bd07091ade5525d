import { Random } from '../random.ts';
import { STATION_COUNT, stationCode } from './stations.ts';

/** The 210 bikes that were exported. */
export const bikeId = (number: number): string => String(7500 + number).padStart(7, '0');
export const BIKE_COUNT = 210;

/** Damages, by how many trips of all months together have them. */
export const DAMAGES = {
  /** Miles with a decimal point: part of a month was saved by a spreadsheet program. */
  point: 14,
  /** Bike ids turned into scientific notation by the same. */
  scientific: 9,
  /** A bike that was never exported. */
  unknownBike: 3,
  /** A station that was closed before the export. */
  unknownStation: 5,
  endsBeforeStart: 6,
  /** The trip stands in the next month's file too. */
  twice: 4,
  /** A semicolon in an unquoted note. */
  ragged: 3,
  withoutEnd: 3,
  longNote: 2,
  ratingInWords: 3,
  /** Tariff Z, which nobody remembers. */
  oldTariff: 7,
} as const;
type Damage = keyof typeof DAMAGES;

const HEADER = 'trip_id;bike_id;started;ended;from_station;to_station;member_no;miles;fare;tariff;rating;note';
const TARIFFS = ['A', 'A', 'A', 'A', 'B', 'B', 'C', 'D'];
const NOTES = ['light broken', 'seat loose', 'returned by staff', 'brake squeaks', 'basket missing'];
const LONG_NOTE =
  'rider rang twice about the rear light and again about the lock, promised to be called back on Monday';

const two = (n: number): string => String(n).padStart(2, '0');
const comma = (value: number): string => value.toFixed(2).replace('.', ',');

export interface Month {
  readonly year: number;
  readonly month: number;
  readonly trips: number;
  /** The number of the first trip. */
  readonly first: number;
}

/** Where the damages lie: trip index → damage, spread over the month by the seed. */
function damagesOf(month: Month, share: (damage: Damage) => number, random: Random): Map<number, Damage> {
  const places = new Map<number, Damage>();
  for (const damage of Object.keys(DAMAGES) as Damage[])
    for (let n = 0; n < share(damage);) {
      const at = random.whole(200, month.trips - 200);
      if (places.has(at)) continue;
      places.set(at, damage);
      n++;
    }
  return places;
}

/** The lines of one month's file, header first, in pieces of a few thousand. `carried`: rows repeated from the month before. */
export function* tripsFile(
  seed: number,
  month: Month,
  share: (damage: Damage) => number,
  carried: string[],
): Generator<string> {
  const random = new Random(seed + month.year * 100 + month.month);
  const damages = damagesOf(month, share, random);
  const repeated = carried.splice(0);
  let lines: string[] = [HEADER];
  for (let i = 0; i < month.trips; i++) {
    const damage = damages.get(i);
    // A trip that stands twice takes the place of another one, so that the months keep their size.
    const again = damage === 'twice' ? repeated.pop() : undefined;
    const row = again ?? trip(month, i, random, damage);
    lines.push(row);
    if (damage === 'twice' && again === undefined) carried.push(row);
    if (lines.length >= 4000) {
      yield `${lines.join('\n')}\n`;
      lines = [];
    }
  }
  yield `${lines.join('\n')}\n`;
}

function trip(month: Month, i: number, random: Random, damage: Damage | undefined): string {
  const days = new Date(Date.UTC(month.year, month.month, 0)).getUTCDate();
  const minuteOfMonth = Math.floor(((i + random.next()) / month.trips) * days * 1440);
  const started = Date.UTC(month.year, month.month - 1, 1) + minuteOfMonth * 60_000;
  const minutes = random.whole(3, 55);
  const ended = damage === 'endsBeforeStart' ? started - 60_000 * random.whole(5, 90) : started + minutes * 60_000;
  const bike = random.whole(1, BIKE_COUNT);
  const miles = minutes * (0.08 + random.next() * 0.09);
  const refund = random.next() < 0.004;
  const tariff = random.next() < 0.0006 ? 'TEST' : random.next() < 0.006 ? 'VAN' : random.pick(TARIFFS);
  const cells = [
    String(month.first + i).padStart(7, '0'),
    bikeId(bike),
    stamp(started),
    stamp(ended),
    stationCode(random.whole(1, STATION_COUNT)),
    stationCode(random.whole(1, STATION_COUNT)),
    random.next() < 0.91 ? `004${two(random.whole(0, 51))}${two(random.whole(0, 99))}` : '',
    comma(miles),
    refund ? `${comma(1 + random.next() * 4)}-` : comma(random.next() < 0.4 ? 0 : 1 + minutes * 0.12),
    damage ? 'A' : tariff,
    random.next() < 0.22 ? String(random.whole(1, 5)) : '',
    random.next() < 0.01 ? random.pick(NOTES) : '',
  ];
  if (damage) spoil(cells, damage, miles, bike);
  return cells.join(';');
}

function stamp(time: number): string {
  const d = new Date(time);
  return `${two(d.getUTCDate())}.${two(d.getUTCMonth() + 1)}.${d.getUTCFullYear()} ${two(d.getUTCHours())}:${two(d.getUTCMinutes())}`;
}

function spoil(cells: string[], damage: Damage, miles: number, bike: number): void {
  if (damage === 'point') cells[7] = miles.toFixed(2);
  if (damage === 'scientific') cells[1] = `${((7500 + bike) / 1000).toFixed(2)}E+03`;
  if (damage === 'unknownBike') cells[1] = '0007731';
  if (damage === 'unknownStation') cells[4] = 'S-077';
  if (damage === 'ragged') cells[11] = 'chain off; walked back';
  if (damage === 'withoutEnd') cells[3] = '';
  if (damage === 'longNote') cells[11] = LONG_NOTE;
  if (damage === 'ratingInWords') cells[10] = 'good';
  if (damage === 'oldTariff') cells[9] = 'Z';
}
