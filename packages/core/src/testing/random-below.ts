/** Whole numbers from 0, below what is asked for; the same ones for the same seed (mulberry32). */
export function randomBelow(seed: number): (below: number) => number {
  let state = seed | 0;
  return (below) => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return Math.floor((((t ^ (t >>> 14)) >>> 0) / 4_294_967_296) * below);
  };
}
