/** One change to the bytes of a file, as damage or a hurried hand would make it. */
export interface Mutation {
  readonly bytes: Buffer;
  /** Which, and where: `flip 17`. */
  readonly what: string;
}
/** Longest piece that is doubled or taken out. */
const LONGEST = 200;

/** `random` gives whole numbers below its argument. */
export function mutated(whole: Buffer, random: (below: number) => number): Mutation {
  const at = random(whole.length);
  const length = 1 + random(Math.min(LONGEST, whole.length - at));
  const before = whole.subarray(0, at);
  const changed = (byte: number): Buffer => {
    const copy = Buffer.from(whole);
    copy[at] = byte;
    return copy;
  };
  switch (random(6)) {
    case 0:
      return { what: `flip ${at}`, bytes: changed(whole[at]! ^ (1 << random(8))) };
    case 1:
      return { what: `byte ${at}`, bytes: changed(random(256)) };
    case 2:
      return { what: `cut ${at}`, bytes: before };
    case 3:
      return {
        what: `double ${at}+${length}`,
        bytes: Buffer.concat([whole.subarray(0, at + length), whole.subarray(at)]),
      };
    case 4:
      return { what: `without ${at}+${length}`, bytes: Buffer.concat([before, whole.subarray(at + length)]) };
    default: {
      // What has a meaning in one of the formats, where nobody expects it.
      const signs = ['"', ']', '}', '[', '{', ',', ';', '\n', '\r', '<', '>', '&', '/', '\\', ':', '\0', ']]>', '<!--'];
      const sign = signs[random(signs.length)]!;
      return {
        what: `put ${JSON.stringify(sign)} ${at}`,
        bytes: Buffer.concat([before, Buffer.from(sign), whole.subarray(at)]),
      };
    }
  }
}
