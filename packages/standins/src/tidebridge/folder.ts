import { createWriteStream, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { once } from 'node:events';
import { bikesFile } from './bikes.ts';
import { membersFile } from './members.ts';
import { REPAIRS_XSD, repairsFile } from './repairs.ts';
import { stationsFile } from './stations.ts';
import { TARIFFS_FILE } from './tariffs.ts';
import { DAMAGES, tripsFile, type Month } from './trips.ts';

const SEED = 58_023;

/** The two months of trips; a test may ask for fewer trips. */
export function months(trips = 200_000): Month[] {
  const first = Math.round(trips * 0.52);
  return [
    { year: 2026, month: 8, trips: first, first: 412_001 },
    { year: 2026, month: 9, trips: trips - first, first: 412_001 + first },
  ];
}

/** Writes the Tidebridge export folder. */
export async function writeTidebridge(directory: string, trips?: number): Promise<void> {
  mkdirSync(directory, { recursive: true });
  writeFileSync(join(directory, 'stations.csv'), stationsFile(SEED));
  writeFileSync(join(directory, 'tariffs.csv'), TARIFFS_FILE);
  writeFileSync(join(directory, 'members.txt'), membersFile(SEED));
  writeFileSync(join(directory, 'bikes.xlsx'), await bikesFile(SEED));
  writeFileSync(join(directory, 'repairs.xml'), repairsFile(SEED));
  writeFileSync(join(directory, 'repairs.xsd'), REPAIRS_XSD);
  const carried: string[] = [];
  const list = months(trips);
  for (const [i, month] of list.entries()) {
    const stream = createWriteStream(
      join(directory, `trips-${month.year}-${String(month.month).padStart(2, '0')}.csv`),
    );
    for (const piece of tripsFile(SEED, month, (damage) => shareOf(damage, i), carried))
      if (!stream.write(piece)) await once(stream, 'drain');
    stream.end();
    await once(stream, 'finish');
  }
}

/** What was spoiled by the spreadsheet program lies in the second month; a trip that stands twice is damaged in both. */
function shareOf(damage: keyof typeof DAMAGES, month: number): number {
  const all = DAMAGES[damage];
  if (damage === 'twice') return all;
  if (damage === 'point' || damage === 'scientific') return month === 1 ? all : 0;
  return month === 0 ? Math.floor(all / 2) : all - Math.floor(all / 2);
}
