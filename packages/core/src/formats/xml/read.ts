import { sentence } from '../../words.ts';
import { Fault, isFault } from '../../faults.ts';
import { SaxesParser } from 'saxes';
import { ChunkDecoder, DAMAGED, damagedWords } from '../text/decode.ts';
import { MAX_DEPTH, MAX_RECORD, Unreadable, type Encoding, type RawRow, type RowBatch } from '../format.ts';
import type { XmlFormat } from './settings.ts';
import { BesideCounter, type SeesBeside } from '../nested/beside.ts';
import { Flattener, tooDeep, treeJson, type Tree } from '../nested/nested.ts';
import { PastParser, PLAIN_TEXT } from './past-parser.ts';

/** XML as a stream of records: each element at the path of the records becomes a tree, and its rows. */
export class XmlReader {
  private readonly decoder: ChunkDecoder;
  private readonly records: XmlRecords;
  private readonly flattener: Flattener;
  private readonly beside: BesideCounter;
  private number = 0;
  private nextRow = 1;

  constructor(format: XmlFormat) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.beside = new BesideCounter(format.beside, format.unknown);
    this.records = new XmlRecords(format.records, this.beside.see);
    this.flattener = new Flattener(format.structures, format.part, format.withDoc, format.unknown, true);
  }
  get names(): readonly string[] {
    return this.flattener.names;
  }

  push(bytes: Uint8Array): RowBatch {
    return this.batch(this.records.push(this.decoder.push(bytes)));
  }
  end(): RowBatch {
    return this.batch([...this.records.push(this.decoder.end()), ...this.records.end()]);
  }
  private batch(trees: readonly (Tree | Unreadable)[]): RowBatch {
    const firstRow = this.nextRow;
    const rows: RawRow[] = [];
    const lastRows = [firstRow - 1];
    for (const tree of trees) {
      this.number++;
      if (tree instanceof Unreadable) rows.push(tree);
      else rows.push(...this.flattener.rows(tree, this.number, () => treeJson(tree), firstRow + rows.length));
      lastRows.push(firstRow + rows.length - 1);
    }
    this.nextRow += rows.length;
    return { firstRow, rows, ...this.beside.besides(this.flattener.takeUnknown(), lastRows) };
  }
}

interface Open {
  /** Made when there is one: most elements have a text only. */
  members: Map<string, Tree> | null;
  text: string;
}

/** Prefixes of elements are dropped: where two differ in nothing else, they are a repetition, and none is lost. */
const localName = (name: string): string => {
  const colon = name.indexOf(':');
  return colon < 0 ? name : name.slice(colon + 1);
};

/**
 * The elements at one path (`repairs/order`) of XML 1.0 that arrives in pieces, as trees: attributes are members with an @
 * before their name, an element that occurs more than once under its parent is a repetition. Nesting and size are capped.
 */
export class XmlRecords {
  private readonly parser = new SaxesParser({ position: false });
  private readonly past = new PastParser(this.parser, TEXT_ONLY, ([, name, text]) => this.addTextOnly(name!, text!));
  private readonly path: string[] = [];
  private readonly names: readonly string[];
  /** How many elements of the path lead to the records. */
  private onWay = 0;
  private readonly open: Open[] = [];
  private out: (Tree | Unreadable)[] = [];
  private size = 0;
  private tooLong = false;
  private damaged = false;
  /** What is wrong with the record at hand, and with an element that is about to begin. */
  private problem: string | null = null;
  private coming: string | null = null;
  /** Characters since something began or ended. */
  private waiting = 0;
  private root = false;
  private cut: string | null = null;

  constructor(
    wanted: string,
    private readonly seesBeside: SeesBeside = () => undefined,
  ) {
    this.names = wanted.split('/');
    const { parser } = this;
    refuseDefinitions(parser);
    parser.on('error', (error) => {
      if (isFault(error, 'unreadable')) throw error;
      if (isHarmless(error.message)) return;
      const problem = withinRecord(error.message);
      if (problem === null) throw new XmlFault(/entity/.test(error.message) ? BARE : error.message.replace(/\.$/, ''));
      if (this.open.length > 0) this.problem ??= problem;
      else this.coming ??= problem;
    });
    parser.on('opentag', ({ name, attributes }) =>
      this.openElement(localName(name), attributes as Record<string, string>),
    );
    parser.on('text', (text) => this.addText(text));
    parser.on('cdata', (text) => this.addText(text));
    parser.on('closetag', () => this.closeElement());
    parser.on('comment', () => (this.waiting = 0));
  }

  push(text: string): (Tree | Unreadable)[] {
    this.out = [];
    if (this.cut !== null) return this.out;
    if (text.includes(DAMAGED)) this.damaged = true;
    try {
      this.waiting += text.length;
      this.past.write(this.damaged ? text.replaceAll(DAMAGED, '\ufffd') : text);
      // The parser keeps what does not end.
      if (this.waiting > 2 * MAX_RECORD)
        throw new XmlFault(this.isInEntity() ? BARE : `there is something longer than ${LONGEST} characters`);
    } catch (error) {
      this.stop(error);
    }
    return this.out;
  }

  /** As if it had been opened, told its text, and closed; whether it is within a record. */
  private addTextOnly(name: string, text: string): boolean {
    const parent = this.open.at(-1);
    if (parent === undefined || this.path.length === MAX_DEPTH) return false;
    this.waiting = 0;
    const local = localName(name);
    this.size += text.length + local.length;
    if (this.size > MAX_RECORD) this.tooLong = true;
    else addMember((parent.members ??= new Map()), local, text.trim() === '' ? null : text);
    return true;
  }

  end(): (Tree | Unreadable)[] {
    this.out = [];
    if (this.cut === null)
      try {
        if (this.isInEntity()) throw new XmlFault(BARE);
        this.parser.close();
      } catch (error) {
        this.stop(error);
      }
    if (!this.root && this.out.length === 0) throw new Fault('unreadable', 'There is no XML element in it.');
    return this.out;
  }

  /** Behind an & the parser looks for a semicolon, however far away that is. */
  private isInEntity(): boolean {
    return ((this.parser as unknown as { entity?: string }).entity ?? '') !== '';
  }

  /** Well-formedness ends a reading: what came before counts, and one unreadable record says where it broke off. */
  private stop(error: unknown): void {
    if (!(error instanceof XmlFault)) throw error;
    if (!this.root) throw new Fault('unreadable', `It is not XML: ${error.message}.`);
    this.cut = `The XML can't be read on from here: ${error.message}. The rest of the file was not read.`;
    this.out.push(new Unreadable(this.cut, ''));
  }

  private openElement(name: string, attributes: Record<string, string>): void {
    this.waiting = 0;
    this.root = true;
    this.path.push(name);
    if (this.path.length > MAX_DEPTH) throw new Fault('unreadable', tooDeep);
    if (this.open.length === 0) {
      const { coming } = this;
      this.coming = null;
      if (!this.isRecord(name)) {
        if (coming !== null) throw new XmlFault(coming);
        if (this.onWay === this.path.length)
          for (const key in attributes) if (!isTechnical(key)) this.seesOnWay(`@${key}`);
        return;
      }
      this.size = 0;
      this.tooLong = false;
      this.problem = coming;
    }
    let members: Map<string, Tree> | null = null;
    for (const key in attributes) {
      if (isNamespace(key)) continue;
      // With its prefix: two attributes of one element may differ in nothing else.
      (members ??= new Map()).set(`@${key}`, attributes[key]!);
      this.size += key.length + attributes[key]!.length;
    }
    if (this.size > MAX_RECORD) this.tooLong = true;
    this.open.push({ members, text: '' });
  }
  /** Whether the element that was just opened, outside of any record, is one. */
  private isRecord(name: string): boolean {
    const depth = this.path.length;
    // Within what stands beside them.
    if (depth > this.onWay + 1) return false;
    if (depth === 1 && name !== this.names[0])
      throw new Fault(
        'unreadable',
        `Its outermost element is <${name.slice(0, 100)}>, not <${this.names[0]!}>; choose another path for the records.`,
      );
    if (name !== this.names[this.onWay]) this.seesBeside(this.path.join('/'), this.out.length);
    else this.onWay = depth;
    return this.onWay === this.names.length;
  }
  /** Something of an element that leads to the records. */
  private seesOnWay(what: string): void {
    this.seesBeside(`${this.path.join('/')}/${what}`, this.out.length);
  }
  private addText(text: string): void {
    const element = this.open.at(-1);
    if (!element) {
      if (this.path.length > 0 && this.onWay === this.path.length && text.trim() !== '') this.seesOnWay('text()');
      return;
    }
    this.size += text.length;
    if (this.size > MAX_RECORD) this.tooLong = true;
    else element.text += text;
  }
  private closeElement(): void {
    this.waiting = 0;
    const name = this.path.pop()!;
    this.onWay = Math.min(this.onWay, this.path.length);
    const element = this.open.pop();
    if (!element) return;
    const tree = treeOf(element);
    this.size += name.length;
    // Also where it is the name that is too much: what is not kept must not be missing without a word.
    if (this.size > MAX_RECORD) this.tooLong = true;
    const parent = this.open.at(-1);
    if (parent) {
      if (!this.tooLong) addMember((parent.members ??= new Map()), name, tree);
      return;
    }
    if (this.tooLong)
      this.out.push(new Unreadable(`The record is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters.`, ''));
    else if (this.problem !== null) this.out.push(new Unreadable(sentence(this.problem), treeJson(tree).slice(0, 200)));
    else if (this.damaged && treeJson(tree).includes('\ufffd'))
      this.out.push(new Unreadable(damagedWords('record'), treeJson(tree).slice(0, 200)));
    else this.out.push(tree);
  }
}
class XmlFault extends Error {}

const isNamespace = (attribute: string): boolean => attribute === 'xmlns' || attribute.startsWith('xmlns:');
/** Says how the document is to be read, not what is in it. */
const isTechnical = (attribute: string): boolean =>
  isNamespace(attribute) || attribute.startsWith('xsi:') || attribute.startsWith('xml:');

/** An element that has nothing but a text. */
const TEXT_ONLY = new RegExp(`<([A-Za-z_][\\w.:-]*)>(${PLAIN_TEXT})</\\1>`, 'g');

const LONGEST = (2 * MAX_RECORD).toLocaleString('en-GB');
const BARE = 'there is a bare & in it (in XML it is written &amp;)';

/**
 * What is wrong with a record only, so that those behind it can be read, in words; null: nobody knows any more where elements
 * end. By what the parser says.
 */
function withinRecord(message: string): string | null {
  if (/^undefined entity/.test(message))
    return 'it has an entity that is not one of the five of XML (&amp; &lt; &gt; &quot; &apos;)';
  const twice = /^duplicate attribute: (.*)\.$/.exec(message)?.[1];
  if (twice !== undefined) return `it has the attribute “${twice}” twice`;
  if (/^malformed character entity/.test(message)) return 'it names a character that XML does not allow, such as &#0;';
  if (/^empty entity name/.test(message))
    return 'it has an & with nothing behind it but a semicolon; an & itself is &amp;';
  if (/^the string "\]\]>"/.test(message)) return 'it has ]]> in its text; the > of it is written &gt;';
  return /^disallowed character\.$/.test(message) ? 'it has a character that XML does not allow' : null;
}

/** Two hyphens within a comment: XML forbids them, and they change nothing. */
const isHarmless = (message: string): boolean => /^malformed comment/.test(message);

/** A document type declaration is passed over, unless it changes what is in the file: no entity is ever expanded. */
function refuseDefinitions(parser: SaxesParser): void {
  parser.on('doctype', (text) => {
    const bare = text.replace(/<!--[^]*?-->/g, '');
    const defines = /<!ENTITY/.test(bare)
      ? 'entities'
      : /<!ATTLIST[^>]*["']/.test(bare)
        ? 'values of attributes'
        : null;
    if (defines !== null)
      throw new Fault(
        'unreadable',
        `Its document type declaration (<!DOCTYPE …>) defines ${defines}, which are not read; take it out and read the file again.`,
      );
  });
}

/**
 * The text of an element without others in it is kept as it is written, since blanks may count; white space alone is nothing.
 * Between elements, white space is how they are set out. Text beside attributes or elements is kept under the empty name, so
 * that it is the value at the element's own path.
 */
function treeOf({ members, text }: Open): Tree {
  const trimmed = text.trim();
  if (members === null) return trimmed === '' ? null : text;
  if (trimmed !== '') members.set('', [...members.keys()].every((name) => name.startsWith('@')) ? text : trimmed);
  return members;
}
function addMember(members: Map<string, Tree>, name: string, tree: Tree): void {
  const before = members.get(name);
  if (before === undefined) members.set(name, tree);
  else if (Array.isArray(before)) (before as Tree[]).push(tree);
  else members.set(name, [before, tree]);
}

/** The encoding that an XML declaration names, if it is one that can be read. Throws a fault. */
export function xmlEncoding(head: string): Encoding | null {
  const named = /^\s*<\?xml[^>]*encoding\s*=\s*["']([^"']+)["']/.exec(head)?.[1]?.toLowerCase();
  if (named === undefined || named === 'utf-8' || named === 'us-ascii') return named === undefined ? null : 'utf-8';
  if (named === 'iso-8859-1' || named === 'windows-1252' || named === 'latin1') return 'windows-1252';
  if (named === 'iso-8859-15') return 'iso-8859-15';
  if (named.startsWith('utf-16')) return null;
  throw new Fault('unreadable', `Its declaration names the encoding ${named}, which can't be read; save it as UTF-8.`);
}

/**
 * Which elements are the records, by a sample that may be cut: the uppermost that occur more than once under one parent; of
 * several there, the most frequent. Where nothing repeats, the root is the only record. Throws a fault.
 */
export function guessXmlRecords(sample: string): string {
  const repeats = new Map<string, number>();
  const path: string[] = [];
  const children: Map<string, number>[] = [new Map()];
  let root = '';
  const parser = new SaxesParser({ position: false });
  refuseDefinitions(parser);
  parser.on('error', (error) => {
    if (isFault(error) || (withinRecord(error.message) === null && !isHarmless(error.message))) throw error;
  });
  parser.on('opentag', (tag) => {
    const name = localName(tag.name);
    root ||= name;
    path.push(name);
    if (path.length > MAX_DEPTH) throw new Fault('unreadable', tooDeep);
    const siblings = children.at(-1)!;
    const count = (siblings.get(name) ?? 0) + 1;
    siblings.set(name, count);
    const at = path.join('/');
    if (count > 1) repeats.set(at, (repeats.get(at) ?? 1) + 1);
    children.push(new Map());
  });
  parser.on('closetag', () => {
    path.pop();
    children.pop();
  });
  try {
    parser.write(sample);
  } catch (error) {
    if (isFault(error, 'unreadable')) throw error;
    if (root === '') throw new Fault('unreadable', `It is not XML: ${(error as Error).message}.`);
  }
  if (root === '') throw new Fault('unreadable', 'There is no XML element in it.');
  const depth = (at: string): number => at.split('/').length;
  const [best] = [...repeats].sort(([a, m], [b, n]) => depth(a) - depth(b) || n - m);
  return best?.[0] ?? root;
}
