import type { VolumeRow } from '@versicle/contract';
import { sumsOf, timesOf } from './times';

describe('volume by time', () => {
  it('has each day and each month, also those on which nothing was moved', () => {
    expect(timesOf({ from: '2026-12' }, new Date('2027-02-01T00:00:00Z'))).toEqual(['2026-12', '2027-01', '2027-02']);
    expect(timesOf({ from: '2028-02-28' }, new Date('2028-03-01T12:00:00Z'))).toEqual([
      '2028-02-28',
      '2028-02-29',
      '2028-03-01',
    ]);
  });
  it('adds up what plans and systems moved', () => {
    const row = (time: string, delivered: number): VolumeRow => ({ time, delivered }) as VolumeRow;
    const rows = [row('2027-01', 3), row('2027-01', 4), row('2026-12', 1)];
    expect(sumsOf(rows, ['2026-12', '2027-01', '2027-02'], 'delivered')).toEqual([1, 7, 0]);
  });
});
