import type { SaxesTagPlain } from 'saxes';
import { local, textOf, xmlParser, type Archive } from './parts.ts';

/** What a number in a cell is shown as: itself (null), a point in time, or a time that has passed (`[h]:mm`). */
export type CellFormat = null | 'date' | 'time' | 'timestamp' | 'duration';

/** Which cell formats show dates: the built-in ones, and own ones with a date's letters. */
export async function cellFormatsOf(archive: Archive, part: string): Promise<CellFormat[]> {
  const own = new Map<number, string>();
  const formats: CellFormat[] = [];
  const inside: string[] = [];
  const parser = xmlParser();
  parser.on('opentag', (tag: SaxesTagPlain) => {
    const name = local(tag.name);
    const within = inside.at(-1);
    // Formats of conditions have numbers of their own.
    if (name === 'numFmt' && within === 'numFmts')
      own.set(Number(tag.attributes['numFmtId']), tag.attributes['formatCode'] ?? '');
    if (name === 'xf' && within === 'cellXfs') formats.push(cellFormat(Number(tag.attributes['numFmtId'] ?? 0), own));
    inside.push(name);
  });
  parser.on('closetag', () => inside.pop());
  for await (const piece of textOf(archive, part)) parser.write(piece);
  parser.close();
  return formats;
}
/** ECMA-376, 18.8.30. */
function cellFormat(id: number, own: ReadonlyMap<number, string>): CellFormat {
  const code = own.get(id);
  if (code === undefined) {
    if ((id >= 14 && id <= 17) || (id >= 27 && id <= 31) || id === 36 || (id >= 50 && id <= 58)) return 'date';
    if ((id >= 18 && id <= 21) || (id >= 32 && id <= 35) || id === 45 || id === 47) return 'time';
    if (id === 46) return 'duration';
    return id === 22 ? 'timestamp' : null;
  }
  const bare = code.replace(/"[^"]*"|\\.|\[(?![hms]+\])[^\]]*\]|_.|\*./gi, '').toLowerCase();
  if (/\[[hms]+\]/.test(bare)) return 'duration';
  const day = /[dy]|mmm/.test(bare);
  const time = /[hs]/.test(bare);
  if (!day && !time) return null;
  return day && time ? 'timestamp' : day ? 'date' : 'time';
}
