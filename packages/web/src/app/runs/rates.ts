import type { RunDetail } from '@versicle/contract';

/** Points of a curve: seconds since the start, and records settled a second between two checkpoints. */
export function ratesOf(samples: RunDetail['samples']): { x: number; y: number }[] {
  const points: { x: number; y: number }[] = [];
  let before = { millis: 0, settled: 0 };
  for (const sample of samples) {
    const seconds = (sample.millis - before.millis) / 1000;
    if (seconds <= 0) continue;
    const y = (sample.settled - before.settled) / seconds;
    if (points.length === 0) points.push({ x: before.millis / 1000, y });
    points.push({ x: sample.millis / 1000, y });
    before = sample;
  }
  return points;
}
