import type { Socket } from 'node:net';

/** Connections of this thread that are open: those of all users of a generator. */
class OpenSockets {
  #count = 0;

  get count(): number {
    return this.#count;
  }

  /** Counts a socket from the moment at which it is connected to the one at which it is closed. */
  follow(socket: Socket): void {
    socket.once('connect', () => {
      this.#count++;
      socket.once('close', () => this.#count--);
    });
  }
}

export const openSockets = new OpenSockets();
