import { cpSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PGlite } from '@electric-sql/pglite';
import { Trouble, type Faults } from '../services/faults.ts';
import { askPassword, fault, PacketReader, ready, stateAfter, welcome, type Message } from './wire.ts';

export interface DatabaseWorld {
  readonly name: string;
  readonly users: Readonly<Record<string, string>>;
  /** Makes and fills the tables. */
  readonly sql: string;
  /** What lasts only while the database is open. */
  readonly whileOpen?: string;
  /** How it behaves from the start, and what makes the database behave so. */
  readonly ways?: Partial<Faults>;
  readonly obey?: (faults: Faults) => string;
}

/**
 * A database that speaks PostgreSQL's protocol on 127.0.0.1, opened when somebody first asks for it. One session at a time
 * has the database, until its transaction ends. It takes no COPY from a client, as some hosted databases don't either.
 */
export class DatabaseService {
  readonly trouble: Trouble;
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();
  private opened: Promise<PGlite> | null = null;
  private directory: string | null = null;
  private last: Promise<void> = Promise.resolve();
  private sessions = 0;
  /** What the database was last told to obey. */
  private obeyed = '';

  constructor(
    private readonly world: DatabaseWorld,
    /** A fresh data directory to copy; without it, one is made, which takes some seconds. */
    private readonly template: string | null,
    /** Where the database stays when everything ends; null: it goes, too. */
    private readonly home: string | null = null,
  ) {
    this.trouble = new Trouble(world.ways);
    this.server = createServer((socket) => this.serve(socket));
  }
  get name(): string {
    return this.world.name;
  }

  listen(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, '127.0.0.1', () => resolve((this.server.address() as AddressInfo).port));
    });
  }

  private database(): Promise<PGlite> {
    // What failed to open is tried again for the next session.
    this.opened ??= this.open().catch((error: unknown) => {
      this.opened = null;
      throw error;
    });
    return this.opened;
  }
  private async open(): Promise<PGlite> {
    const { PGlite } = await import('@electric-sql/pglite');
    const filled = this.home !== null && existsSync(join(this.home, FILLED));
    if (!filled) {
      // A filling that was cut off begins anew.
      if (this.home !== null) rmSync(this.home, { recursive: true, force: true });
      this.directory = this.home ?? mkdtempSync(join(tmpdir(), `${this.name}-`));
      if (this.template !== null && existsSync(join(this.template, 'PG_VERSION')))
        cpSync(this.template, this.directory, { recursive: true });
      else mkdirSync(this.directory, { recursive: true });
    }
    const db = await PGlite.create((this.directory ??= this.home!));
    if (!filled) await db.exec(this.world.sql);
    if (!filled && this.home !== null) writeFileSync(join(this.home, FILLED), '');
    await db.exec(this.world.whileOpen ?? '');
    return db;
  }

  /** Waits until no other session has the database; gives the way to hand it on. */
  private async take(): Promise<() => void> {
    const before = this.last;
    let handOn!: () => void;
    this.last = new Promise((resolve) => (handOn = resolve));
    await before;
    try {
      await this.obey();
    } catch (error) {
      handOn();
      throw error;
    }
    return handOn;
  }
  /** Between two sessions the database learns how it is to behave. */
  private async obey(): Promise<void> {
    const wanted = this.world.obey?.(this.trouble.faults) ?? '';
    if (wanted === this.obeyed) return;
    await (await this.database()).exec(wanted);
    this.obeyed = wanted;
  }

  private serve(socket: Socket): void {
    this.sockets.add(socket);
    socket.on('close', () => this.sockets.delete(socket));
    socket.on('error', () => socket.destroy());
    const session = new Session(socket, this.world, this.trouble, ++this.sessions, {
      open: () => this.database(),
      take: () => this.take(),
    });
    let turn = Promise.resolve();
    socket.on('data', (piece: Buffer) => {
      turn = turn
        .then(() => session.push(piece))
        .catch((error: unknown) => {
          if (!socket.destroyed) process.stderr.write(`${this.name}: ${(error as Error).message}\n`);
          socket.destroy();
        });
    });
    socket.on('close', () => void turn.then(() => session.end()));
  }

  async close(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    await new Promise<void>((resolve) => this.server.close(() => resolve()));
    await (await this.opened?.catch(() => null))?.close();
    if (this.home === null && this.directory !== null) rmSync(this.directory, { recursive: true, force: true });
  }
}

/** Says that a database that stays has all its tables. */
const FILLED = 'filled';

interface House {
  open(): Promise<PGlite>;
  take(): Promise<() => void>;
}

class Session {
  private readonly packets = new PacketReader();
  private state: 'new' | 'password' | 'open' = 'new';
  private user = '';
  private pending: Buffer[] = [];
  /** Set while this session has the database. */
  private handOn: (() => void) | null = null;

  constructor(
    private readonly socket: Socket,
    private readonly world: DatabaseWorld,
    private readonly trouble: Trouble,
    private readonly number: number,
    private readonly house: House,
  ) {}

  async push(piece: Buffer): Promise<void> {
    this.packets.push(piece);
    while (this.state === 'new') {
      const packet = this.packets.first();
      if (packet === null) return;
      if (packet.kind === 'cancel') return void this.socket.destroy();
      if (packet.kind === 'encryption') {
        this.socket.write('N');
        continue;
      }
      if (packet.database !== this.world.name)
        return this.turnAway('3D000', `database "${packet.database}" does not exist`);
      this.user = packet.user;
      this.state = 'password';
      this.socket.write(askPassword());
    }
    for (let message = this.packets.next(); message !== null; message = this.packets.next())
      if (!(await this.take(message))) return;
  }

  private turnAway(code: string, message: string): void {
    this.socket.end(fault(code, message, 'FATAL'));
  }

  /** Whether the session goes on. */
  private async take(message: Message): Promise<boolean> {
    if (this.state === 'password') {
      const password = message.body.toString('utf8').replace(/\0$/, '');
      const { faults } = this.trouble;
      if (faults.lockedOut || !Object.hasOwn(this.world.users, this.user) || this.world.users[this.user] !== password) {
        this.turnAway('28P01', `password authentication failed for user "${this.user}"`);
        return false;
      }
      this.state = 'open';
      this.socket.write(welcome(this.number));
      return true;
    }
    if (message.type === 'X') {
      this.socket.end();
      return false;
    }
    this.pending.push(message.whole);
    // Until Sync, Flush or a simple query the other side does not wait for an answer.
    return message.type === 'S' || message.type === 'H' || message.type === 'Q' ? this.answer(message) : true;
  }

  private async answer(message: Message): Promise<boolean> {
    const asked = Buffer.concat(this.pending);
    this.pending = [];
    if (this.trouble.faults.slowMs > 0) await new Promise((r) => setTimeout(r, this.trouble.faults.slowMs));
    const trouble = this.trouble.next();
    if (trouble !== null && this.handOn === null) {
      if (trouble === 'drop') this.socket.destroy();
      else this.turnAway('57P01', 'terminating connection due to administrator command');
      return false;
    }
    if (message.type === 'Q' && /^\s*COPY\b[\s\S]*\bFROM\s+STDIN\b/i.test(message.body.toString('utf8'))) {
      this.socket.write(Buffer.concat([fault('0A000', 'COPY FROM STDIN is not supported here'), ready()]));
      return true;
    }
    const db = await this.house.open();
    this.handOn ??= await this.house.take();
    const answer = await db.execProtocolRaw(asked);
    if (!this.socket.destroyed) this.socket.write(answer);
    if (stateAfter(answer) === 'I') this.release();
    return true;
  }
  private release(): void {
    this.handOn?.();
    this.handOn = null;
  }

  /** Whoever hangs up in the middle of a transaction loses it. */
  async end(): Promise<void> {
    if (this.handOn === null) return;
    try {
      await (await this.house.open()).exec('ROLLBACK');
    } finally {
      this.release();
    }
  }
}
