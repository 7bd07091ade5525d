import {
  counted,
  learnStructures,
  notFound,
  parseJsonTree,
  type RawRow,
  readerFor,
  type RowReader,
  type Tree,
  Unreadable,
} from '@versicle/core';
import type { Described, Kind, KindContext, OpenSystem, ReadOptions, SourceBatch } from '../kind.ts';
import { settings, type WebhookConnection } from './settings.ts';

/** An address that others send to. What comes is kept as records of one dataset, `deliveries`. */
export const webhook: Kind<WebhookConnection> = {
  facts: {
    kind: 'webhook',
    words: 'Incoming webhook',
    holds: true,
    empty: 'Nothing was sent yet.',
    settledBy: null,
    asks: false,
    byRequest: false,
    target: null,
  },
  settings,
  where: (_, id) => `/hooks/${id}`,
  place: [],
  makes: 'secret',
  open: (connection, context) => new Webhook(connection, context),
};

const DATASET = 'deliveries';
const PAGE = 500;
/** Deliveries that the structure is learned from. */
const LEARN_FROM = 200;

class Webhook implements OpenSystem {
  constructor(
    private readonly connection: WebhookConnection,
    private readonly context: KindContext,
  ) {}

  readonly arrivals = { of: 'deliveries' as const, newest: () => this.context.newestReceived() };

  async test(): ReturnType<OpenSystem['test']> {
    const count = await this.context.receivedCount();
    const what = this.connection.signs === 'all' ? 'time, id and body' : 'body';
    const signed = `${what} signed in ${this.connection.signatureHeader}`;
    return {
      ok: true,
      code: 'ok',
      message: `Deliveries are taken at /hooks/${this.context.system}, ${signed}; ${count === 0 ? 'none came yet' : `${counted(count, 'delivery', 'deliveries')} came so far`}.`,
      sees: [],
    };
  }
  async datasets(): ReturnType<OpenSystem['datasets']> {
    const records = await this.context.receivedCount();
    return [
      { name: DATASET, description: 'what was sent to us', records, bytes: null, changedAt: null, problem: null },
    ];
  }
  private async reader(): Promise<RowReader> {
    const first = await this.context.received(0, LEARN_FROM);
    const records = first.flatMap((d) => recordsOf(d.body) ?? []);
    const structures = records.length === 0 ? [{ path: '', fields: [] }] : learnStructures(records);
    return readerFor({ kind: 'json', encoding: 'utf-8', records: '', structures, part: '', withDoc: true });
  }
  async describe(dataset: string): Promise<Described> {
    if (dataset !== DATASET) throw notFound(`A webhook has one dataset, ${DATASET}.`);
    const names = (await this.reader()).names ?? [];
    return {
      name: dataset,
      fields: ['_received_at', ...names].map((name) => ({
        name,
        type: 'text',
        nullable: true,
        key: false,
        example: null,
      })),
      format: [{ label: 'Format', value: 'JSON, one object a delivery' }],
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
  async *read(dataset: string, { signal, only }: ReadOptions): AsyncGenerator<SourceBatch> {
    if (dataset !== DATASET) throw notFound(`A webhook has one dataset, ${DATASET}.`);
    const reader = await this.reader();
    const fields = ['_received_at', ...(reader.names ?? [])];
    const { after: first, to } = only && 'to' in only ? only : { after: 0, to: Infinity };
    for (let after = first; ;) {
      if (signal?.aborted) return;
      const found = await this.context.received(after, PAGE);
      const page = found.filter(({ id }) => id <= to);
      const rows = page.flatMap(({ receivedAt, body }): RawRow[] => {
        // What is no record would be in the way of all that come after it.
        if (recordsOf(body) === null) return [new Unreadable('The delivery is no record.', body.slice(0, 200))];
        const found = reader.push(new TextEncoder().encode(`${body}\n`)).rows;
        return found.map((row) => (row instanceof Unreadable ? row : [receivedAt, ...row]));
      });
      if (rows.length > 0) yield { fields, rows, file: null };
      if (page.length < PAGE) return;
      after = page.at(-1)!.id;
    }
  }
}

/** The records of one delivery: an object, or a list of them; null where it is neither. */
export function recordsOf(body: string): Tree[] | null {
  try {
    const tree = parseJsonTree(body);
    const list = Array.isArray(tree) ? (tree as Tree[]) : [tree];
    return list.length > 0 && list.every((t) => t instanceof Map) ? list : null;
  } catch {
    return null;
  }
}
