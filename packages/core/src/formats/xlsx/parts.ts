import { SaxesParser, type SaxesTagPlain } from 'saxes';
import { Fault, isFault } from '../../faults.ts';

/** The parts of a ZIP archive, by name. Whoever opens it checks sizes before unpacking. */
export interface Archive {
  readonly names: readonly string[];
  /** Unpacks one part. Throws a fault when it is missing or damaged. */
  read(name: string): AsyncIterable<Uint8Array>;
}

/** What one part says that another one is to it (ECMA-376 part 2, 6.5), by the last word of its type. */
export interface Relationship {
  readonly id: string;
  readonly kind: string;
  /** The name of the part. */
  readonly part: string;
}

/** A name without its prefix. */
export const local = (name: string): string => {
  const colon = name.indexOf(':');
  return colon < 0 ? name : name.slice(colon + 1);
};

export function xmlParser(): SaxesParser {
  const parser = new SaxesParser({ position: false });
  parser.on('doctype', () => {
    throw new Fault('unreadable', 'A part of the workbook has a document type declaration; such files are not read.');
  });
  parser.on('error', (error) => {
    throw isFault(error, 'unreadable')
      ? error
      : new Fault('unreadable', `A part of the workbook is damaged: ${error.message}.`);
  });
  return parser;
}

/** The text of a part: UTF-8, or UTF-16 where it begins with that mark. Throws a fault where its bytes are neither. */
export async function* textOf(archive: Archive, part: string): AsyncGenerator<string> {
  let decoder: InstanceType<typeof TextDecoder> | null = null;
  for await (const bytes of archive.read(part)) {
    decoder ??= new TextDecoder(encodingOf(bytes), { fatal: true });
    yield decoded(decoder, part, bytes);
  }
  if (decoder) yield decoded(decoder, part);
}
function decoded(decoder: InstanceType<typeof TextDecoder>, part: string, bytes?: Uint8Array): string {
  try {
    return bytes === undefined ? decoder.decode() : decoder.decode(bytes, { stream: true });
  } catch {
    throw new Fault('unreadable', `The part ${part} of the workbook is damaged: its bytes are no text.`);
  }
}
const encodingOf = ([a, b]: Uint8Array): string =>
  a === 0xff && b === 0xfe ? 'utf-16le' : a === 0xfe && b === 0xff ? 'utf-16be' : 'utf-8';

/** Hears of each element of a part, with its depth (1: the root). */
export async function parsePart(
  archive: Archive,
  part: string,
  open: (name: string, attributes: Record<string, string>, depth: number) => void,
): Promise<void> {
  const parser = xmlParser();
  let depth = 0;
  parser.on('opentag', (tag: SaxesTagPlain) => open(local(tag.name), tag.attributes, ++depth));
  parser.on('closetag', () => depth--);
  for await (const text of textOf(archive, part)) parser.write(text);
  parser.close();
}

/** Names of parts are the same in capitals and small letters (ECMA-376 part 2, 6.2.2.3). */
export function partNamed(archive: Archive, name: string): string | null {
  if (archive.names.includes(name)) return name;
  const small = name.toLowerCase();
  return archive.names.find((n) => n.toLowerCase() === small) ?? null;
}

/** What a part (empty: the archive itself) says of others; nothing where it says nothing. */
export async function relationshipsOf(archive: Archive, part: string): Promise<Relationship[]> {
  const slash = part.lastIndexOf('/') + 1;
  const folder = part.slice(0, slash);
  const said = partNamed(archive, `${folder}_rels/${part.slice(slash)}.rels`);
  const found: Relationship[] = [];
  if (said === null) return found;
  await parsePart(archive, said, (name, { Id, Type, Target, TargetMode }) => {
    if (name !== 'Relationship' || Id === undefined || Target === undefined || TargetMode === 'External') return;
    found.push({ id: Id, kind: (Type ?? '').split('/').at(-1)!, part: partPath(folder, Target) });
  });
  return found;
}
/** Targets are relative to the part that names them, with `..` as in any path. */
function partPath(folder: string, target: string): string {
  const path: string[] = [];
  for (const step of (target.startsWith('/') ? target : `${folder}${target}`).split('/'))
    if (step === '..') path.pop();
    else if (step !== '' && step !== '.') path.push(step);
  return path.join('/');
}
