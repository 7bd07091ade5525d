import { jsonKind } from '../json/sniff.ts';
import type { Guess, Sample } from '../sample.ts';
import type { JsonLinesFormat } from './settings.ts';

export function sniffJsonLines({ text, name, encoding, reason }: Sample): Guess<JsonLinesFormat> | null {
  if (jsonKind(text, name) !== 'jsonl') return null;
  return { format: { kind: 'jsonl', encoding }, reasons: [reason, 'each line is a JSON object'] };
}
