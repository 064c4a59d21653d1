import type { RunGenerator } from '@sturdy/core';
import type { FromGenerator, Plan, ToGenerator } from '@sturdy/engine';
import { ClockBook } from './clock-book.js';
import { PlanDelivery, type PlanSupplies } from './plan-delivery.js';
import type { GeneratorLink, Transport } from './transport.js';

/** How long a generator may say nothing. Times in ms. */
export interface SilenceLimits {
  /** Then it is silent: nothing waits for it any more until it is heard again. */
  silentAfterMs: number;
  /** Then it is lost. Longer than the time after which a generator that gets through to nobody gives up by itself (`orphanedAfterMs`). */
  lostAfterMs: number;
}

export const usualSilenceLimits: SilenceLimits = { silentAfterMs: 5_000, lostAfterMs: 75_000 };

/** What a run hears of its generators. */
export interface GeneratorEvents {
  /** The clocks of all are known: they can begin. */
  onReady: () => void;
  onMessage: (generator: number, message: FromGenerator) => void;
  onSilent: (generator: number) => void;
  /** It is heard again, after so many ms. */
  onHeard: (generator: number, silentMs: number) => void;
  onLost: (generator: number, why: string) => void;
}

/** How often it is looked whether a generator says nothing, in ms. */
const lookMs = 250;
/** Time for the start to get through a busy machine, in addition to the round trips, in ms. */
const leadMs = 20;
/** Round trips are waited for so many ms at the most: on a busy machine they say more of the machine than of the network. */
const mostPatienceMs = 3000;
/** Time for generators to drop what is under way, in addition to the round trips, in ms. */
const abortMs = 300;

const nowMs = (): number => performance.timeOrigin + performance.now();

/** The generators of a run, as its conductor sees them: their plans, their clocks, and who of them plays, is silent, or plays no more. */
export class RunGenerators {
  readonly #links: GeneratorLink[];
  readonly #deliveries: PlanDelivery[];
  readonly #clocks = new ClockBook();
  readonly #ended = new Set<number>();
  /** When what is silent now was heard last, in ms. */
  readonly #silent = new Map<number, number>();
  #hasBegun = false;
  #onAllEnded: (() => void) | null = null;
  readonly #looking: NodeJS.Timeout;

  constructor(
    run: string,
    plans: readonly Plan[],
    supplies: PlanSupplies,
    transport: Transport,
    readonly limits: SilenceLimits,
    readonly events: GeneratorEvents,
  ) {
    this.#links = plans.map(({ generator }) =>
      transport.open({ run, generator }, (message) => {
        this.#receive(generator, message);
      }),
    );
    this.#deliveries = plans.map(
      ({ generator }) =>
        new PlanDelivery({ run, generator }, supplies, (message) => {
          this.send(generator, message);
        }),
    );
    plans.forEach((plan, generator) => this.#deliveries[generator]?.plan(plan));
    this.#looking = setInterval(() => {
      this.#look();
    }, lookMs);
  }

  /** Generators that have not come to their end, silent ones among them. */
  get playing(): number[] {
    return this.#links.map((_, generator) => generator).filter((generator) => !this.#ended.has(generator));
  }

  /** Generators whose figures are waited for. */
  get expected(): number[] {
    return this.playing.filter((generator) => !this.#silent.has(generator));
  }

  send(generator: number, message: ToGenerator): void {
    if (!this.#ended.has(generator)) this.#links[generator]?.send(message);
  }

  toAll(message: ToGenerator): void {
    for (const generator of this.playing) this.send(generator, message);
  }

  /** Has all begin at the same moment, each told by its own clock. Returns that moment on the clock of this process, and what is known of the clocks. */
  begin(): { atMs: number; generators: RunGenerator[] } {
    this.#hasBegun = true;
    const generators = this.#links.map((_, generator): RunGenerator => ({ generator, ...this.#clocks.of(generator), lost: null }));
    const atMs = nowMs() + leadMs + this.#patienceMs();
    for (const { generator, offsetMs } of generators) this.send(generator, { kind: 'start', atMs: atMs + offsetMs });
    return { atMs: atMs - performance.timeOrigin, generators };
  }

  /** A generator plays no more: it has come to its end. */
  end(generator: number): void {
    this.#ended.add(generator);
    this.#silent.delete(generator);
    if (this.playing.length === 0) this.#onAllEnded?.();
  }

  /** Drops what is under way everywhere. Resolves once all have told of their end, or could have. */
  async abort(): Promise<void> {
    this.toAll({ kind: 'abort' });
    if (this.playing.length === 0) return;
    await new Promise<void>((done) => {
      const timer = setTimeout(done, abortMs + this.#patienceMs());
      this.#onAllEnded = () => {
        clearTimeout(timer);
        done();
      };
    });
  }

  async close(): Promise<void> {
    clearInterval(this.#looking);
    await Promise.all(this.#links.map((link) => link.close()));
  }

  /** Time within which a message gets to each generator, as far as the readings of their clocks tell. */
  #patienceMs(): number {
    return Math.min(mostPatienceMs, this.#clocks.longestMs);
  }

  #receive(generator: number, message: FromGenerator): void {
    if (this.#ended.has(generator)) return;
    switch (message.kind) {
      case 'wants':
        void this.#deliveries[generator]?.answer(message).catch((error: unknown) => {
          this.#lose(generator, `What it asked for could not be sent: ${error instanceof Error ? error.message : 'unknown reason'}`);
        });
        return;
      case 'ready':
        this.send(generator, { kind: 'clock', sentMs: nowMs() });
        return;
      case 'clock':
        if (!this.#clocks.read(generator, message, nowMs())) this.send(generator, { kind: 'clock', sentMs: nowMs() });
        else if (this.#clocks.known === this.#links.length) this.events.onReady();
        return;
      case 'fault':
        this.#lose(generator, message.message);
        return;
      default:
        this.events.onMessage(generator, message);
    }
  }

  #lose(generator: number, why: string): void {
    if (this.#ended.has(generator)) return;
    this.end(generator);
    void this.#links[generator]?.close();
    this.events.onLost(generator, why);
  }

  #look(): void {
    const { silentAfterMs, lostAfterMs } = this.limits;
    for (const generator of this.playing) {
      const quietMs = this.#links[generator]?.quietMs ?? 0;
      const silentSinceMs = this.#silent.get(generator);
      if (quietMs >= lostAfterMs) {
        this.#lose(generator, `It was silent for ${Math.round(quietMs / 1000)} s.`);
      } else if (silentSinceMs !== undefined && quietMs < silentAfterMs) {
        this.#silent.delete(generator);
        this.events.onHeard(generator, nowMs() - quietMs - silentSinceMs);
        // Before the start a generator may be busy with its plan, and nothing waits for its figures.
      } else if (silentSinceMs === undefined && quietMs >= silentAfterMs && this.#hasBegun) {
        this.#silent.set(generator, nowMs() - quietMs);
        this.events.onSilent(generator);
      }
    }
  }
}
