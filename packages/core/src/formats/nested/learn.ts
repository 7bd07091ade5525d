import { Fault } from '../../faults.ts';
import { quoted } from '../../words.ts';
import { ChunkDecoder, DAMAGED, damagedWords } from '../text/decode.ts';
import { MAX_COLUMNS, Unreadable, type Encoding, type RowBatch } from '../format.ts';
import type { FileFormat } from '../file-format.ts';
import type { JsonFormat } from '../json/settings.ts';
import type { JsonLinesFormat } from '../json-lines/settings.ts';
import type { NestedStructure } from './settings.ts';
import type { WorkbookFormat } from '../xlsx/settings.ts';
import type { XmlFormat } from '../xml/settings.ts';
import { BesideLearner } from './beside.ts';
import { guessRecords, JsonElements } from '../json/read.ts';
import { parseJsonTree } from '../json/json-tree.ts';
import { JsonLinesReader } from '../json-lines/read.ts';
import { learnStructures, StructureLearner, type Tree } from './nested.ts';
import { guessXmlRecords, XmlRecords } from '../xml/read.ts';

/** Records that a structure is learned from, at the most. */
const LEARN_FROM = 5000;

/**
 * The format of nested text, learned from its beginning (which may be cut anywhere). `records` is where the records are
 * when people know better than the guess. Throws a fault.
 */
export function learnNested(
  kind: 'json' | 'xml',
  sample: string,
  encoding: Encoding,
  records?: string,
): JsonFormat | XmlFormat {
  const at = records ?? (kind === 'json' ? guessRecords(sample) : guessXmlRecords(sample));
  const beside = new BesideLearner();
  const trees = kind === 'json' ? jsonTrees(sample, at, beside) : xmlTrees(sample, at, beside);
  if (trees.length === 0)
    throw new Fault(
      'unreadable',
      at === ''
        ? 'There is no whole record in its beginning.'
        : `There is no whole record at “${at}” in its beginning; choose another path for the records.`,
    );
  if (trees.every((tree) => Array.isArray(tree)))
    throw new Fault('unreadable', 'Its records are lists of values without names; only objects and values are read.');
  const structures = learnStructures(trees.slice(0, LEARN_FROM));
  requireFewFields(structures);
  if (structures.every((s) => s.fields.length === 0))
    throw new Fault('unreadable', 'Its records have nothing in them yet; look at it again when there is a record.');
  return { kind, encoding, records: at, structures, part: '', beside: [...beside.paths], withDoc: false };
}

/** What can be learned from all of its records: what names its objects have, and what repeats; of a sheet, how wide it is. */
export type LearnedFormat = LearnedText | WorkbookFormat;
export type LearnedText = JsonFormat | XmlFormat | JsonLinesFormat;
export const isLearned = (format: FileFormat): format is LearnedFormat =>
  format.kind === 'json' || format.kind === 'xml' || format.kind === 'jsonl' || format.kind === 'xlsx';

/**
 * Learns a structure from whole files, bit by bit, in the memory of one record. What is known already stays as it is; what
 * occurs besides comes behind it. `push` and `end` throw faults.
 */
export class WholeLearner {
  private records = 0;
  private unread = 0;
  private readonly nested: StructureLearner | null;
  private readonly beside: BesideLearner;
  private names: readonly string[];
  private file: { push(bytes: Uint8Array): number; end(): number } | null = null;

  constructor(private readonly format: LearnedText) {
    this.nested = format.kind === 'jsonl' ? null : StructureLearner.ofAll(format.structures);
    this.names = format.kind === 'jsonl' ? (format.fields ?? []) : [];
    this.beside = new BesideLearner(format.kind === 'jsonl' ? [] : format.beside);
  }
  /** The next file begins. */
  beginFile(): void {
    this.file = this.format.kind === 'jsonl' ? this.lines(this.format) : this.trees(this.format);
  }
  push(bytes: Uint8Array): void {
    this.records += this.file!.push(bytes);
  }
  endFile(): void {
    this.records += this.file!.end();
  }

  private trees(format: JsonFormat | XmlFormat) {
    const decoder = new ChunkDecoder(format.encoding);
    const cutter =
      format.kind === 'json'
        ? jsonCutter(format.records, this.beside)
        : new XmlRecords(format.records, this.beside.see);
    const take = (found: readonly (Tree | Unreadable)[]): number => {
      const trees = found.filter((t): t is Tree => !(t instanceof Unreadable));
      this.unread += found.length - trees.length;
      if (trees.length > 0 && this.nested!.add(trees).widest > MAX_COLUMNS) requireFewFields(this.nested!.structures);
      return found.length;
    };
    return {
      push: (bytes: Uint8Array) => take(cutter.push(decoder.push(bytes))),
      end: () => take([...cutter.push(decoder.end()), ...cutter.end()]),
    };
  }
  private lines(format: JsonLinesFormat) {
    const reader = new JsonLinesReader(format, null, this.names);
    const take = ({ rows }: RowBatch): number => {
      this.unread += rows.filter((row) => row instanceof Unreadable).length;
      this.names = reader.names;
      requireFewFields([{ path: '', fields: this.names }]);
      return rows.length;
    };
    return { push: (bytes: Uint8Array) => take(reader.push(bytes)), end: () => take(reader.end()) };
  }

  result(): Learned {
    const { format, records, unread, nested } = this;
    const learned: LearnedText =
      format.kind === 'jsonl'
        ? { ...format, fields: [...this.names] }
        : { ...format, structures: nested!.structures, part: '', beside: [...this.beside.paths], withDoc: false };
    return { format: learned, records, unread };
  }
}
export interface Learned {
  readonly format: LearnedFormat;
  readonly records: number;
  /** Of them, those that can't be read, from which nothing was learned. */
  readonly unread: number;
}

function jsonCutter(records: string, beside: BesideLearner) {
  const elements = new JsonElements(records, beside.see);
  const parsed = (texts: readonly (string | Unreadable)[]): (Tree | Unreadable)[] =>
    texts.map((text) => {
      if (text instanceof Unreadable) return text;
      // Names with bytes outside of the encoding are none.
      if (text.includes(DAMAGED)) return new Unreadable(damagedWords('record'), '');
      try {
        return parseJsonTree(text);
      } catch (error) {
        return new Unreadable((error as Error).message, text.slice(0, 200));
      }
    });
  return { push: (text: string) => parsed(elements.push(text)), end: () => parsed(elements.end()) };
}

export function requireFewFields(structures: readonly NestedStructure[]): void {
  const many = structures.find((s) => s.fields.length > MAX_COLUMNS);
  if (many)
    throw new Fault(
      'unreadable',
      `${many.path === '' ? 'Its records have' : `“${many.path}” has`} more than ${MAX_COLUMNS.toLocaleString('en-GB')} different names, such as ${quoted(many.fields.at(-1)!)}; where names are values, there is no structure to map.`,
    );
}

function jsonTrees(sample: string, records: string, beside: BesideLearner): Tree[] {
  const trees: Tree[] = [];
  let fault: Error | null = null;
  const elements = new JsonElements(records, beside.see);
  for (const text of elements.push(sample)) {
    if (text instanceof Unreadable) {
      fault ??= new Error(text.message);
      continue;
    }
    try {
      trees.push(parseJsonTree(text));
    } catch (error) {
      fault ??= error as Error;
    }
  }
  if (trees.length > 0) return trees;
  if (fault) throw new Fault('unreadable', `Its first record can't be read: ${fault.message.replace(/\.$/, '')}.`);
  if (elements.isComplete) throw new Fault('unreadable', 'It holds no records: its list is empty.');
  return trees;
}
function xmlTrees(sample: string, records: string, beside: BesideLearner): Tree[] {
  const found = new XmlRecords(records, beside.see).push(sample);
  const trees = found.filter((t): t is Tree => !(t instanceof Unreadable));
  const wrong = found.find((t) => t instanceof Unreadable);
  if (trees.length === 0 && wrong) throw new Fault('unreadable', wrong.message);
  return trees;
}
