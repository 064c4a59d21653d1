import { createServer, connect, type AddressInfo, type Socket } from 'node:net';

/** A gate between the product and its database, which can be shut: connections are refused, or nothing passes any more. */
export class DatabaseGate {
  #state: 'open' | 'shut' | 'hanging' = 'open';
  readonly #sockets = new Set<Socket>();
  readonly #server;

  private constructor(readonly target: URL) {
    this.#server = createServer((client) => {
      if (this.#state === 'shut') {
        client.resetAndDestroy();
        return;
      }
      const database = connect(Number(target.port), target.hostname);
      for (const [from, to] of [
        [client, database],
        [database, client],
      ] as const) {
        this.#sockets.add(from);
        from.on('data', (bytes) => {
          if (this.#state === 'open') to.write(bytes);
        });
        from.on('error', () => to.destroy());
        from.on('close', () => {
          this.#sockets.delete(from);
          to.destroy();
        });
      }
    });
  }

  /** Opens a gate to the database of the address. */
  static async open(address: string): Promise<DatabaseGate> {
    const gate = new DatabaseGate(new URL(address));
    await new Promise<void>((done) => gate.#server.listen(0, '127.0.0.1', done));
    return gate;
  }

  /** The address of the database through this gate. */
  get url(): string {
    const through = new URL(this.target);
    through.port = String((this.#server.address() as AddressInfo).port);
    return through.href;
  }

  /** Ends all connections, and refuses those that come. */
  shut(): void {
    this.#state = 'shut';
    for (const socket of this.#sockets) socket.destroy();
  }

  /** Keeps all connections, and lets nothing pass. */
  hang(): void {
    this.#state = 'hanging';
  }

  /** Lets everything pass again; what hung is lost. */
  pass(): void {
    this.#state = 'open';
  }

  close(): void {
    this.shut();
    this.#server.close();
  }
}
