import { createHmac, timingSafeEqual } from 'node:crypto';
import type { ConnectionOf } from '@versicle/contract';
import { counted, learnNested, readerFor, type JsonFormat, type RawRow } from '@versicle/core';
import { notFound } from '../../../http/problem.ts';
import type { Described, Kind, KindContext, OpenSystem, SourceBatch } from '../kind.ts';

/** An address that others send to. What comes is kept as records of one dataset, `deliveries`. */
export const webhook: Kind<'webhook'> = { open: (connection, context) => new Webhook(connection, context) };

const DATASET = 'deliveries';
const PAGE = 500;
/** Deliveries that the structure is learned from. */
const LEARN_FROM = 200;

class Webhook implements OpenSystem {
  constructor(
    private readonly connection: ConnectionOf<'webhook'>,
    private readonly context: KindContext,
  ) {}

  async test(): ReturnType<OpenSystem['test']> {
    const count = await this.context.receivedCount();
    const signed = this.connection.secret ? `signed in ${this.connection.signatureHeader}` : 'not signed';
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
  private async format(): Promise<JsonFormat> {
    const first = await this.context.received(0, LEARN_FROM);
    const list = `[${first.map((d) => d.body).join(',')}]`;
    return first.length === 0
      ? {
          kind: 'json',
          encoding: 'utf-8',
          records: '',
          structures: [{ path: '', fields: [] }],
          part: '',
          withDoc: true,
        }
      : { ...(learnNested('json', list, 'utf-8', '') as JsonFormat), withDoc: true };
  }
  async describe(dataset: string): Promise<Described> {
    if (dataset !== DATASET) throw notFound(`A webhook has one dataset, ${DATASET}.`);
    const names = readerFor(await this.format()).names ?? [];
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
  async *read(dataset: string): AsyncGenerator<SourceBatch> {
    if (dataset !== DATASET) throw notFound(`A webhook has one dataset, ${DATASET}.`);
    const format = await this.format();
    const reader = readerFor(format);
    const fields = ['_received_at', ...(reader.names ?? [])];
    for (let after = 0; ;) {
      const page = await this.context.received(after, PAGE);
      const rows = page.flatMap(({ receivedAt, body }): RawRow[] =>
        reader
          .push(new TextEncoder().encode(`${body}\n`))
          .rows.map((row) => (Array.isArray(row) ? [receivedAt, ...(row as (string | null)[])] : row)),
      );
      if (rows.length > 0) yield { fields, rows, file: null };
      if (page.length < PAGE) return;
      after = page.at(-1)!.id;
    }
  }
}

/** Whether a body carries the signature that the secret gives it; compared in constant time. */
export function isSigned(secret: string, body: Uint8Array, signature: string | undefined): boolean {
  const given = Buffer.from((signature ?? '').replace(/^sha256=/i, ''), 'hex');
  const expected = createHmac('sha256', secret).update(body).digest();
  return given.length === expected.length && timingSafeEqual(given, expected);
}
