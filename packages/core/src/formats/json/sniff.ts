import { nestedGuess } from '../nested/sniff.ts';
import type { Guess, Sample } from '../sample.ts';
import type { JsonFormat } from './settings.ts';

/** Whether text is JSON, or a line of it after the other; null: neither. `name`: in small letters. */
export function jsonKind(text: string, name: string): 'json' | 'jsonl' | null {
  if (/\.(jsonl|ndjson)$/.test(name)) return 'jsonl';
  const isDelimited = /\.(csv|tsv|txt)$/.test(name);
  const isJson = name.endsWith('.json');
  const start = text.trimStart();
  if (start.startsWith('[') && /^\[\s*[{\]]/.test(start) && !isDelimited) return 'json';
  // What is called JSON and is something else is told so.
  if (!start.startsWith('{') || isDelimited) return isJson ? 'json' : null;
  // One object a line, or one object over several lines (or a single long one).
  const firstLine = start.slice(0, start.indexOf('\n') < 0 ? undefined : start.indexOf('\n'));
  const rest = start.slice(firstLine.length).trimStart();
  if (/\}\s*$/.test(firstLine) && rest.startsWith('{')) return 'jsonl';
  if (isJson || /^\{\s*("|\})/.test(start)) return rest === '' && !isJson ? 'jsonl' : 'json';
  return null;
}

export function sniffJson(sample: Sample): Guess<JsonFormat> | null {
  if (jsonKind(sample.text, sample.name) !== 'json') return null;
  return nestedGuess('json', sample, null, ({ records }) =>
    records === '' ? 'a list or object at the top' : `the longest list is at ${records}`,
  );
}
