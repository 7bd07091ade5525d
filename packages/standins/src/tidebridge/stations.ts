import { Random } from '../random.ts';

const NAMES = [
  'Quillstairs', 'Ropewalk East', 'Tollhouse', 'Lanternfield', 'Mill Basin', 'Upper Weir', 'Saltmarsh Lane', 'Observatory Hill',
  'Customs Steps', 'Ferry Slip', 'Glassworks', 'Orchard Row', 'Signal Yard', 'Tannery Bridge', 'Market Cross', 'Heron Pond',
  'Clocktower', 'Sailmakers', 'Northgate Depot', 'Printers’ Court', 'Causeway End', 'Brickfield', 'Lighthouse Walk',
]; // prettier-ignore
const DISTRICTS = ['Harbour', 'Old Town', 'Hillside', 'Marsh'];

export const stationCode = (number: number): string => `S-${String(number).padStart(3, '0')}`;
export const STATION_COUNT = NAMES.length;

const comma = (value: number, places: number): string => value.toFixed(places).replace('.', ',');

/**
 * stations.csv: semicolons, decimal commas, a minus behind the number, dates as day.month.year. Three rows are damaged: one
 * station stands twice, one was opened on 00.00.0000, one has a word where the number of docks should be.
 */
export function stationsFile(seed: number): string {
  const random = new Random(seed);
  const rows = NAMES.map((name, i) => {
    const opened = `${String(random.whole(1, 28)).padStart(2, '0')}.${String(random.whole(1, 12)).padStart(2, '0')}.${random.whole(2011, 2022)}`;
    const latitude = comma(47.1 + random.next() * 0.08, 5);
    const longitude = `${comma(28.35 + random.next() * 0.1, 5)}-`;
    return [
      stationCode(i + 1),
      name,
      random.pick(DISTRICTS),
      latitude,
      longitude,
      String(random.whole(10, 28)),
      opened,
      random.next() < 0.3 ? 'yes' : 'no',
    ];
  });
  rows[6]![6] = '00.00.0000';
  rows[14]![5] = 'twelve';
  rows.push([...rows[18]!]);
  rows[23]![1] = 'Northgate';
  return (
    ['code;name;district;latitude;longitude;docks;opened;sheltered', ...rows.map((r) => r.join(';'))].join('\n') + '\n'
  );
}
