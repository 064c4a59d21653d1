import { cutText } from '../../cut-text.js';
import type { Exchange, LoadedTake, Take } from '../../take/take.schema.js';
import { digests, encode } from '../../values/encoding.js';
import { recordedSteps, type Handoff, type GeneratedValue, type Script } from '../../script/script.schema.js';
import type { Encoding, Piece } from '../../values/template.schema.js';
import { sentNodes } from '../../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { stepsOfTake, visitStill } from '../find/candidates.js';
import type { HandoffMaker, Target } from '../make/handoff-maker.js';
import type { SecondTake } from '../pair/second-take.js';
import { countersOf } from './counters.js';
import { readsAsTyped } from '../find/person-inputs.js';
import type { ValueIndex } from '../find/value-index.js';
import { spansOf } from '../find/words.js';

const nearMs = 60 * 60_000;
const noResponse = 'No response gave it, and';

/** The kind of a time that lies near the exchange, by its form; null for other values. */
export function clockKind(value: string, take: Take, exchange: Exchange): { made: GeneratedValue['made']; reason: string } | null {
  const nowMs = Date.parse(take.startedAt) + exchange.startedAtMs;
  const near = (ms: number) => Math.abs(ms - nowMs) < nearMs;
  if (/^\d{13}$/.test(value) && near(Number(value)))
    return { made: 'epoch-ms', reason: `${noResponse} it is the time of the request in milliseconds since 1970.` };
  if (/^\d{10}$/.test(value) && near(Number(value) * 1000))
    return { made: 'epoch-s', reason: `${noResponse} it is the time of the request in seconds since 1970.` };
  if (/^\d{10}\.\d{1,6}$/.test(value) && near(Number(value) * 1000))
    return { made: 'epoch-fraction', reason: `${noResponse} it is the time of the request in seconds since 1970 with a fraction.` };
  if (/^\d{16}$/.test(value) && near(Number(value) / 1000))
    return { made: 'epoch-us', reason: `${noResponse} it is the time of the request in microseconds since 1970.` };
  // Hundreds of nanoseconds since the year 1: 62135596800 s lie between it and 1970 (proleptic Gregorian calendar).
  if (/^6\d{17}$/.test(value) && near(Number(BigInt(value) / 10_000n) - 62_135_596_800_000))
    return { made: 'ticks', reason: `${noResponse} it is the time of the request in ticks of 100 ns since the year 1.` };
  if (/^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)?$/.test(value) && near(isoMs(value)))
    return { made: 'iso-time', reason: `${noResponse} it is the time of the request (ISO 8601).` };
  if (/^[A-Z][a-z]{2}, \d\d [A-Z][a-z]{2} \d{4} \d\d:\d\d:\d\d GMT$/.test(value) && near(Date.parse(value)))
    return { made: 'http-date', reason: `${noResponse} it is the time of the request as HTTP writes dates.` };
  return null;
}

const isoMs = (text: string): number =>
  Date.parse(/[Z+]|-\d\d:?\d\d$/.test(text.slice(11)) ? text.replace(' ', 'T') : `${text.replace(' ', 'T')}Z`);

const busterName = /^(_+|cb|rnd|rand|random|nocache|no_cache|cachebuster|cache|bust|dc|_dc|zx|ts|t|r|v|nonce|jsonp?callback|callback)$/i;

/** True for what looks like a digest or a signature of values that are not known. */
const isComputed = (name: string, value: string): boolean =>
  /^([0-9a-f]{40}|[0-9a-f]{64}|[0-9a-f]{128})$/i.test(value) || (looksLikeDigest(value) && /sig|proof|hash|h?mac$|digest|seal/i.test(name));

/**
 * Random values that the client draws: UUIDs, long digits, letters and digits, where nothing else explains them. What is sent several
 * times unchanged is not drawn for each request, and what reads as people write was typed.
 */
function randomKind(
  node: SentNode,
  otherValue: string | undefined,
  times: number,
): { made: GeneratedValue['made']; reason: string } | null {
  const { value, name } = node;
  const differs = otherValue !== undefined && otherValue !== value;
  const isBuster = busterName.test(name);
  if (/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(value))
    return { made: 'guid', reason: 'It is a UUID that no response gave, so the client made it.' };
  if (!differs && !isBuster) return null;
  if (times > 1 && !isBuster) return null;
  // What is computed of other values must not be drawn: the server would refuse it. Code can compute it.
  if (isComputed(name, value)) return null;
  const why = differs
    ? 'It differs between the two takes and no response gave it'
    : 'No response gave it, and its name says that it keeps caches away';
  if (/^0?\.\d{6,}$/.test(value) || /^\d{6,20}$/.test(value))
    return { made: 'random-digits', reason: `${why}: a random number that the client draws.` };
  if (/^[A-Za-z0-9_-]{16,}$/.test(value) && /\d/.test(value) && /[a-z]/i.test(value) && !readsAsTyped(value))
    return { made: 'random-text', reason: `${why}: random signs that the client draws.` };
  return null;
}

/** How often each value is sent as a whole. */
function timesSent(script: Script): Map<string, number> {
  const times = new Map<string, number>();
  const walk = (node: SentNode): void => {
    if (isLeaf(node)) times.set(node.value, (times.get(node.value) ?? 0) + 1);
    node.kids.forEach(walk);
  };
  for (const { step } of recordedSteps(script)) sentNodes(step).forEach(walk);
  return times;
}

/** Values that the client makes itself, because no response gave them: clocks, digests of known values, UUIDs, counters, random signs. */
export function findMade(
  script: Script,
  loaded: LoadedTake,
  index: ValueIndex,
  maker: HandoffMaker,
  twin: SecondTake | null,
  /** Places that a person filled, by step and place. */
  inputs: ReadonlySet<string>,
): void {
  const counters = countersOf(stepsOfTake(script, loaded));
  const times = timesSent(script);
  const known = new KnownValues(script, loaded);
  for (const { step, exchange } of stepsOfTake(script, loaded))
    visitStill(step, (node) => {
      // What is read as a whole brings along what stands in it.
      if (maker.has(step.id, node.place)) return true;
      if (counters.has(node.place)) {
        const start = twin?.valueAt(exchange.n, node.place);
        // One that starts alike in both takes is sent right as it was recorded.
        if (start !== undefined && start !== node.value)
          maker.make(
            { step, node, value: node.value, start: 0, end: node.value.length },
            'counter',
            'It goes up by one with each request and starts elsewhere in the second take: the client counts.',
          );
        return true;
      }
      if (!isLeaf(node) || node.isName || (node.peeled && maker.hasInside(step.id, node.place)) || index.wasReceived(node.value, exchange))
        return false;
      const whole: Target = { step, node, value: node.value, start: 0, end: node.value.length };
      const clock = clockKind(node.value, loaded.take, exchange);
      if (clock) {
        maker.make(whole, clock.made, clock.reason);
        return true;
      }
      const drawn = known.drawnFor(node.value);
      if (drawn) {
        maker.make(whole, drawn, 'A digest of it was sent before, so both are made of the same value.');
        return true;
      }
      const digest = known.digestOf(node.value);
      if (digest && known.put(digest, whole, maker)) return true;
      if (known.putJoined(whole, maker)) return true;
      const otherValue = twin?.valueAt(exchange.n, node.place);
      const random = inputs.has(`${step.id} ${node.place}`) ? null : randomKind(node, otherValue, times.get(node.value) ?? 0);
      if (random) {
        maker.make(whole, random.made, random.reason);
        return true;
      }
      // A clock may stand within a longer text, as in the name of a callback.
      for (const { text, start } of spansOf(node.value)) {
        const part = text.length >= 10 ? clockKind(text, loaded.take, exchange) : null;
        if (!part) continue;
        maker.make({ step, node, value: text, start, end: start + text.length }, part.made, part.reason);
        break;
      }
      return false;
    });
}

interface Digest {
  encoding: Encoding;
  source: string;
}

const looksLikeDigest = (value: string): boolean =>
  /^([0-9a-f]{32}|[0-9a-f]{40}|[0-9a-f]{64}|[0-9a-f]{128}|[\w-]{43}|[A-Za-z0-9+/]{27}=|[A-Za-z0-9+/]{43}=)$/i.test(value);

/** What stands between two values that a digest is taken of together; common practice, no source. */
const joints = ['', ':', '|', '.', '-', '_', ',', ';', '&', '/', ' ', '\n'];
/** So many values of the request and handoffs before it are tried in pairs. */
const mostJoined = 24;
/** So many values of one script are tried at most, as each costs tens of thousands of digests. */
const mostTried = 20;

/** Values that are known when a request is made, for finding out which of them a digest was taken of. */
class KnownValues {
  readonly #sources: Set<string>;
  readonly #handoffs: readonly Handoff[];
  readonly #sent: Set<string>;
  #table: Map<string, Digest> | null = null;
  readonly #drawn = new Map<string, GeneratedValue['made']>();
  #tried = 0;

  constructor(
    readonly script: Script,
    loaded: LoadedTake,
  ) {
    this.#handoffs = script.handoffs;
    this.#sent = new Set();
    const walk = (node: SentNode): void => {
      if (isLeaf(node) && node.value.length <= 4096) this.#sent.add(node.value);
      node.kids.forEach(walk);
    };
    for (const { step } of stepsOfTake(script, loaded)) sentNodes(step).forEach(walk);
    this.#sources = new Set([...this.#sent, ...this.#handoffs.map((handoff) => handoff.recorded)]);
  }

  /** What the value is a digest of; null where it is of none of the known values. */
  digestOf(value: string): Digest | null {
    if (!looksLikeDigest(value)) return null;
    if (!this.#table) {
      this.#table = new Map();
      for (const source of this.#sources) for (const encoding of digests) this.#table.set(encode(encoding, source), { encoding, source });
    }
    return this.#table.get(value) ?? null;
  }

  put({ encoding, source }: Digest, target: Target, maker: HandoffMaker): boolean {
    const handoff = maker.handoffOf(source);
    const finding = `It is ${encoding} of “${cutText(source, 40)}”`;
    if (handoff) {
      maker.put(target, {
        kind: 'wrap',
        encoding,
        pieces: [{ kind: 'handoff', handoff, recorded: source } satisfies Piece],
        recorded: target.value,
      });
      return true;
    }
    const made = /^[\w.~-]{43,128}$/.test(source) ? 'verifier' : /^[0-9a-f-]{36}$/i.test(source) ? 'guid' : null;
    // What people typed is digested anew where it is bound; as long as it stays, its digest stays as well.
    if (made === null) return false;
    this.#drawn.set(source, made);
    maker.make(
      target,
      made,
      `${finding}, which the client draws at random${made === 'verifier' ? ' (RFC 7636, 4.2)' : ''}.`,
      encoding,
      source,
    );
    return true;
  }

  /** Where the value is a digest of two known values joined, one of them a handoff: it is made anew of what is read. */
  putJoined(target: Target, maker: HandoffMaker): boolean {
    if (!looksLikeDigest(target.value) || ++this.#tried > mostTried) return false;
    const sentTexts: string[] = [];
    const walk = (node: SentNode): void => {
      if (isLeaf(node) && node.value !== target.value && node.value.length <= 200) sentTexts.push(node.value);
      node.kids.forEach(walk);
    };
    sentNodes(target.step).forEach(walk);
    const read = maker.recordedLately(mostJoined);
    const near = [...new Set([...sentTexts, ...read])].slice(0, mostJoined);
    for (const left of near)
      for (const right of near) {
        if (left === right || (!maker.handoffOf(left) && !maker.handoffOf(right))) continue;
        for (const joint of joints)
          for (const encoding of digests) {
            if (encode(encoding, left + joint + right) !== target.value) continue;
            const piece = (text: string): Piece => {
              const handoff = maker.handoffOf(text);
              return handoff ? { kind: 'handoff', handoff, recorded: text } : { kind: 'text', text };
            };
            const pieces = [piece(left), { kind: 'text', text: joint } satisfies Piece, piece(right)];
            maker.put(target, { kind: 'wrap', encoding, pieces, recorded: target.value });
            return true;
          }
      }
    return false;
  }

  /** How the client draws a value of which a digest was sent: the value itself must be the same one. */
  drawnFor(value: string): GeneratedValue['made'] | undefined {
    return this.#drawn.get(value);
  }
}
