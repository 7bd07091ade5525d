/** A text by its code points, as PostgreSQL counts them; slices are cheap where no character is a surrogate pair. */
export class Subject {
  readonly points: Uint32Array;
  private readonly offsets: Uint32Array | null;

  constructor(private readonly text: string) {
    const points = new Uint32Array(text.length);
    let count = 0;
    let pairs = false;
    for (let i = 0; i < text.length; i++) {
      const point = text.codePointAt(i)!;
      points[count++] = point;
      if (point > 0xffff) {
        pairs = true;
        i++;
      }
    }
    this.points = points.subarray(0, count);
    this.offsets = pairs ? offsetsOf(this.points) : null;
  }
  get length(): number {
    return this.points.length;
  }
  slice(start: number, end: number): string {
    return this.offsets ? this.text.slice(this.offsets[start], this.offsets[end]) : this.text.slice(start, end);
  }
}
function offsetsOf(points: Uint32Array): Uint32Array {
  const offsets = new Uint32Array(points.length + 1);
  for (let i = 0; i < points.length; i++) offsets[i + 1] = offsets[i]! + (points[i]! > 0xffff ? 2 : 1);
  return offsets;
}
