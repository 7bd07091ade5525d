/** Bytes of an answer as text: what a byte order mark, the header's charset or an XML declaration says, otherwise UTF-8. */

const MARKS: readonly (readonly [encoding: string, mark: readonly number[]])[] = [
  ['utf-8', [0xef, 0xbb, 0xbf]],
  ['utf-16le', [0xff, 0xfe]],
  ['utf-16be', [0xfe, 0xff]],
];

/** The text can't be read in the encoding that it says it has, or that it should have. */
export class BadEncoding extends Error {}

export function decodeBody(bytes: Uint8Array, contentType: string | undefined, lenient = false): string {
  const marked = MARKS.find(([, mark]) => mark.every((byte, i) => bytes[i] === byte))?.[0];
  const said = marked ?? charsetOf(contentType) ?? declaredIn(bytes) ?? 'utf-8';
  let decoder: InstanceType<typeof TextDecoder>;
  try {
    decoder = new TextDecoder(said, { fatal: !lenient });
  } catch {
    if (lenient) return new TextDecoder().decode(bytes);
    throw new BadEncoding(`it is said to be in the encoding “${said.slice(0, 40)}”, which is not known`);
  }
  try {
    // In one go, Node.js 20 takes windows-1252 for Latin-1; as a stream it does not.
    return decoder.decode(bytes, { stream: true }) + decoder.decode();
  } catch {
    throw new BadEncoding(
      `it is not ${said.toUpperCase()}${(marked ?? charsetOf(contentType) ?? declaredIn(bytes)) ? ', as it says it is' : ', and does not say what it is'}`,
    );
  }
}
function charsetOf(contentType: string | undefined): string | null {
  return /;\s*charset\s*=\s*"?([^\s";]+)/i.exec(contentType ?? '')?.[1]?.toLowerCase() ?? null;
}
/** `<?xml version="1.0" encoding="ISO-8859-1"?>` (XML 1.0, 4.3.3). */
function declaredIn(bytes: Uint8Array): string | null {
  const start = new TextDecoder('latin1').decode(bytes.subarray(0, 200));
  return /^\s*<\?xml[^>]*?\sencoding\s*=\s*["']([A-Za-z][A-Za-z0-9._-]*)["']/.exec(start)?.[1]?.toLowerCase() ?? null;
}
