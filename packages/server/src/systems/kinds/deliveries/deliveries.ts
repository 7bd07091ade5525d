import type { Dataset } from '@versicle/contract';
import {
  Flattener,
  learnStructures,
  notFound,
  parseJsonTree,
  type RawRow,
  StructureLearner,
  type Tree,
  treeText,
  Unreadable,
} from '@versicle/core';
import type { Arrivals, Described, KindContext, ReadOptions, SourceBatch } from '../kind.ts';

const PAGE = 500;
/** Deliveries that the structure is told from: the first ones, and about as many of the newest. */
const LEARN_FROM = 500;

interface Shape {
  readonly dataset: string;
  readonly description: string;
  readonly format: string;
  /** Fields before those of the record, from what was kept of its delivery. */
  readonly front: Readonly<Record<string, (delivery: Delivery) => string | null>>;
}
type Delivery = Awaited<ReturnType<KindContext['received']>>[number];

/** What came by itself and is kept, as the records of one dataset. */
export class Deliveries {
  constructor(
    private readonly context: KindContext,
    private readonly shape: Shape,
  ) {}

  readonly arrivals: Arrivals = { of: 'deliveries', newest: () => this.context.newestReceived() };

  count(): Promise<number> {
    return this.context.receivedCount();
  }
  async datasets(): Promise<Dataset[]> {
    const { dataset: name, description } = this.shape;
    return [{ name, description, records: await this.count(), bytes: null, changedAt: null, problem: null }];
  }
  private require(dataset: string): void {
    if (dataset !== this.shape.dataset) throw notFound(`This system has one dataset, ${this.shape.dataset}.`);
  }
  private get front(): string[] {
    return Object.keys(this.shape.front);
  }

  async describe(dataset: string): Promise<Described> {
    this.require(dataset);
    const first = await this.context.received(0, LEARN_FROM);
    const last = await this.context.received((await this.context.newestReceived()) - LEARN_FROM, LEARN_FROM);
    const structures = learnStructures([...first, ...last].flatMap((d) => recordsOf(d.body) ?? []));
    const names = structures.length === 0 ? [] : new Flattener(structures, '', true).names;
    return {
      name: dataset,
      fields: [...this.front, ...names].map((name) => ({
        name,
        type: 'text',
        nullable: true,
        key: false,
        example: null,
      })),
      format: [{ label: 'Format', value: this.shape.format }],
      guessedFrom: [],
      files: [],
      lines: [],
      parts: [],
      setting: null,
      settled: false,
      bytes: null,
      changedAt: null,
    };
  }
  /** Page by page; what a later page has more is known from there on, as with pages of an API. */
  async *read(dataset: string, { signal, only }: ReadOptions): AsyncGenerator<SourceBatch> {
    this.require(dataset);
    const { after: first, to } = only && 'to' in only ? only : { after: 0, to: Infinity };
    const learner = new StructureLearner();
    let number = 0;
    for (let after = first; ;) {
      if (signal?.aborted) return;
      const found = await this.context.received(after, PAGE);
      const page = found
        .filter(({ id }) => id <= to)
        .map((delivery) => ({ delivery, records: recordsOf(delivery.body) }));
      const flattener = new Flattener(learner.add(page.flatMap(({ records }) => records ?? [])).structures, '', true);
      const rows = page.flatMap(({ delivery, records }): RawRow[] => {
        // What is no record would be in the way of all that come after it.
        if (records === null) return [new Unreadable('What was delivered is no record.', delivery.body.slice(0, 200))];
        const front = Object.values(this.shape.front).map((cell) => cell(delivery));
        return records
          .flatMap((record): readonly RawRow[] => flattener.rows(record, ++number, () => treeText(record)))
          .map((row) => (row instanceof Unreadable ? row : [...front, ...row]));
      });
      if (rows.length > 0) yield { fields: [...this.front, ...flattener.names], rows, file: null };
      if (page.length < PAGE) return;
      after = page.at(-1)!.delivery.id;
    }
  }
}

/** The records of one delivery: an object, or a list of them; null where it is neither. */
export function recordsOf(body: string): Tree[] | null {
  try {
    const tree = parseJsonTree(body, true);
    const list = Array.isArray(tree) ? (tree as Tree[]) : [tree];
    return list.length > 0 && list.every((t) => t instanceof Map) ? list : null;
  } catch {
    return null;
  }
}
