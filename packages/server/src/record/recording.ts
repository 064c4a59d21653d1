import { randomInt } from 'node:crypto';
import {
  filesNotAsked,
  isBrowsersOwnHost,
  isPage,
  noTimings,
  suggestNames,
  warningsOf,
  type Gesture,
  type Mark,
  type RequestExchange,
  type Take,
  type Warning,
} from '@sturdy/core';
import type { LiveHub } from '../live/live-hub.js';
import type { Store } from '../store/store-client.js';
import type { StoredBody } from '../store/stored-body.js';
import { unfoldTake } from '../store/unfold-take.js';
import { ExchangeInTheMaking, type MakingGround } from './exchange-in-the-making.js';
import type { SeenGesture } from './browser-watch.js';
import type { RecordingJournal } from './recording-journal.js';
import type { ExchangeTap, ProxyTap, RequestHead } from './proxy/tap.js';

/** A browser has asked for the files of a page within this time, or it has them already. */
const filesComeWithinMs = 4000;
/** What grows (a WebSocket, an event stream) is shown and stored at most this often. */
const growthMs = 500;
const shownMessages = 50;
const mostWritten = 200;

/** How a recording differs from the usual one. */
export interface RecordingSettings {
  bodyLimitBytes: number;
}

/** One take while it is being recorded: hears the proxy, keeps exchanges in order, warns at once. */
export class Recording implements ProxyTap {
  take: Take;
  paused = false;
  /** Names for the next transaction, from the page that came last and from what was clicked. */
  suggestions: string[] = [];
  readonly #zeroMs: number;
  readonly #open = new Set<ExchangeInTheMaking>();
  readonly #grown = new Set<ExchangeInTheMaking>();
  readonly #kept = new Map<number, RequestExchange>();
  /** Numbers that were thrown away; one of them may still be growing. */
  readonly #discarded = new Set<number>();
  readonly #asked = new Set<string>();
  readonly #timers = new Set<NodeJS.Timeout>();
  readonly #ground: MakingGround;
  readonly #growth: NodeJS.Timeout;
  readonly #waiting: { exchange: RequestExchange; bodies: StoredBody[] }[] = [];
  /** The write under way. */
  #writes: Promise<void> | null = null;
  #next = 0;
  #ended = false;
  /** True while gestures are not stored yet. */
  #gesturesWait = false;

  constructor(
    take: Take,
    readonly store: Store,
    readonly live: LiveHub,
    settings: RecordingSettings,
    /** Keeps what was counted until it is stored; null where nothing outlives the process. */
    readonly journal: RecordingJournal | null = null,
  ) {
    this.take = take;
    this.#zeroMs = Date.parse(take.startedAt);
    this.#ground = {
      nowMs: () => Math.max(0, performance.timeOrigin + performance.now() - this.#zeroMs),
      bodyLimitBytes: settings.bodyLimitBytes,
      grown: (making) => this.#grown.add(making),
      ended: (making) => {
        this.#open.delete(making);
        this.#grown.delete(making);
        this.#store(making);
      },
    };
    this.#growth = setInterval(() => {
      for (const making of this.#grown) this.#store(making);
      this.#grown.clear();
      if (this.#gesturesWait) this.#change({}).catch(() => undefined);
      // What the store could not take a moment ago.
      this.#flush().catch(() => undefined);
    }, growthMs);
  }

  /** How many exchanges have been recorded; all of them are there after a crash too. */
  get count(): number {
    return this.#kept.size;
  }

  /** What was recorded so far and is over, or grows still, in no order. */
  get exchanges(): RequestExchange[] {
    return [...this.#kept.values()];
  }

  get warnings(): readonly Warning[] {
    return this.take.warnings ?? [];
  }

  begin(head: RequestHead): ExchangeTap | null {
    this.#asked.add(head.url);
    if (this.paused || this.#ended) return null;
    const making = new ExchangeInTheMaking(++this.#next, head, this.#ground);
    this.#open.add(making);
    return making;
  }

  refused(origin: string, why: string): void {
    // Nobody has to look at what the browser wanted for itself.
    if (isBrowsersOwnHost(origin)) return;
    this.#warn({
      kind: 'refused-host',
      about: origin,
      text: why,
      exchange: null,
    });
  }

  certificateRefused(host: string, by: 'client' | 'proxy', reason: string): void {
    this.#warn({
      kind: 'certificate',
      about: `${host} ${by}`,
      text:
        by === 'client'
          ? `The browser refused the certificate for ${host}: ${reason}. Install the certificate of this recorder in it, or use the clean browser.`
          : `The certificate of ${host} was not accepted (${reason}). If it is your test system, add its authority to the environment, or switch the checking off there.`,
      exchange: null,
    });
  }

  /** The certificate was downloaded, so it will stand in some browser or device. */
  certificateTaken(): void {
    this.#warn({
      kind: 'certificate',
      about: 'taken',
      text: 'The certificate of the recorder was downloaded while recording. Remove it from that browser or device when you have finished recording; the recording room says how.',
      exchange: null,
    });
  }

  /** Notes something at the present moment. */
  async mark(kind: Mark['kind'], text: string): Promise<Take> {
    return this.#change({ marks: [...this.take.marks, { kind, atMs: this.#ground.nowMs(), text }] });
  }

  /** Passes traffic on without keeping it, until it is resumed. */
  async pause(paused: boolean): Promise<Take> {
    if (paused === this.paused) return this.take;
    this.paused = paused;
    return this.#change({
      state: paused ? 'paused' : 'recording',
      marks: [...this.take.marks, { kind: paused ? 'pause' : 'resume', atMs: this.#ground.nowMs(), text: '' }],
    });
  }

  /** Throws the last exchanges away, with the marks that were set since. Resolves with the numbers of those that went. */
  async discardLast(count: number): Promise<number[]> {
    await this.#flush();
    const gone = [...this.#kept.values()].sort((left, right) => left.n - right.n).slice(-count);
    if (gone.length === 0) return [];
    const numbers = gone.map((exchange) => exchange.n);
    for (const n of numbers) {
      this.#kept.delete(n);
      this.#discarded.add(n);
    }
    await this.store.deleteExchanges(this.take.id, numbers);
    // Back to the moment after the last exchange that stays: a transaction that was begun since then goes too.
    const lastKeptMs = Math.max(-1, ...[...this.#kept.values()].map((exchange) => exchange.startedAtMs));
    const stays = (mark: Mark) => mark.kind === 'pause' || mark.kind === 'resume' || mark.atMs <= lastKeptMs;
    const { gestures } = this.take;
    await this.#change({
      marks: this.take.marks.filter(stays),
      ...(gestures && { gestures: gestures.filter(({ atMs }) => atMs <= lastKeptMs) }),
    });
    this.live.tell(this.take.id, 'discarded', { exchanges: numbers });
    return numbers;
  }

  /** What a person did in the clean browser; a double click is told after the two clicks that it is made of. */
  gesture({ at, until, ...seen }: SeenGesture): void {
    if (this.paused || this.#ended) return;
    const gestures = this.take.gestures ?? [];
    const kept = seen.act.kind === 'double-click' ? withoutClicks(gestures, seen) : gestures;
    const sinceStart = (moment: number): number => Math.max(0, moment - this.#zeroMs);
    const gesture: Gesture = { ...seen, n: (kept.at(-1)?.n ?? 0) + 1, atMs: sinceStart(at), untilMs: sinceStart(until) };
    this.take = {
      ...this.take,
      gestures: [...kept, gesture].sort((left, right) => left.atMs - right.atMs).map((known, place) => ({ ...known, n: place + 1 })),
    };
    this.#gesturesWait = true;
  }

  /** Something that was clicked in the clean browser: the best name for what comes next. */
  clicked(text: string): void {
    const name = text.replace(/\s+/g, ' ').trim();
    if (name === '' || name.length > 48) return;
    this.#suggest([name, ...this.suggestions.filter((suggestion) => suggestion !== name)].slice(0, 8));
  }

  /** Ends a recording that never began. */
  giveUp(): void {
    this.#ended = true;
    clearInterval(this.#growth);
    this.journal?.close();
  }

  /** Closes the take: what is still open is kept as far as it came. */
  async end(): Promise<Take> {
    this.#ended = true;
    clearInterval(this.#growth);
    for (const timer of this.#timers) clearTimeout(timer);
    for (const making of [...this.#open]) making.end(noTimings, 'The recording was stopped before it was complete.');
    await Promise.all([...this.#open].map((making) => making.settling ?? Promise.resolve()));
    await this.#flush();
    const recorded = [...this.#kept.values()].sort((left, right) => left.n - right.n);
    const take = await this.#change({ ...(await unfoldTake(this.store, this.take, recorded)), state: 'done' });
    this.journal?.close();
    return take;
  }

  async #change(change: Partial<Take>): Promise<Take> {
    this.take = { ...this.take, ...change };
    this.#gesturesWait = false;
    await this.store.saveTake(this.take);
    this.live.tell(this.take.id, 'take', this.take);
    return this.take;
  }

  #warn(warning: Warning): void {
    if (this.#ended || this.warnings.some((known) => known.kind === warning.kind && known.about === warning.about)) return;
    // It stands in the take from now on, and is stored with the next change at the latest.
    this.#change({ warnings: [...this.warnings, warning] }).catch(() => undefined);
  }

  #suggest(names: string[]): void {
    this.suggestions = names;
    this.live.tell(this.take.id, 'suggestions', { names });
  }

  #store(making: ExchangeInTheMaking): void {
    if (this.#discarded.has(making.n)) return;
    const made = making.snapshot();
    this.#note(made);
    this.#kept.set(made.exchange.n, made.exchange);
    this.live.tell(this.take.id, 'exchange', making.over ? made.exchange : latestOnly(made.exchange));
    if (making.over) this.#look(made.exchange, made.bodies.at(-1));
    this.#waiting.push(made);
    // What could not be written waits for the next try; the end of the recording tells if it never could.
    this.#flush().catch(() => undefined);
  }

  #note({ exchange, bodies }: { exchange: RequestExchange; bodies: StoredBody[] }): void {
    try {
      this.journal?.note(exchange, bodies);
    } catch (error) {
      this.#warn({
        kind: 'not-kept',
        about: 'journal',
        text: `What is recorded cannot be written to the disk at once (${error instanceof Error ? error.message : String(error)}). It is kept in memory until the store can take it; make room, and do not end the server before.`,
        exchange: null,
      });
    }
  }

  /** Writes what waits, one write at a time. Rejects where the store cannot; what waits then still waits. */
  #flush(): Promise<void> {
    return this.#waiting.length === 0 ? Promise.resolve() : (this.#writes ??= this.#write());
  }

  async #write(): Promise<void> {
    try {
      while (this.#waiting.length > 0) {
        const batch = this.#waiting.slice(0, mostWritten);
        await this.store.putBodies(batch.flatMap((waiting) => waiting.bodies));
        // Of an exchange that has grown meanwhile the last state counts.
        const last = new Map(batch.map(({ exchange }) => [exchange.n, exchange]));
        await this.store.saveExchanges(
          this.take.id,
          [...last.values()].filter((exchange) => this.#kept.has(exchange.n)),
        );
        this.#waiting.splice(0, batch.length);
      }
      this.journal?.clear();
    } finally {
      this.#writes = null;
    }
  }

  #look(exchange: RequestExchange, body: StoredBody | undefined): void {
    for (const warning of warningsOf(exchange)) this.#warn(warning);
    if (!isPage(exchange) || body?.hash !== exchange.response?.body?.hash || !body) return;
    const html = Buffer.from(body.bytes).toString('utf8');
    const names = suggestNames(html);
    if (names.length > 0) this.#suggest(names);
    const timer = setTimeout(() => {
      this.#timers.delete(timer);
      const warning = filesNotAsked(exchange, html, this.#asked);
      if (warning) this.#warn(warning);
    }, filesComeWithinMs);
    this.#timers.add(timer);
  }
}

/** Without the clicks on the same element that a double click began with. */
const withoutClicks = (gestures: readonly Gesture[], { aim }: Pick<Gesture, 'aim'>): Gesture[] => {
  const isOfIt = (gesture: Gesture | undefined) => gesture?.act.kind === 'click' && gesture.aim?.words === aim?.words;
  let count = 0;
  while (count < 2 && isOfIt(gestures.at(-1 - count))) count++;
  return gestures.slice(0, gestures.length - count);
};

/** What is shown of an exchange that still grows: its latest messages. */
const latestOnly = (exchange: RequestExchange): RequestExchange =>
  exchange.messages ? { ...exchange, messages: exchange.messages.slice(-shownMessages) } : exchange;

/** Letters and digits that nobody mistakes for each other: a password is typed on a phone. */
const passwordSigns = 'abcdefghjkmnpqrstuvwxyz23456789';

/** A password of 128 bits, in groups of five signs. */
export function newClientPassword(): string {
  const length = Math.ceil(128 / Math.log2(passwordSigns.length));
  const signs = Array.from({ length }, () => passwordSigns[randomInt(passwordSigns.length)] ?? '').join('');
  return `tester:${(signs.match(/.{1,5}/g) ?? []).join('-')}`;
}
