/** PostgreSQL's frontend/backend protocol, version 3 (PostgreSQL, chapter “Message Formats”), as far as a server needs it. */

const SSL_REQUEST = 80877103;
const GSS_REQUEST = 80877104;
const CANCEL_REQUEST = 80877102;

export type FirstPacket =
  | { readonly kind: 'encryption' }
  | { readonly kind: 'cancel' }
  | { readonly kind: 'startup'; readonly user: string; readonly database: string };

export interface Message {
  /** The message's letter. */
  readonly type: string;
  readonly body: Buffer;
  readonly whole: Buffer;
}

/** Puts the pieces of a socket together to packets. */
export class PacketReader {
  private bytes: Buffer = Buffer.alloc(0);

  push(piece: Buffer): void {
    this.bytes = this.bytes.length === 0 ? piece : Buffer.concat([this.bytes, piece]);
  }
  /** The first packet of a connection has no letter. */
  first(): FirstPacket | null {
    const { bytes } = this;
    if (bytes.length < 8 || bytes.length < bytes.readInt32BE(0)) return null;
    const length = bytes.readInt32BE(0);
    const code = bytes.readInt32BE(4);
    this.bytes = bytes.subarray(length);
    if (code === SSL_REQUEST || code === GSS_REQUEST) return { kind: 'encryption' };
    if (code === CANCEL_REQUEST) return { kind: 'cancel' };
    const parts = bytes.subarray(8, length).toString('utf8').split('\0');
    const given = new Map<string, string>();
    for (let i = 0; i + 1 < parts.length; i += 2) given.set(parts[i]!, parts[i + 1]!);
    const user = given.get('user') ?? '';
    return { kind: 'startup', user, database: given.get('database') ?? user };
  }
  next(): Message | null {
    const { bytes } = this;
    if (bytes.length < 5) return null;
    const length = 1 + bytes.readInt32BE(1);
    if (bytes.length < length) return null;
    this.bytes = bytes.subarray(length);
    return {
      type: String.fromCharCode(bytes[0]!),
      body: bytes.subarray(5, length),
      whole: bytes.subarray(0, length),
    };
  }
}

function packet(type: string, ...parts: (Buffer | string | number)[]): Buffer {
  const body = Buffer.concat(
    parts.map((part) => {
      if (typeof part === 'string') return Buffer.from(`${part}\0`, 'utf8');
      if (typeof part !== 'number') return part;
      const number = Buffer.alloc(4);
      number.writeInt32BE(part);
      return number;
    }),
  );
  const head = Buffer.alloc(5);
  head.write(type, 0, 'latin1');
  head.writeInt32BE(body.length + 4, 1);
  return Buffer.concat([head, body]);
}
export const askPassword = (): Buffer => packet('R', 3);
export const ready = (): Buffer => packet('Z', Buffer.from('I'));
export function welcome(process: number): Buffer {
  const settings = {
    server_version: '18.6',
    server_encoding: 'UTF8',
    client_encoding: 'UTF8',
    DateStyle: 'ISO, MDY',
    TimeZone: 'UTC',
    integer_datetimes: 'on',
    standard_conforming_strings: 'on',
  };
  const parameters = Object.entries(settings).map(([name, value]) => packet('S', name, value));
  return Buffer.concat([packet('R', 0), ...parameters, packet('K', process, 0), ready()]);
}
export function fault(code: string, message: string, severity: 'ERROR' | 'FATAL' = 'ERROR'): Buffer {
  const field = (letter: string, text: string): Buffer => Buffer.from(`${letter}${text}\0`, 'utf8');
  return packet(
    'E',
    Buffer.concat([
      field('S', severity),
      field('V', severity),
      field('C', code),
      field('M', message),
      Buffer.from([0]),
    ]),
  );
}

/** The transaction's state that an answer ends with: I idle, T in a transaction, E in a failed one; null: not ready yet. */
export function stateAfter(answer: Uint8Array): string | null {
  const bytes = Buffer.from(answer.buffer, answer.byteOffset, answer.byteLength);
  let state: string | null = null;
  for (let at = 0; at + 5 <= bytes.length; at += 1 + bytes.readInt32BE(at + 1))
    state = bytes[at] === 0x5a ? String.fromCharCode(bytes[at + 5]!) : null;
  return state;
}
