import { Fault, isFault } from '../../faults.ts';
import type { Encoding } from '../format.ts';
import type { JsonFormat } from '../json/settings.ts';
import type { Guess, Sample } from '../sample.ts';
import { decodeText } from '../text/decode.ts';
import type { XmlFormat } from '../xml/settings.ts';
import { learnNested } from './learn.ts';

interface ByKind {
  readonly json: JsonFormat;
  readonly xml: XmlFormat;
}
/**
 * The format of nested text with the structure of its first records. `declared`: the encoding that its first characters
 * name, where the format has them do so; `found`: how its records were found, for people.
 */
export function nestedGuess<K extends keyof ByKind>(
  kind: K,
  { bytes, encoding, reason, fileName }: Sample,
  declaredBy: ((head: string) => Encoding | null) | null,
  found: (format: ByKind[K]) => string,
): Guess<ByKind[K]> {
  const text = decodeText(bytes, encoding);
  try {
    const declared = declaredBy?.(text.slice(0, 200)) ?? null;
    const actual = declared !== null && declared !== encoding && !encoding.startsWith('utf-16') ? declared : encoding;
    const format = learnNested(kind, actual === encoding ? text : decodeText(bytes, actual), actual) as ByKind[K];
    const reasons = [
      declared === null ? reason : `${actual === 'utf-8' ? 'UTF-8' : actual}, as its declaration says`,
      found(format),
    ];
    const [, ...inside] = format.structures;
    if (inside.length > 0) reasons.push(`inside the records, ${inside.map((s) => s.path).join(', ')} can repeat`);
    return { format, reasons };
  } catch (error) {
    throw isFault(error, 'unreadable') ? new Fault('unreadable', `${fileName}: ${error.message}`) : error;
  }
}
