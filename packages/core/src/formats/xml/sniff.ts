import { nestedGuess } from '../nested/sniff.ts';
import type { Guess, Sample } from '../sample.ts';
import { xmlEncoding } from './read.ts';
import type { XmlFormat } from './settings.ts';

/** Whether text is XML. `name`: in small letters. */
export function isXml(text: string, name: string): boolean {
  const start = text.trimStart();
  return (
    start.startsWith('<') && (/^<(\?xml|!--|!DOCTYPE|[A-Za-z_][^\s,;|]*[\s/>])/.test(start) || name.endsWith('.xml'))
  );
}

export function sniffXml(sample: Sample): Guess<XmlFormat> | null {
  if (!isXml(sample.text, sample.name)) return null;
  return nestedGuess(
    'xml',
    sample,
    (head) => xmlEncoding(head),
    ({ records }) => `<${records.split('/').at(-1)}> repeats`,
  );
}
