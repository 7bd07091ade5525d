import type { Response } from 'express';
import type { ServerEvent, Waiting } from '@versicle/contract';

/** Server-sent events to every open page. */
export class Events {
  private readonly pages = new Set<Response>();
  constructor(private readonly waiting: () => Promise<Waiting>) {}

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
  send(event: ServerEvent): void {
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const page of this.pages) page.write(text);
  }
  async waitingChanged(): Promise<void> {
    if (this.pages.size > 0) this.send({ type: 'waiting', waiting: await this.waiting() });
  }
  close(): void {
    for (const page of this.pages) page.end();
  }
}
