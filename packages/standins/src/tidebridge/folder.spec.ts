import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DAMAGES } from './trips.ts';
import { writeTidebridge } from './folder.ts';

describe('the Tidebridge export folder', () => {
  let folder: string;
  let rows: string[][];
  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'tidebridge-'));
    await writeTidebridge(folder, 4000);
    rows = ['trips-2026-08.csv', 'trips-2026-09.csv'].flatMap((name) =>
      readFileSync(join(folder, name), 'utf8')
        .trim()
        .split('\n')
        .slice(1)
        .map((line) => line.split(';')),
    );
  });
  afterAll(() => rmSync(folder, { recursive: true }));

  it('has as many trips as wanted', () => expect(rows).toHaveLength(4000));
  it('is the same each time', async () => {
    const again = mkdtempSync(join(tmpdir(), 'tidebridge-'));
    await writeTidebridge(again, 4000);
    for (const name of ['stations.csv', 'trips-2026-08.csv', 'trips-2026-09.csv'])
      expect(readFileSync(join(again, name), 'utf8')).toBe(readFileSync(join(folder, name), 'utf8'));
    rmSync(again, { recursive: true });
  });
  it('has the damages in the stated numbers', () => {
    const count = (test: (row: string[]) => boolean): number => rows.filter(test).length;
    expect(count((r) => /\./.test(r[7]!))).toBe(DAMAGES.point);
    expect(count((r) => /E\+/.test(r[1]!))).toBe(DAMAGES.scientific);
    expect(count((r) => r[1] === '0007731')).toBe(DAMAGES.unknownBike);
    expect(count((r) => r[4] === 'S-077')).toBe(DAMAGES.unknownStation);
    expect(count((r) => r.length !== 12)).toBe(DAMAGES.ragged);
    expect(count((r) => r[3] === '')).toBe(DAMAGES.withoutEnd);
    expect(count((r) => r[10] === 'good')).toBe(DAMAGES.ratingInWords);
    expect(count((r) => r[9] === 'Z')).toBe(DAMAGES.oldTariff);
    expect(rows.length - new Set(rows.map((r) => r[0])).size).toBe(DAMAGES.twice);
  });
  it('keeps leading zeros', () => expect(rows.every((r) => /^0\d{6}$/.test(r[0]!))).toBe(true));
  it('names one station twice', () => {
    const codes = readFileSync(join(folder, 'stations.csv'), 'utf8')
      .trim()
      .split('\n')
      .slice(1)
      .map((l) => l.split(';')[0]);
    expect(codes.length - new Set(codes).size).toBe(1);
  });
});
