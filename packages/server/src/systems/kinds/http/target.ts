import type { Endpoint } from '@versicle/contract';
import { copyCells, counted, parseJsonTree, type MappingDocument, type Members, type Tree } from '@versicle/core';
import { refused } from '../../../http/problem.ts';
import type { Delivery, Rejection } from '../../../store/database.ts';
import type { Target } from '../kind.ts';
import { faultOf, memberAt } from './answers.ts';
import type { HttpAnswer, HttpClient } from './client.ts';
import { badXmlName, xmlBody } from './xml-body.ts';

type Json = string | number | boolean | null | { [name: string]: Json };
interface Item {
  readonly index: number;
  readonly line: string;
  readonly record: { [name: string]: Json };
}

/** Batches that can't be delivered at all, one after the other, before the run ends. */
const GIVE_UP_AFTER = 3;

/**
 * Sends finished records to an API, one by one or in batches. Each request carries an idempotency key made of run, chunk and
 * place: a request that is sent again after a lost answer counts once where the API honours it.
 */
export class HttpTarget implements Target {
  private lost = 0;

  constructor(
    private readonly client: HttpClient,
    private readonly endpoint: (dataset: string) => Promise<Endpoint>,
  ) {}

  async prepare(document: MappingDocument, dataset: string): Promise<string[]> {
    const { write, body } = await this.endpoint(dataset);
    if (!write) throw refused(`${dataset} is only read; set down how it is written, or choose another dataset.`);
    const { mode, existing } = document.write;
    if (mode === 'replace' || mode === 'skip existing' || (mode === 'upsert' && existing === 'keep'))
      throw refused(
        `An API is sent records one way only (${write.method}); use insert, append, or upsert with overwrite.`,
      );
    if (body === 'xml') {
      if (write.batch !== 1) throw refused(`XML is sent one record a request; set the batch of ${dataset} to 1.`);
      if (!write.member) throw refused(`Say what the element of a record is called: the member that holds it.`);
      const bad = badXmlName(document.target.fields.map((f) => f.name));
      if (bad !== null) throw refused(`“${bad}” can't be the name of an XML element; give the field another name.`);
    }
    const size = write.batch === 1 ? 'one request a record' : `in batches of ${write.batch}`;
    return [`sends ${write.method} ${write.path}, ${size}`];
  }

  async deliver(delivery: Delivery): Promise<Rejection[]> {
    const { write, body } = await this.endpoint(delivery.table);
    if (!write) throw refused(`${delivery.table} is only read.`);
    const lines = new TextDecoder().decode(delivery.copy).split('\n').slice(0, delivery.rows);
    const items = lines.map((line, index): Item => ({ index, line, record: recordOf(copyCells(line), delivery) }));
    const rejections: Rejection[] = [];
    for (let at = 0; at < items.length; at += write.batch)
      rejections.push(...(await this.send(write, items.slice(at, at + write.batch), delivery, body === 'xml')));
    return rejections;
  }

  private async send(
    write: NonNullable<Endpoint['write']>,
    items: readonly Item[],
    delivery: Delivery,
    asXml: boolean,
  ): Promise<Rejection[]> {
    const single = write.batch === 1;
    const records = items.map((i) => i.record);
    let body: string;
    if (asXml) {
      const made = xmlBody(write.member!, delivery.columns, xmlValues(items[0]!.line, delivery));
      if ('field' in made)
        return [rejected(items[0]!, 0, 'It holds a control character, which XML can’t carry.', made.field)];
      body = made.xml;
    } else body = JSON.stringify(single ? records[0] : write.member === null ? records : { [write.member]: records });
    let answer: HttpAnswer;
    try {
      answer = await this.client.send({
        method: write.method,
        url: this.client.address(single ? fillRecord(write.path, items[0]!.record) : write.path),
        headers: {
          'content-type': asXml ? 'application/xml' : 'application/json',
          'idempotency-key': `${delivery.source || 'versicle'}-${delivery.run}-${delivery.chunk}-${items[0]!.index}-${items.length}`,
        },
        body,
        repeatable: true,
      });
    } catch (error) {
      return this.giveUp(items, (error as Error).message);
    }
    const { status } = answer;
    if (status === 401 || status === 403)
      throw refused(`${write.path} does not let us write: ${faultOf(answer).message}`);
    // Where the address names the record, 404 is about this one; otherwise about all.
    const ofRecord = status === 404 && single && write.path.includes('{');
    if ((status === 404 && !ofRecord) || status === 405)
      throw refused(`${write.path} is not there to be written to (status ${status}): ${faultOf(answer).message}`);
    if (status === 429 || status >= 500) return this.giveUp(items, `status ${status}: ${faultOf(answer).message}`);
    this.lost = 0;
    if (single) {
      if (status < 300) return [];
      const { message, field } = faultOf(answer);
      return [rejected(items[0]!, status, message, field)];
    }
    const partial = partialRefusals(answer, write, items);
    if (partial) return partial;
    if (status < 300) return [];
    // Refused as a whole without saying which: halves tell.
    if (items.length === 1) {
      const { message, field } = faultOf(answer);
      return [rejected(items[0]!, status, message, field)];
    }
    const middle = items.length >> 1;
    return [
      ...(await this.send(write, items.slice(0, middle), delivery, asXml)),
      ...(await this.send(write, items.slice(middle), delivery, asXml)),
    ];
  }

  private giveUp(items: readonly Item[], why: string): Rejection[] {
    this.lost++;
    if (this.lost >= GIVE_UP_AFTER) {
      this.lost = 0;
      throw new Error(
        `The target did not take ${counted(items.length, 'record')} after many tries, three times over: ${why}`,
      );
    }
    return items.map(({ index, line }) => ({
      index,
      line,
      code: 'delivery_failed',
      message: `It could not be delivered: ${why}`,
      column: null,
      constraint: null,
    }));
  }
}

function rejected({ index, line }: Item, status: number, message: string, field: string | null): Rejection {
  return { index, line, code: `http_${status}`, message, column: field, constraint: null };
}

/** The refusals of a batch that was taken in part; null when the answer lists none. */
function partialRefusals(
  answer: HttpAnswer,
  write: NonNullable<Endpoint['write']>,
  items: readonly Item[],
): Rejection[] | null {
  let list: Tree | undefined;
  try {
    list = memberAt(parseJsonTree(answer.text), write.errors);
  } catch {
    return null;
  }
  if (!Array.isArray(list)) return null;
  const found = new Map<number, Rejection>();
  for (const error of list as Tree[]) {
    if (!(error instanceof Map)) continue;
    const text = (name: string): string | null => {
      const value = memberAt(error as Members, name);
      return typeof value === 'string' ? value : null;
    };
    const at = Number(text(write.errorIndex) ?? Number.NaN);
    const item = items[at];
    if (!item) continue;
    const before = found.get(item.index);
    const message = text(write.errorMessage) ?? 'refused without a reason';
    found.set(
      item.index,
      before
        ? { ...before, message: `${before.message}; ${message}` }
        : rejected(item, answer.status, message, text(write.errorField)),
    );
  }
  // A list that names nobody of a batch that was not taken says nothing about which record is at fault.
  return found.size === 0 && answer.status >= 300 ? null : [...found.values()];
}

const NUMBERS = /^(smallint|integer|bigint|numeric|double precision|real|int\d|float\d|decimal)/;
/** A record as JSON: dots in field names are levels; numbers are numbers where JavaScript keeps them exactly. */
function recordOf(cells: readonly (string | null)[], delivery: Delivery): { [name: string]: Json } {
  const record: { [name: string]: Json } = {};
  for (const [i, column] of delivery.columns.entries()) {
    const path = column.split('.');
    let at = record;
    for (const name of path.slice(0, -1)) {
      // In XML an element may have a text and attributes; as JSON, which only the path asks, the attributes win.
      if (typeof at[name] !== 'object' || at[name] === null) at[name] = {};
      at = at[name];
    }
    at[path.at(-1)!] = jsonValue(cells[i] ?? null, delivery.types[i] ?? 'text');
  }
  return record;
}
/** Values as XML Schema writes them: booleans in words. */
function xmlValues(line: string, delivery: Delivery): (string | null)[] {
  return copyCells(line).map((text, i) =>
    text !== null && delivery.types[i] === 'boolean' ? (text === 't' ? 'true' : 'false') : text,
  );
}
function jsonValue(text: string | null, type: string): Json {
  if (text === null) return null;
  if (type === 'boolean') return text === 't';
  if (type === 'jsonb') return JSON.parse(text) as Json;
  if (!NUMBERS.test(type)) return text;
  const number = Number(text);
  const same = String(number) === text.replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, '');
  return Number.isFinite(number) && same ? number : text;
}
function fillRecord(path: string, record: { [name: string]: Json }): string {
  return path.replace(/\{([^{}]+)\}/g, (_, name: string) => {
    const value = record[name];
    if (value === undefined || value === null || typeof value === 'object')
      throw refused(`The path names {${name}}, but the record has no such value.`);
    return encodeURIComponent(String(value));
  });
}
