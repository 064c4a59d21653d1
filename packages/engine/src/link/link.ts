import type { Envelope, LinkIdentity } from './envelope.js';
import { RoundTrip } from './round-trip.js';

/** An end that has said nothing for so many ms says that it is there. */
const beatMs = 1000;
/** How often an end looks whether something is to be sent again. */
const tickMs = 50;
/** An acknowledgement waits so many ms for a message that takes it along. */
const acknowledgeMs = 20;
/** Messages that are under way at a time; more wait for their turn. */
const mostUnderWay = 64;
/** Messages that are sent again at a time: whoever does not answer may be busy, and is not to drown in repeats. */
const mostRepeated = 8;

interface UnderWay<Message> {
  sequence: number;
  message: Message;
  sentMs: number;
}

const nowMs = (): number => performance.timeOrigin + performance.now();

/**
 * One end of the way between conductor and generator. Over a network that drops, doubles, delays and reorders what it carries, each message is
 * delivered once, and in the order in which it was sent.
 */
export class Link<Out, In> {
  readonly #roundTrip = new RoundTrip();
  /** Sent and not yet acknowledged, in the order of their places. */
  #underWay: UnderWay<Out>[] = [];
  /** Waits until fewer are under way. */
  readonly #waiting: Out[] = [];
  #lastSequence = 0;
  /** Came before those that go before them. */
  readonly #early = new Map<number, In>();
  #delivered = 0;
  /** What the other end sent last: when, on its clock, and when that came. */
  #last: { sentMs: number; cameMs: number } | null = null;
  #saidMs = nowMs();
  #confirmedMs = nowMs();
  #heardMs = nowMs();
  #acknowledging: NodeJS.Timeout | null = null;
  #ticking: NodeJS.Timeout | null = setInterval(() => {
    this.#tick();
  }, tickMs);

  constructor(
    readonly identity: LinkIdentity,
    /** Hands an envelope to the network, which may lose it. */
    readonly carry: (envelope: Envelope<Out>) => void,
    readonly deliver: (message: In) => void,
  ) {}

  /** ms since something was heard of the other end. */
  get quietMs(): number {
    return nowMs() - this.#heardMs;
  }

  /** ms since something was sent that the other end is known to have got. */
  get unconfirmedMs(): number {
    return nowMs() - this.#confirmedMs;
  }

  /** Sends a message; it is repeated until the other end has acknowledged it. */
  send(message: Out): void {
    if (!this.#ticking) return;
    this.#waiting.push(message);
    this.#sendWaiting();
  }

  /** Takes in an envelope. One of another run or generator, or one that came before, changes nothing. */
  receive(envelope: Envelope<In>): void {
    const { run, generator } = this.identity;
    if (!this.#ticking || envelope.run !== run || envelope.generator !== generator) return;
    const cameMs = nowMs();
    this.#heardMs = cameMs;
    if (this.#last === null || envelope.sentMs > this.#last.sentMs) this.#last = { sentMs: envelope.sentMs, cameMs };
    if (envelope.echoMs !== null && envelope.echoMs > this.#confirmedMs) this.#confirmedMs = envelope.echoMs;
    if (envelope.echoMs !== null) this.#roundTrip.measured(Math.max(0, cameMs - envelope.echoMs - envelope.heldMs));
    this.#underWay = this.#underWay.filter(({ sequence }) => sequence > envelope.acknowledges);
    this.#sendWaiting();
    if (envelope.message === null || envelope.sequence === 0) return;
    // What came before is acknowledged once more: the acknowledgement may have been lost.
    this.#acknowledging ??= setTimeout(() => {
      this.#say(0, null);
    }, acknowledgeMs);
    if (envelope.sequence <= this.#delivered) return;
    this.#early.set(envelope.sequence, envelope.message);
    for (let next = this.#early.get(this.#delivered + 1); next !== undefined; next = this.#early.get(this.#delivered + 1)) {
      this.#early.delete(++this.#delivered);
      this.deliver(next);
    }
  }

  /** Nothing is sent or delivered any more. */
  close(): void {
    if (this.#ticking) clearInterval(this.#ticking);
    if (this.#acknowledging) clearTimeout(this.#acknowledging);
    this.#ticking = null;
  }

  #sendWaiting(): void {
    while (this.#underWay.length < mostUnderWay) {
      const message = this.#waiting.shift();
      if (message === undefined) return;
      const sequence = ++this.#lastSequence;
      this.#underWay.push({ sequence, message, sentMs: nowMs() });
      this.#say(sequence, message);
    }
  }

  #tick(): void {
    const now = nowMs();
    const late = this.#underWay.filter(({ sentMs }) => now - sentMs > this.#roundTrip.waitMs).slice(0, mostRepeated);
    if (late.length > 0) this.#roundTrip.timedOut();
    for (const repeated of late) {
      repeated.sentMs = now;
      this.#say(repeated.sequence, repeated.message);
    }
    if (now - this.#saidMs >= beatMs) this.#say(0, null);
  }

  #say(sequence: number, message: Out | null): void {
    if (this.#acknowledging) clearTimeout(this.#acknowledging);
    this.#acknowledging = null;
    if (!this.#ticking) return;
    const sentMs = nowMs();
    this.#saidMs = sentMs;
    this.carry({
      version: 1,
      ...this.identity,
      sequence,
      acknowledges: this.#delivered,
      sentMs,
      echoMs: this.#last?.sentMs ?? null,
      heldMs: this.#last ? sentMs - this.#last.cameMs : 0,
      message,
    });
  }
}
