import { Fault } from '../../faults.ts';
import { MAX_CELL } from '../format.ts';
import { PastParser, PLAIN_TEXT } from '../xml/past-parser.ts';
import { local, textOf, xmlParser, type Archive } from './parts.ts';

/** Characters of all shared texts together at the most. */
const MAX_SHARED = 128 * 1024 * 1024;

/** Null: longer than a cell may be. */
export type SharedText = string | null;

/** A text as nearly all programs write most of them. */
const PLAIN_ITEM = new RegExp(`<si><t(?: xml:space="preserve")?>(${PLAIN_TEXT})</t></si>`, 'g');

/** The texts that cells refer to by number. Rich-text runs are put together; phonetic hints are left out. */
export async function sharedTexts(archive: Archive, part: string): Promise<SharedText[]> {
  const texts: SharedText[] = [];
  let text = '';
  let inside = false;
  let phonetic = 0;
  let size = 0;
  let depth = 0;
  const add = (whole: string): void => {
    texts.push(whole.length > MAX_CELL ? null : unescaped(whole));
    size += whole.length;
    if (size > MAX_SHARED) throw new Fault('unreadable', 'The texts of the workbook are too large to be read.');
  };
  const parser = xmlParser();
  const past = new PastParser(parser, PLAIN_ITEM, ([, whole]) => {
    if (depth === 1) add(whole!);
    return depth === 1;
  });
  parser.on('opentag', (tag) => {
    depth++;
    const name = local(tag.name);
    if (name === 'si') text = '';
    else if (name === 'rPh') phonetic++;
    else if (name === 't') inside = phonetic === 0;
  });
  parser.on('text', (piece) => {
    if (inside && text.length <= MAX_CELL) text += piece;
  });
  parser.on('closetag', (tag) => {
    depth--;
    const name = local(tag.name);
    if (name === 'si') add(text);
    else if (name === 'rPh') phonetic--;
    else if (name === 't') inside = false;
  });
  for await (const piece of textOf(archive, part)) past.write(piece);
  parser.close();
  return texts;
}

/** Control characters are stored as _x000D_ (ECMA-376, 22.9.2.19). */
export function unescaped(text: string): string {
  return text.includes('_x')
    ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)))
    : text;
}
