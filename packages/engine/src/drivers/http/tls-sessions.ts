import type { Socket } from 'node:net';

/**
 * The sessions of TLS that a virtual user has agreed on (RFC 8446, 2.2), by origin: a further connection of the same user is made with a
 * shorter handshake, as browsers do. A new visitor has none.
 */
export class TlsSessions {
  readonly #sessions = new Map<string, Buffer>();

  /** The session that was agreed on last; undefined where there is none. */
  of(origin: string): Buffer | undefined {
    return this.#sessions.get(origin);
  }

  /** Keeps the sessions that a target gives over a connection; over one without TLS it gives none. */
  follow(origin: string, socket: Socket): void {
    socket.on('session', (session: Buffer) => this.#sessions.set(origin, session));
  }

  clear(): void {
    this.#sessions.clear();
  }
}
