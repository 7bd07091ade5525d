import { parseJsonTree } from '@versicle/core';
import { createHash } from 'node:crypto';
import { createParser } from 'eventsource-parser';
import { recordsOf } from '../deliveries/deliveries.ts';
import { memberAt, UnexpectedAnswer } from '../http/answers.ts';
import type { Came } from '../kind.ts';

/** Bytes of one record at the most, as for what is sent to a webhook. */
const MOST = 2 * 1024 ** 2;
const TOO_LARGE = 'A record of more than 2 MB came; it is not taken.';

/** A record, with the id after which a later connection goes on when this one has been kept. */
export interface Read extends Came {
  readonly position: string | null;
}
/** Records out of bytes as they come, which may be cut anywhere. */
export interface Records {
  /** Throws an UnexpectedAnswer; what was whole before it is given first. */
  push(bytes: Uint8Array): readonly Read[];
  /** The bytes have ended: what stood at the end of them, where it is whole. Throws like `push`. */
  end(): readonly Read[];
  /** The id of the last record, which a later connection goes on after. */
  readonly lastId: string | null;
  /** Milliseconds that the other side wants us to wait before we ask again; null: it says nothing of it. */
  readonly wait: number | null;
}

/** Server-sent events (WHATWG HTML, 9.2). A cut event at the end comes again. */
export class EventRecords implements Records {
  lastId: string | null = null;
  wait: number | null = null;
  private readonly decoder = new TextDecoder('utf-8', { fatal: true });
  private came: Read[] = [];
  private broken: UnexpectedAnswer | null = null;
  private readonly parser = createParser({
    maxBufferSize: MOST,
    onEvent: ({ id, event = null, data }) => {
      if (id) this.lastId = id;
      if (this.only.size > 0 && !this.only.has(event ?? 'message')) return;
      const own = id || idIn(data, this.idField);
      if (own !== null) this.lastId = own;
      this.came.push({ ...cameAs(data, own, event), position: this.lastId });
    },
    onRetry: (wait) => (this.wait = wait),
    onError: ({ type }) => {
      if (type === 'max-buffer-size-exceeded') this.broken ??= new UnexpectedAnswer(TOO_LARGE);
    },
  });

  constructor(
    private readonly idField: string,
    private readonly only: ReadonlySet<string>,
  ) {}

  push(bytes: Uint8Array): readonly Read[] {
    // Line by line, so that what comes before something strange is still taken.
    for (let from = 0; from < bytes.length && this.broken === null;) {
      const end = bytes.indexOf(10, from);
      const to = end < 0 ? bytes.length : end + 1;
      const text = this.decoded(bytes.subarray(from, to));
      if (text === null) this.broken = new UnexpectedAnswer('What comes is not UTF-8, as events have to be.');
      else this.parser.feed(text);
      from = to;
    }
    const { came } = this;
    this.came = [];
    return came.length > 0 ? came : this.end();
  }
  end(): readonly Read[] {
    if (this.broken) throw this.broken;
    return [];
  }
  private decoded(bytes: Uint8Array): string | null {
    try {
      return this.decoder.decode(bytes, { stream: true });
    } catch {
      return null;
    }
  }
}

/** One JSON record a line. A line that is no JSON is kept as it came: its run says so. */
export class LineRecords implements Records {
  lastId: string | null = null;
  readonly wait = null;
  private pieces: Uint8Array[] = [];
  private size = 0;
  private broken: UnexpectedAnswer | null = null;

  constructor(private readonly idField: string) {}

  push(bytes: Uint8Array): readonly Read[] {
    const came: Read[] = [];
    let from = 0;
    for (let at = bytes.indexOf(10); at >= 0 && this.broken === null; at = bytes.indexOf(10, from)) {
      this.keep(bytes.subarray(from, at));
      if (this.broken === null) came.push(...this.line());
      from = at + 1;
    }
    if (this.broken === null) this.keep(bytes.subarray(from));
    if (came.length === 0 && this.broken) throw this.broken;
    return came;
  }
  /** A whole object needs no end of its line. */
  end(): readonly Read[] {
    if (this.broken) throw this.broken;
    const [last] = this.line();
    return last !== undefined && recordsOf(last.body) !== null ? [last] : [];
  }
  private keep(bytes: Uint8Array): void {
    this.size += bytes.length;
    if (this.size > MOST) this.broken = new UnexpectedAnswer(TOO_LARGE);
    if (bytes.length > 0) this.pieces.push(bytes.slice());
  }
  private line(): Read[] {
    const bytes = Buffer.concat(this.pieces);
    this.pieces = [];
    this.size = 0;
    const text = textOf(bytes).trim();
    if (text === '') return [];
    const own = idIn(text, this.idField);
    if (own !== null) this.lastId = own;
    return [{ ...cameAs(text, own, null), position: this.lastId }];
  }
}

/** What is not UTF-8 is no record, whatever it would be with other signs in the place of what can't be read. */
function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return `not UTF-8: ${new TextDecoder('utf-8').decode(bytes)}`;
  }
}
function idIn(body: string, idField: string): string | null {
  if (idField === '' || recordsOf(body) === null) return null;
  const found = memberAt(parseJsonTree(body), idField);
  return typeof found === 'string' && found !== '' ? found : null;
}
function cameAs(body: string, id: string | null, event: string | null): Came {
  if (recordsOf(body) !== null) return { id, body, event };
  // Nothing in it tells it apart; the same text is the same fault.
  const text = body.replaceAll('\0', '\uFFFD');
  return { id: id ?? `no record ${createHash('sha256').update(text).digest('hex')}`, body: text, event };
}
