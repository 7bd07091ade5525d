import type { Volume, VolumeRow } from '@versicle/contract';

/** What is measured, by the member of a row. */
export const MEASURES = {
  delivered: $localize`Records delivered`,
  read: $localize`Records read`,
  bytesRead: $localize`Bytes read`,
  bytesSent: $localize`Bytes sent`,
  requests: $localize`Requests`,
} as const satisfies Partial<Record<keyof VolumeRow, string>>;
export type Measure = keyof typeof MEASURES;

/** All days or months from the first that is looked at up to now, also those on which nothing was moved. */
export function timesOf({ from }: Pick<Volume, 'from'>, now = new Date()): string[] {
  const [year, month, day] = from.split('-').map(Number) as [number, number, number | undefined];
  const times: string[] = [];
  for (let n = 0; n < 400; n++) {
    const at =
      day === undefined ? new Date(Date.UTC(year, month - 1 + n, 1)) : new Date(Date.UTC(year, month - 1, day + n));
    if (at > now) break;
    times.push(at.toISOString().slice(0, from.length));
  }
  return times;
}

/** The sum of a measure by time. */
export function sumsOf(rows: readonly VolumeRow[], times: readonly string[], measure: Measure): number[] {
  const sums = new Map<string, number>();
  for (const row of rows) sums.set(row.time, (sums.get(row.time) ?? 0) + row[measure]);
  return times.map((time) => sums.get(time) ?? 0);
}
