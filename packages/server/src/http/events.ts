import type { Response } from 'express';
import type { ServerEvent, Waiting } from '@versicle/contract';
import { Peers } from '../workers/peers.ts';

/** Server-sent events to every open page. */
export class Events {
  private readonly pages = new Set<Response>();
  constructor(
    private readonly waiting: () => Promise<Waiting>,
    private readonly peers: Peers = Peers.none(),
  ) {
    peers.on('event', ({ event }) => this.sendHere(event));
    peers.on('waiting changed', () => {
      // What can't be asked now is asked by the pages themselves.
      this.waitingHere().catch(() => this.begin());
    });
    peers.on('missed', () => this.begin());
  }

  add(res: Response): void {
    res.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', Connection: 'keep-alive' });
    res.write('retry: 2000\n\n');
    this.pages.add(res);
    const beat = setInterval(() => res.write(': still here\n\n'), 25_000);
    res.on('close', () => {
      clearInterval(beat);
      this.pages.delete(res);
    });
  }
  /** Whether anybody would hear of an event: what only they are told need not be asked for otherwise. */
  get isHeard(): boolean {
    return this.pages.size > 0 || this.peers.areThere;
  }
  /** To the pages of all processes on the store. */
  send(event: ServerEvent): void {
    this.sendHere(event);
    this.peers.tell({ kind: 'event', event });
  }
  sendHere(event: ServerEvent): void {
    if (this.pages.size === 0) return;
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const page of this.pages) page.write(text);
  }
  async waitingChanged(): Promise<void> {
    this.peers.tell({ kind: 'waiting changed' });
    await this.waitingHere();
  }
  private async waitingHere(): Promise<void> {
    if (this.pages.size > 0) this.sendHere({ type: 'waiting', waiting: await this.waiting() });
  }
  /** Something may have been missed: pages connect anew, and ask for what there is. */
  private begin(): void {
    for (const page of this.pages) page.end();
  }
  close(): void {
    for (const page of this.pages) page.end();
  }
}
