import { connect, type Socket } from 'node:net';
import { failureReason, hostToConnect, type FailureReason } from '@sturdy/core';
import type { Driver, Outcome } from '../../contract/driver.js';
import type { ActionRules } from '../../contract/rules.js';
import { Ceilings } from '../../contract/ceilings.js';
import { addressRefused, connectionFailure, refusedAddress } from '../../net/connection-failure.js';
import { guardedLookup, literalProblem, type Lookup } from '../../net/guarded-lookup.js';
import { openSockets } from '../../net/open-sockets.js';

/** A line to be sent, and whether one is awaited. */
export interface LineAction {
  origin: string;
  /** Without its end; null where nothing is sent. */
  send: string | null;
  awaits: boolean;
}

/** The line that came; null where none was awaited, or none came. */
export interface LineObservation {
  answer: string | null;
}

/** A line that is longer is not waited for to its end. */
const longestLine = 1 << 20;
/** Lines that nobody waited for; more than these are dropped, the oldest first. */
const mostUnread = 1000;

/** Why an action over a connection ended; thrown within the driver only. */
class LineFailure extends Error {
  constructor(readonly reason: FailureReason) {
    super(reason.text);
  }
}

/** A connection of a virtual user, cut into lines. */
class LineConnection {
  readonly #unread: string[] = [];
  #rest = '';
  #ended: FailureReason | null = null;
  #wanted: { done: (line: string) => void; failed: (error: LineFailure) => void } | null = null;

  constructor(
    readonly socket: Socket,
    readonly origin: string,
  ) {
    socket.setEncoding('utf8');
    socket.on('data', (text: string) => {
      this.#receive(text);
    });
    socket.on('error', (error: NodeJS.ErrnoException) => {
      this.#end(
        connectionFailure(error.code, origin, origin) ?? failureReason('exchange-failed', `${origin}: ${error.message}`, error.code),
      );
    });
    socket.on('close', () => {
      this.#end(failureReason('connection-closed', `${origin} closed the connection before a line was complete.`));
    });
  }

  get hasEnded(): boolean {
    return this.#ended !== null;
  }

  /** Sends a line. What came before it is no answer to it. */
  send(line: string): void {
    this.#unread.length = 0;
    this.socket.write(`${line}\n`);
  }

  next(limitMs: number): Promise<string> {
    const [line] = this.#unread.splice(0, 1);
    if (line !== undefined) return Promise.resolve(line);
    if (this.#ended) return Promise.reject(new LineFailure(this.#ended));
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => {
        this.#wanted = null;
        reject(new LineFailure(failureReason('answer-timed-out', `${this.origin} sent no complete line within ${limitMs} ms.`)));
      }, limitMs);
      this.#wanted = {
        done: (found) => {
          clearTimeout(timer);
          resolve(found);
        },
        failed: (error) => {
          clearTimeout(timer);
          reject(error);
        },
      };
    });
  }

  #receive(text: string): void {
    const lines = (this.#rest + text).split('\n');
    this.#rest = lines.pop() ?? '';
    if (this.#rest.length > longestLine) {
      this.#rest = '';
      this.#end(
        failureReason('exchange-failed', `${this.origin} sent more than ${longestLine} characters without the end of a line.`, 'line'),
      );
      this.socket.destroy();
      return;
    }
    for (const line of lines) this.#deliver(line.endsWith('\r') ? line.slice(0, -1) : line);
  }

  #deliver(line: string): void {
    const wanted = this.#wanted;
    this.#wanted = null;
    if (wanted) wanted.done(line);
    else if (this.#unread.push(line) > mostUnread) this.#unread.shift();
  }

  #end(reason: FailureReason): void {
    this.#ended ??= reason;
    const wanted = this.#wanted;
    this.#wanted = null;
    wanted?.failed(new LineFailure(this.#ended));
  }
}

/** The connections of one virtual user over which lines are sent; one to each origin. */
export class LineDriver implements Driver<LineAction, LineObservation> {
  readonly #connections = new Map<string, LineConnection>();

  constructor(
    readonly rules: ActionRules,
    readonly ceilings = new Ceilings(),
    /** Looks names up; the way of this machine where it is absent. */
    readonly lookup?: Lookup,
  ) {}

  async perform({ origin, send, awaits }: LineAction): Promise<Outcome<LineObservation>> {
    const waitMs = send === null ? 0 : this.ceilings.turnInMs(this.rules, origin, performance.now());
    if (waitMs > 0) await new Promise((go) => setTimeout(go, waitMs));
    const startedMs = performance.now();
    const { limits } = this.rules;
    let connectedMs = startedMs;
    let connection = this.#connections.get(origin);
    const isKept = connection !== undefined && !connection.hasEnded;
    const outcome = (failure: FailureReason | null, answer: string | null): Outcome<LineObservation> => {
      const endedMs = performance.now();
      return {
        failure,
        durationMs: endedMs - startedMs,
        phases: { connect: isKept ? -1 : connectedMs - startedMs, wait: awaits ? endedMs - connectedMs : -1 },
        bytesIn: answer === null ? 0 : Buffer.byteLength(answer) + 1,
        bytesOut: send === null ? 0 : Buffer.byteLength(send) + 1,
        observation: { answer },
      };
    };
    try {
      if (!isKept) {
        connection = await connected(origin, limits.connectMs, this.rules.cleared[origin]?.addresses ?? [], this.lookup);
        this.#connections.set(origin, connection);
        connectedMs = performance.now();
      }
      if (!connection) return outcome(null, null);
      if (send !== null) connection.send(send);
      return outcome(null, awaits ? await connection.next(limits.answerMs) : null);
    } catch (error) {
      if (!(error instanceof LineFailure)) throw error;
      // What comes too late would answer the next line.
      connection?.socket.destroy();
      this.#connections.delete(origin);
      return outcome(error.reason, null);
    }
  }

  async reset(): Promise<void> {
    await this.close();
  }

  close(): Promise<void> {
    for (const { socket } of this.#connections.values()) socket.destroy();
    this.#connections.clear();
    return Promise.resolve();
  }
}

function connected(origin: string, limitMs: number, addresses: readonly string[], lookup?: Lookup): Promise<LineConnection> {
  const { port } = new URL(origin);
  const problem = literalProblem(origin, addresses);
  if (problem !== null) return Promise.reject(new LineFailure(addressRefused(problem)));
  return new Promise((resolve, reject) => {
    const lookupHere = guardedLookup(origin, addresses, lookup);
    const socket = connect({ host: hostToConnect(origin), port: Number(port), noDelay: true, lookup: lookupHere });
    openSockets.follow(socket);
    const timer = setTimeout(() => {
      socket.destroy();
      reject(new LineFailure(failureReason('connect-timed-out', `${origin} did not accept a connection within ${limitMs} ms.`)));
    }, limitMs);
    const failed = (error: NodeJS.ErrnoException) => {
      clearTimeout(timer);
      reject(
        new LineFailure(
          refusedAddress(error) ??
            connectionFailure(error.code, origin, origin) ??
            failureReason('exchange-failed', `${origin}: ${error.message}`, error.code),
        ),
      );
    };
    socket.once('error', failed);
    socket.once('connect', () => {
      clearTimeout(timer);
      socket.off('error', failed);
      resolve(new LineConnection(socket, origin));
    });
  });
}
