import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { WebSocketServer, type WebSocket } from 'ws';
import type { Intake, YardRecords } from './records.js';
import type { Visit } from './sessions.js';

const newsEveryMs = 60;

/** What a client says over the line. */
interface Wish {
  type?: string;
  id?: number;
  cursor?: string;
  claim?: string;
}

/**
 * The line of the inspection desk, a WebSocket: it greets with a cursor, lists the loads of a visit that wait for inspection, each with a claim
 * that holds once, and gives a seal for a claim. Between its answers it tells temperatures that nobody asked for.
 */
export class InspectionLine {
  readonly #server = new WebSocketServer({ noServer: true, maxPayload: 64 << 10 });
  /** Visits by the ticket that opens a line once. */
  readonly #tickets = new Map<string, Visit>();
  /** The intake that a claim or a seal stands for. */
  readonly #claims = new Map<string, number>();
  readonly #seals = new Map<string, number>();

  constructor(
    readonly records: YardRecords,
    readonly token: (bytes: number) => string,
    readonly random: () => number,
  ) {}

  /** A ticket that opens one line of a visit. */
  newTicket(visit: Visit): string {
    const ticket = this.token(15);
    this.#tickets.set(ticket, visit);
    return ticket;
  }

  /** The intake that a seal stands for; it holds once. */
  takeSeal(seal: string): Intake | undefined {
    const intake = this.records.intakes.get(this.#seals.get(seal) ?? -1);
    this.#seals.delete(seal);
    return intake;
  }

  /** Answers a handshake; a ticket that was used before is refused. */
  upgrade(request: IncomingMessage, socket: Duplex, head: Buffer): void {
    const url = new URL(request.url ?? '/', 'http://yard');
    const ticket = url.searchParams.get('ticket') ?? '';
    const visit = this.#tickets.get(ticket);
    this.#tickets.delete(ticket);
    if (url.pathname !== '/inspection/line' || !visit) {
      socket.end(
        'HTTP/1.1 403 Forbidden\r\nContent-Type: text/plain\r\nContent-Length: 25\r\nConnection: close\r\n\r\nThis ticket is not valid.',
      );
      return;
    }
    this.#server.handleUpgrade(request, socket, head, (line) => {
      this.#serve(line, visit);
    });
  }

  close(): void {
    for (const line of this.#server.clients) line.terminate();
    this.#server.close();
  }

  #serve(line: WebSocket, visit: Visit): void {
    const say = (message: object) => {
      line.send(JSON.stringify(message));
    };
    const cursor = `cu-${this.token(9)}`;
    const news = setInterval(() => {
      const bay = this.records.bays[Math.floor(this.random() * this.records.bays.length)];
      say({ type: 'temperature', bay: bay?.code ?? '', celsius: Math.round(-180 - this.random() * 20) / 10 });
    }, newsEveryMs);
    line.on('close', () => {
      clearInterval(news);
    });
    line.on('error', () => {
      clearInterval(news);
    });
    line.on('message', (data: Buffer) => {
      let wish: Wish;
      try {
        wish = JSON.parse(data.toString()) as Wish;
      } catch {
        line.close(1007, 'This is no JSON');
        return;
      }
      say({ id: wish.id, ...this.#answer(wish, visit, cursor) });
    });
    say({ type: 'hello', cursor });
  }

  #answer(wish: Wish, visit: Visit, cursor: string): object {
    if (wish.type === 'list') {
      if (wish.cursor !== cursor) return { type: 'error', text: 'The cursor is not of this line.' };
      const loads = [...this.records.intakes.values()].filter(
        (intake) => intake.session.startsWith(`${visit.label},`) && intake.inspectedAt === null,
      );
      return {
        type: 'list',
        loads: loads.map((load) => {
          const claim = `cl-${this.token(9)}`;
          this.#claims.set(claim, load.id);
          return { intake: load.id, goods: load.goods, claim };
        }),
      };
    }
    if (wish.type === 'claim') {
      const intake = this.#claims.get(wish.claim ?? '');
      this.#claims.delete(wish.claim ?? '');
      if (intake === undefined) return { type: 'error', text: 'This claim does not hold.' };
      const seal = `se-${this.token(12)}`;
      this.#seals.set(seal, intake);
      return { type: 'claimed', intake, seal };
    }
    return { type: 'error', text: 'Nothing is done for this type.' };
  }
}
