import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net';

/** A way to a server on this machine whose connections can be cut at any moment, as networks do. */
export class CuttingProxy {
  private readonly sockets = new Set<Socket>();
  /** Those of whoever came, by the ones that lead on. */
  private readonly near = new Set<Socket>();
  private shut = false;
  private isDeaf = false;
  /** Bytes that came back from the server so far. */
  answered = 0;
  /** Bytes that were sent to it so far. */
  sent = 0;
  /** Milliseconds that each piece takes on its way. */
  delay = 0;

  private constructor(private readonly server: Server) {}

  static async to(port: number): Promise<CuttingProxy> {
    const server = createServer();
    const proxy = new CuttingProxy(server);
    server.on('connection', (from) => {
      if (proxy.shut) return void from.destroy();
      const to = connect(port, '127.0.0.1');
      proxy.near.add(from);
      for (const socket of [from, to]) {
        proxy.sockets.add(socket);
        socket.on('error', () => undefined);
        socket.on('close', () => {
          proxy.sockets.delete(socket);
          proxy.near.delete(socket);
          if (socket === from && proxy.isDeaf) return;
          from.destroy();
          to.destroy();
        });
      }
      from.on('data', (d: Buffer) => {
        proxy.sent += d.length;
        proxy.pass(from, to, d);
      });
      to.on('data', (d: Buffer) => {
        proxy.answered += d.length;
        proxy.pass(to, from, d);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return proxy;
  }
  private pass(from: Socket, to: Socket, piece: Buffer): void {
    if (this.delay === 0) return void to.write(piece);
    // Nothing of what comes after overtakes it.
    from.pause();
    setTimeout(() => {
      to.write(piece);
      from.resume();
    }, this.delay);
  }
  get port(): number {
    return (this.server.address() as AddressInfo).port;
  }
  /** Every connection ends at once, without a word. */
  cut(): void {
    for (const socket of this.sockets) socket.resetAndDestroy();
  }
  /** Every connection ends for whoever came, and the server does not hear of it, as where a machine loses its network. */
  async cutHere(): Promise<void> {
    this.isDeaf = true;
    const closed = [...this.near].map((socket) => new Promise((resolve) => socket.once('close', resolve)));
    for (const socket of this.near) socket.resetAndDestroy();
    await Promise.all(closed);
    this.isDeaf = false;
  }
  /** Nobody gets through until it is opened again. */
  close(): void {
    this.shut = true;
    this.cut();
  }
  open(): void {
    this.shut = false;
  }
  async end(): Promise<void> {
    this.close();
    await new Promise<void>((resolve) => this.server.close(() => resolve()));
  }
}
