import type { PresentPerson, ServerEvent } from '@versicle/contract';
import { Listener, type Database, type ServerAddress } from '@versicle/postgres';

/** What processes on one store tell each other. None of it has to arrive: whoever missed it finds it in the store later. */
interface Words {
  /** Pages hear of it. */
  event: { event: ServerEvent };
  'waiting changed': object;
  /** Runs may be taken on. */
  runs: object;
  /** Somebody wants a run cancelled, or paused. */
  wanted: object;
  /** A run that holds others is to be looked at. */
  plan: { run: number };
  /** Something waits for a target; `first`: it may have to go before what is at hand. */
  send: { target: string; first: boolean };
  /** What of some runs may be sent, or in which order, was changed. */
  'sends changed': { target: string; runs: readonly number[] };
  /** Nothing more of a run is to be sent; and the answer, when nothing of it is under way. */
  'stop sending': { target: string; run: number };
  'stopped sending': { run: number };
  /** A system's connection was changed, or it was removed. */
  system: { id: string };
  profiles: object;
  'cancel trial': { mapping: string };
  /** Somebody has a sheet open, or left it. */
  here: { mapping: string; person: PresentPerson; left: boolean };
  /** Something could not be told. */
  missed: object;
}
type Word = { [K in keyof Words]: { readonly kind: K } & Words[K] }[keyof Words];

const CHANNEL = 'versicle';
/** Bytes that PostgreSQL carries with a notification, at the most. */
const MOST = 7900;
/** Words that wait to be told, at the most, and milliseconds after which it is tried again. */
const MOST_WAITING = 1000;
const AGAIN = 500;

/** The other processes on this store: what they are told, and what they tell. Where there is one at a time, nobody is there. */
export class Peers {
  private readonly handlers = new Map<keyof Words, ((word: never) => void)[]>();
  private waiting: Word[] = [];
  private telling: Promise<void> | null = null;
  private ended = false;
  private listener: Listener | null = null;

  private constructor(
    private readonly me: string,
    private readonly db: Database | null,
  ) {}

  static async join(me: string, db: Database, address: ServerAddress | null): Promise<Peers> {
    if (address === null) return new Peers(me, null);
    const peers = new Peers(me, db);
    peers.listener = await Listener.start(
      address,
      CHANNEL,
      (payload) => peers.heard(payload),
      () => peers.hear({ kind: 'missed' }),
    );
    return peers;
  }
  /** For one process by itself. */
  static none(): Peers {
    return new Peers('', null);
  }

  /** Whether there may be any: a store that several processes share. */
  get areThere(): boolean {
    return this.db !== null;
  }
  on<K extends keyof Words>(kind: K, hear: (word: Words[K]) => void): void {
    this.handlers.set(kind, [...(this.handlers.get(kind) ?? []), hear]);
  }
  private hear(word: Word): void {
    for (const handler of this.handlers.get(word.kind) ?? []) handler(word as never);
  }
  private heard(payload: string): void {
    const { from, word } = JSON.parse(payload) as { from: string; word: Word };
    if (from !== this.me) this.hear(word);
  }

  /** Tells all others, in order. What can't be told, and what waits behind it, is told as missed, as soon as something can. */
  tell(word: Word): void {
    if (this.db === null) return;
    this.waiting.push(word);
    if (this.waiting.length > MOST_WAITING) this.waiting = [{ kind: 'missed' }];
    this.telling ??= this.tellAll(this.db).finally(() => (this.telling = null));
  }
  private async tellAll(db: Database): Promise<void> {
    for (let word = this.waiting.shift(); word !== undefined; word = this.waiting.shift())
      try {
        await this.send(db, word);
      } catch {
        this.waiting = [{ kind: 'missed' }];
        if (this.ended) return;
        await new Promise((resolve) => setTimeout(resolve, AGAIN));
      }
  }
  private async send(db: Database, word: Word): Promise<void> {
    const text = JSON.stringify({ from: this.me, word });
    const payload = Buffer.byteLength(text) > MOST ? JSON.stringify({ from: this.me, word: { kind: 'missed' } }) : text;
    await db.query('SELECT pg_notify($1, $2)', [CHANNEL, payload]);
  }

  async close(): Promise<void> {
    this.ended = true;
    await this.telling;
    await this.listener?.close();
  }
}
