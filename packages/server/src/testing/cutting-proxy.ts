import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net';

/** A way to a server on this machine whose connections can be cut at any moment, as networks do. */
export class CuttingProxy {
  private readonly sockets = new Set<Socket>();
  private shut = false;
  /** Bytes that came back from the server so far. */
  answered = 0;
  /** Bytes that were sent to it so far. */
  sent = 0;

  private constructor(private readonly server: Server) {}

  static async to(port: number): Promise<CuttingProxy> {
    const server = createServer();
    const proxy = new CuttingProxy(server);
    server.on('connection', (from) => {
      if (proxy.shut) return void from.destroy();
      const to = connect(port, '127.0.0.1');
      for (const socket of [from, to]) {
        proxy.sockets.add(socket);
        socket.on('error', () => undefined);
        socket.on('close', () => {
          proxy.sockets.delete(socket);
          from.destroy();
          to.destroy();
        });
      }
      from.on('data', (d: Buffer) => {
        proxy.sent += d.length;
        to.write(d);
      });
      to.on('data', (d: Buffer) => {
        proxy.answered += d.length;
        from.write(d);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return proxy;
  }
  get port(): number {
    return (this.server.address() as AddressInfo).port;
  }
  /** Every connection ends at once, without a word. */
  cut(): void {
    for (const socket of this.sockets) socket.resetAndDestroy();
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
