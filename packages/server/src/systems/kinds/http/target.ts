import { createHash } from 'node:crypto';
import type { Endpoint } from '@versicle/contract';
import {
  Aborted,
  AbortedBefore,
  type Cells,
  counted,
  isFault,
  isLoaded,
  isOpen,
  type MappingDocument,
  opensAt,
  refused,
  type Rejection,
} from '@versicle/core';
import { CANCELLED, NothingDone, Outage, UNCLEAR, UNSENT, WindowClosed } from '../../outage.ts';
import type { Answer, Batch, QueueTarget, Sending } from '../kind.ts';
import { faultOf, isEmptyAnswer } from './answers.ts';
import { NotAuthorised } from './authenticate.ts';
import { fillPath, memberClash, requestBody } from './body.ts';
import type { HttpAnswer } from './answers.ts';
import { ClosedBefore, NotSent, type HttpClient } from './client.ts';
import { judge, type WriteSetting } from './judge.ts';
import type { Patience } from './settings.ts';
import { badXmlName } from './xml-body.ts';

/** How a dataset is sent to. */
export interface SettledEndpoint extends Endpoint {
  /** The path with its variables as they are set down: what fills them may be secret. */
  readonly shownPath: string;
}
interface Item {
  readonly index: number;
  readonly cells: Cells;
  readonly id: string;
}
/** How long an answer that is under way is waited for when the run is cancelled or the server stops. */
const GRACE = 3000;

/**
 * Sends finished records to an API, one by one or in batches. What became of a request without an answer is found out in the
 * way that the endpoint's settings say, and where there is none, its records fail as unclear and are not sent again.
 */
export class HttpTarget implements QueueTarget {
  readonly lane = 'queue';
  readonly encoding = 'records';
  private faults = 0;

  constructor(
    private readonly client: HttpClient,
    /** Requests at a time, and when they are sent at all. */
    private readonly pace: Sending['pace'] & { readonly parallel: number },
    private readonly patience: Patience,
    private readonly endpoint: (dataset: string) => Promise<SettledEndpoint>,
    /** Whether the system answers at all. */
    private readonly answers: () => Promise<boolean>,
  ) {}

  get outageSeconds(): number | null {
    return this.patience.outageSeconds;
  }
  async check(document: MappingDocument, dataset: string): Promise<void> {
    const { write, body } = await this.endpoint(dataset);
    if (!write) throw refused(`${dataset} is only read; set down how it is written, or choose another dataset.`);
    const { mode, existing } = document.write;
    const one =
      mode === 'insert' || mode === 'append' || (mode === 'upsert' && (existing ?? 'overwrite') === 'overwrite');
    if (!one)
      throw refused(
        `An API is sent records one way only (${write.method}); use insert, append, or upsert with overwrite.`,
      );
    const names = document.target.fields.map((f) => f.name);
    if (write.place === 'id' && write.idField !== null && !names.includes(write.idField))
      throw refused(`Refusals name their record by ${write.idField}, which is no field of the document.`);
    if (body !== 'xml') return requireOwnMembers(document, write);
    if (write.batch !== 1) throw refused(`XML is sent one record a request; set the batch of ${dataset} to 1.`);
    if (!write.member) throw refused(`Say what the element of a record is called: the member that holds it.`);
    const bad = badXmlName(names);
    if (bad !== null) throw refused(`“${bad}” can't be the name of an XML element; give the field another name.`);
  }
  async prepare(document: MappingDocument, dataset: string): Promise<string[]> {
    await this.check(document, dataset);
    const { write, shownPath } = await this.endpoint(dataset);
    const { method, batch, repeat } = write!;
    const size = batch === 1 ? 'one request a record' : `in batches of ${batch}`;
    const again = mayRepeat(write!)
      ? []
      : repeat.by === 'look-up'
        ? ['a request without an answer is looked up before it is sent again']
        : ['a request without an answer is not sent again: its records fail as unclear'];
    return [`sends ${method} ${shownPath}, ${size}`, ...again];
  }
  async sending(dataset: string): Promise<Sending> {
    const { write, body, shownPath } = await this.endpoint(dataset);
    if (!write) throw refused(`${dataset} is only read.`);
    const how: How = { write, xml: body === 'xml', shownPath };
    return {
      pace: this.pace,
      longestPause: this.patience.longestPause,
      batch: write.batch,
      parallel: this.pace.parallel,
      opens: (now) => opensAt(this.pace.windows, now),
      repeats: mayRepeat(write),
      send: (batch, signal) => {
        const isClosed = (): boolean => !isOpen(this.pace.windows, new Date());
        return this.send(batch, new HttpBatch(this.client, how, batch, signal, isClosed));
      },
    };
  }
  private async send({ items: all, again }: Batch, batch: HttpBatch): Promise<readonly Rejection[]> {
    const items = all.map(({ cells, id }, index): Item => ({ index, cells, id }));
    try {
      return await this.counted(again ? batch.again(items) : batch.send(items), items);
    } catch (error) {
      throw error instanceof NotAuthorised ? refused(error.message) : error;
    } finally {
      batch.end();
    }
  }

  /** A target that answers nothing but its own faults is out of order: that is no matter of the records. */
  private async counted(sent: Promise<Sent>, group: readonly Item[]): Promise<readonly Rejection[]> {
    const { rejections, fault } = await sent;
    if (fault === null) {
      this.faults = 0;
      return rejections;
    }
    this.faults++;
    if (this.faults < this.patience.breakAfter) return rejections;
    // Where it answers otherwise, these very records are what it can't take.
    if (await this.answers()) {
      this.faults = 0;
      return rejections;
    }
    // It stays out of order until it takes something: the next fault is no matter of the records either.
    this.faults = this.patience.breakAfter - 1;
    throw new Outage(
      `The target did not take ${counted(group.length, 'record')}, ${counted(this.patience.breakAfter, 'time')} in a row: ${fault}`,
    );
  }
}

/** Of two values for one member of a JSON object, one would be lost without a word. */
function requireOwnMembers(document: MappingDocument, { repeat }: WriteSetting): void {
  const loaded = document.lines.filter(isLoaded).map((l) => l.target);
  if (repeat.by === 'look-up' && repeat.member !== null && loaded.includes(repeat.member))
    throw refused(`${repeat.member} carries the key by which the API knows a record; give the field another name.`);
  const clash = memberClash(loaded);
  if (clash)
    throw refused(
      `${clash[0]} and ${clash[1]} can’t both be members of one JSON object; give one of them another name.`,
    );
}

/** Whether the same request may simply be sent again: PUT says the same twice (RFC 9110, 9.2.2), and some APIs know a key. */
const mayRepeat = ({ method, repeat }: WriteSetting): boolean => method === 'PUT' || repeat.by === 'key';

interface Sent {
  readonly rejections: readonly Rejection[];
  /** The target's own fault, where it had one. */
  readonly fault: string | null;
}
const sent = (rejections: readonly Rejection[] = [], fault: string | null = null): Sent => ({ rejections, fault });

interface How {
  readonly write: WriteSetting;
  readonly xml: boolean;
  readonly shownPath: string;
}

/** A batch on its way: one request, or more where halves have to tell. */
class HttpBatch {
  private readonly write: WriteSetting;
  private readonly xml: boolean;
  private readonly shownPath: string;
  private readonly single: boolean;
  private readonly late = new AbortController();
  private readonly graceBegins = (): void => void setTimeout(() => this.late.abort(), GRACE).unref();

  constructor(
    private readonly client: HttpClient,
    { write, xml, shownPath }: How,
    private readonly batch: Batch,
    private readonly signal: AbortSignal,
    private readonly isClosed: () => boolean,
  ) {
    this.write = write;
    this.xml = xml;
    this.shownPath = shownPath;
    this.single = write.batch === 1;
    if (signal.aborted) this.graceBegins();
    signal.addEventListener('abort', this.graceBegins, { once: true });
  }
  end(): void {
    this.signal.removeEventListener('abort', this.graceBegins);
  }

  /** Tells of requests by the path as it is set down. */
  private heard(asked: string): (answer: Omit<Answer, 'asked'>) => void {
    return (answer) => this.batch.heard({ ...answer, asked });
  }
  /** Records that were sent in an earlier life of the run, without an answer that was kept. */
  async again(items: readonly Item[]): Promise<Sent> {
    if (mayRepeat(this.write)) return this.send(items);
    if (this.write.repeat.by !== 'look-up') return sent(items.map((item) => notDelivered(item, UNCLEAR)));
    return this.lookUp(items);
  }
  /** Sends only those that are not there. */
  private async lookUp(items: readonly Item[]): Promise<Sent> {
    const { repeat } = this.write;
    if (repeat.by !== 'look-up') return sent();
    const missing: Item[] = [];
    for (const item of items) {
      const at = fillPath(repeat.path, (name) => (name === repeat.member ? item.id : this.valueOf(item, name)));
      if ('missing' in at) return sent(items.map((i) => notDelivered(i, UNCLEAR)));
      const answer = await this.client.send({
        method: 'GET',
        url: this.client.address(at.path),
        repeatable: true,
        signal: this.signal,
        heard: this.heard(`GET ${repeat.path}`),
      });
      if (answer.status === 404 || answer.status === 410 || (answer.status < 300 && isEmptyAnswer(answer)))
        missing.push(item);
      else if (answer.status >= 300)
        return sent(items.map((i) => notDelivered(i, `${UNCLEAR} The look-up answered with status ${answer.status}.`)));
    }
    return missing.length === 0 ? sent() : onceBegun(this.send(missing));
  }
  private valueOf({ cells }: Item, name: string): string | null {
    return cells[this.batch.columns.findIndex((c) => c.name === name)] ?? null;
  }

  async send(items: readonly Item[]): Promise<Sent> {
    const { write, single, batch } = this;
    const [first] = items;
    const path = single ? fillPath(write.path, (name) => this.valueOf(first!, name)) : { path: write.path };
    if ('missing' in path)
      return sent([
        rejected(
          first!,
          'no_path',
          `The address names {${path.missing}}, and the record has no value there that can stand in an address.`,
          path.missing,
        ),
      ]);
    const { repeat } = write;
    const idMember = repeat.by === 'look-up' ? repeat.member : null;
    const made = requestBody(
      items.map((i) => i.cells),
      batch.columns,
      { xml: this.xml, single, member: write.member, idMember },
      items.map((i) => i.id),
    );
    if ('field' in made)
      return sent([rejected(first!, 'no_xml', 'It holds a control character, which XML can’t carry.', made.field)]);
    let answer: HttpAnswer;
    try {
      answer = await this.client.send({
        method: write.method,
        url: this.client.address(path.path),
        headers: {
          'content-type': this.xml ? 'application/xml' : 'application/json',
          ...(repeat.by === 'key' ? { [repeat.header]: keyOf(items) } : {}),
        },
        body: made.body,
        repeatable: mayRepeat(write),
        signal: this.late.signal,
        waitSignal: this.signal,
        isClosed: this.isClosed,
        heard: this.heard(`${write.method} ${this.shownPath}`),
      });
    } catch (error) {
      return this.withoutAnswer(items, error as Error);
    }
    return this.judged(items, answer);
  }

  /** What can't be known now is found out later, where the API lets us; what was not even sent can be sent later. */
  private async withoutAnswer(items: readonly Item[], error: Error): Promise<Sent> {
    if (error instanceof NotAuthorised || isFault(error)) throw error;
    const unsent = error instanceof NotSent;
    if (this.signal.aborted && this.signal.reason !== CANCELLED) throw unsent ? new AbortedBefore() : new Aborted();
    if (this.signal.aborted) return sent(items.map((item) => notDelivered(item, unsent ? UNSENT : UNCLEAR)));
    if (error instanceof ClosedBefore) throw new WindowClosed();
    if (unsent) throw new NothingDone(error.message);
    if (mayRepeat(this.write)) throw new Outage(error.message);
    if (this.write.repeat.by === 'look-up') return this.lookUp(items);
    return sent(
      items.map((item) => notDelivered(item, `${UNCLEAR} (${error.message})`)),
      error.message,
    );
  }

  private async judged(items: readonly Item[], answer: HttpAnswer): Promise<Sent> {
    const { write, single } = this;
    const { status } = answer;
    if (status === 401 || status === 403)
      throw refused(`${this.shownPath} does not let us write: ${faultOf(answer).message}`);
    // Where the address names the record, 404 is about this one; otherwise about all.
    const ofRecord = status === 404 && single && write.path.includes('{');
    if ((status === 404 && !ofRecord) || status === 405)
      throw refused(`${this.shownPath} is not there to be written to (status ${status}): ${faultOf(answer).message}`);
    if (status === 429) throw new NothingDone(`The target asks us to slow down: ${faultOf(answer).message}`);
    if (status >= 500) return this.theirFault(items, answer);
    const said = judge(answer, write, items.length, (id) => this.placeOfId(items, id));
    if (said.kind === 'judged')
      return sent(said.refused.map((r) => rejected(items[r.at]!, `http_${status}`, r.message, r.field, answer)));
    if (said.kind === 'unclear')
      return sent(
        items.map((item) =>
          notDelivered(
            item,
            `The answer does not say clearly whether it was taken: ${said.why} (status ${status}). Settle how answers of this dataset are read.`,
            answer,
          ),
        ),
      );
    if (items.length === 1) return sent([rejected(items[0]!, `http_${status}`, said.message, said.field, answer)]);
    // Refused as a whole without saying which: halves tell.
    return this.halves(items);
  }
  /** The target's own fault: with one record it is that record's, with several halves may tell. */
  private async theirFault(items: readonly Item[], answer: HttpAnswer): Promise<Sent> {
    const why = `status ${answer.status}: ${faultOf(answer).message}`;
    if (answer.status === 503) throw new NothingDone(`The target can't take records now (${why})`);
    if (!mayRepeat(this.write))
      return this.write.repeat.by === 'look-up'
        ? this.found(items, why, answer)
        : sent(
            items.map((item) => notDelivered(item, `${UNCLEAR} (${why})`, answer)),
            why,
          );
    if (items.length > 1) return this.halves(items);
    return sent([notDelivered(items[0]!, `It could not be delivered: ${why}`, answer)], why);
  }
  /** Which of the records are there after all; the others failed, and are known not to be there. */
  private async found(items: readonly Item[], why: string, answer: HttpAnswer): Promise<Sent> {
    if (items.length > 1) return this.lookUp(items);
    const { repeat } = this.write;
    if (repeat.by !== 'look-up') return sent();
    const at = fillPath(repeat.path, (name) => (name === repeat.member ? items[0]!.id : this.valueOf(items[0]!, name)));
    if ('missing' in at) return sent([notDelivered(items[0]!, UNCLEAR, answer)], why);
    const there = await this.client.send({
      method: 'GET',
      url: this.client.address(at.path),
      repeatable: true,
      signal: this.signal,
      heard: this.heard(`GET ${repeat.path}`),
    });
    if (there.status < 300 && !isEmptyAnswer(there)) return sent();
    return sent([notDelivered(items[0]!, `It could not be delivered: ${why}`, answer)], why);
  }
  private async halves(items: readonly Item[]): Promise<Sent> {
    const middle = items.length >> 1;
    const one = await this.send(items.slice(0, middle));
    const two = await onceBegun(this.send(items.slice(middle)));
    const fault = one.fault !== null && two.fault !== null ? two.fault : null;
    return sent([...one.rejections, ...two.rejections], fault);
  }
  private placeOfId(items: readonly Item[], id: string): number | null {
    const field = this.write.idField ?? this.batch.key[0] ?? this.batch.columns[0]!.name;
    const found = items.flatMap((item, at) => (this.valueOf(item, field) === id ? [at] : []));
    return found.length === 1 ? found[0]! : null;
  }
}

/** A part of the records is there already: whatever comes after is no beginning any more. */
async function onceBegun(part: Promise<Sent>): Promise<Sent> {
  try {
    return await part;
  } catch (error) {
    if (error instanceof NothingDone) throw new Outage(error.message);
    if (isFault(error) || error instanceof NotAuthorised) throw new Error(error.message, { cause: error });
    throw error instanceof AbortedBefore ? new Aborted() : error;
  }
}
/** The same records in one request have the same key, whichever run sends them; any other records have another. */
export function keyOf(items: readonly Pick<Item, 'id'>[]): string {
  const [first] = items;
  if (items.length === 1) return first!.id;
  const all = createHash('sha256').update(JSON.stringify(items.map((i) => i.id)));
  return `${first!.id.slice(0, 200)}+${items.length}+${all.digest('base64url').slice(0, 22)}`;
}
function rejected(
  { index, cells }: Item,
  code: string,
  message: string,
  field: string | null,
  answer?: HttpAnswer,
): Rejection {
  const dotted = (field ?? '').replace(/^[/#]+/, '').replace(/\//g, '.');
  const columns = field === null ? [] : [...new Set([dotted, dotted.split('.').at(-1)!])];
  return {
    part: 0,
    index,
    cells,
    code,
    message,
    columns,
    constraint: null,
    ...(answer ? { answer: saidBy(answer) } : {}),
  };
}
function notDelivered(item: Item, message: string, answer?: HttpAnswer): Rejection {
  return rejected(item, 'delivery_failed', message, null, answer);
}
const saidBy = ({ status, text }: HttpAnswer): string => `${status} ${text.slice(0, 2000)}`.trim();
