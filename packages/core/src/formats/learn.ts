import { Fault } from '../faults.ts';
import { Unreadable, type Encoding, type JsonFormat, type XmlFormat } from './format.ts';
import { guessRecords, JsonElements } from './json.ts';
import { parseJsonTree } from './json-tree.ts';
import { learnStructures, type Tree } from './nested.ts';
import { guessXmlRecords, XmlRecords } from './xml.ts';

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
  const trees = kind === 'json' ? jsonTrees(sample, at) : xmlTrees(sample, at);
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
  if (structures.every((s) => s.fields.length === 0))
    throw new Fault('unreadable', 'Its records have nothing in them yet; look at it again when there is a record.');
  return { kind, encoding, records: at, structures, part: '', withDoc: false };
}

function jsonTrees(sample: string, records: string): Tree[] {
  const trees: Tree[] = [];
  let fault: Error | null = null;
  const elements = new JsonElements(records);
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
function xmlTrees(sample: string, records: string): Tree[] {
  const found = new XmlRecords(records).push(sample);
  const trees = found.filter((t): t is Tree => !(t instanceof Unreadable));
  const wrong = found.find((t) => t instanceof Unreadable);
  if (trees.length === 0 && wrong) throw new Fault('unreadable', wrong.message);
  return trees;
}
