import pg from 'pg';
import type { ServerAddress } from './server.ts';

/** Milliseconds after which a broken connection is made anew. */
const AGAIN = 500;

/**
 * Hears what sessions of a PostgreSQL server tell each other (LISTEN, NOTIFY), over a connection of its own. What is said
 * while that is broken is not heard: `missed` says so, once it listens again.
 */
export class Listener {
  private client: pg.Client | null = null;
  private ended = false;

  private constructor(
    private readonly address: ServerAddress,
    private readonly channel: string,
    private readonly heard: (payload: string) => void,
    private readonly missed: () => void,
  ) {}

  static async start(
    address: ServerAddress,
    channel: string,
    heard: (payload: string) => void,
    missed: () => void,
  ): Promise<Listener> {
    const listener = new Listener(address, channel, heard, missed);
    await listener.connect();
    return listener;
  }

  private async connect(): Promise<void> {
    const { label: _, ...where } = this.address;
    const client = new pg.Client({ ...where, connectionTimeoutMillis: 8000, keepAlive: true });
    client.on('error', () => undefined);
    client.on('notification', ({ payload }) => this.heard(payload ?? ''));
    try {
      await client.connect();
      await client.query(`LISTEN ${client.escapeIdentifier(this.channel)}`);
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
    if (this.ended) return client.end();
    this.client = client;
    client.once('end', () => this.again());
  }
  private again(): void {
    if (this.ended) return;
    this.connect().then(
      () => this.missed(),
      () => void setTimeout(() => this.again(), AGAIN).unref(),
    );
  }

  async close(): Promise<void> {
    this.ended = true;
    await this.client?.end().catch(() => undefined);
  }
}
