import type { AddressInfo } from 'node:net';
import { SMTPServer } from 'smtp-server';
import { Service, type Reply } from './service.ts';

export interface Mail {
  readonly from: string;
  readonly to: readonly string[];
  readonly text: string;
}

/** Takes mail over SMTP and shows it on a page. */
export class Inbox {
  readonly mails: Mail[] = [];
  readonly service = new Service('inbox', ({ path }): Reply => {
    if (path === '/mails') return { status: 200, body: this.mails };
    const rows = this.mails.map(
      (m) => `<article><h2>${safe(m.to.join(', '))}</h2><pre>${safe(m.text)}</pre></article>`,
    );
    return {
      status: 200,
      headers: { 'Content-Type': 'text/html; charset=utf-8' },
      body: `<!doctype html><title>Mail inbox</title><h1>Mail inbox</h1>${rows.join('') || '<p>No mail yet.</p>'}`,
    };
  });
  private readonly smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    allowInsecureAuth: true,
    onAuth: ({ username, password }, _session, done) =>
      username === 'versicle' && password === 'post'
        ? done(null, { user: username })
        : done(new Error('535 user or password is wrong')),
    onData: (stream, session, done) => {
      const pieces: Buffer[] = [];
      stream.on('data', (piece: Buffer) => pieces.push(piece));
      stream.on('end', () => {
        const { mailFrom, rcptTo } = session.envelope;
        this.mails.push({
          from: mailFrom ? mailFrom.address : '',
          to: rcptTo.map((r) => r.address),
          text: Buffer.concat(pieces).toString('utf8'),
        });
        done();
      });
    },
  });

  listenForMail(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.smtp.on('error', reject);
      const server = this.smtp.listen(port, '127.0.0.1', () => resolve((server.address() as AddressInfo).port));
    });
  }
  async close(): Promise<void> {
    await new Promise<void>((resolve) => this.smtp.close(() => resolve()));
    await this.service.close();
  }
}
const safe = (text: string): string => text.replace(/[&<>]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[c]!);
