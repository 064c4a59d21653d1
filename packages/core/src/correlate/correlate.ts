import type { Exchange, LoadedTake } from '../take/take.schema.js';
import {
  changeRequests,
  placeOfResponse,
  requestSteps,
  type Evidence,
  type Handoff,
  type Made,
  type Piece,
  type RequestStep,
  type Script,
  type UnsureValue,
} from '../script/script.schema.js';
import { bindStep, boundPlaces, sentValues } from '../script/request-parts.js';
import { describeExtractor, matchesOf } from '../script/extract.js';
import { viewOf } from '../script/response-view.js';
import { isCounted } from '../script/coverage.js';
import type { SentValue } from '../script/sent-values.js';
import { isPlainWord } from '../take/messages.js';
import { alignTakes } from './align.js';
import { freeName, plainName } from './naming.js';
import { sentByExchange } from './sent-by-exchange.js';
import { dynamicShape, madeKind } from './shapes.js';
import { ValueIndex, type Origin } from './value-index.js';

/** A sent value that came from a response, not yet judged. */
export interface Candidate {
  step: string;
  number: number;
  sent: SentValue;
  exchange: Exchange;
  origins: Origin[];
}

/** What correlating added, in sentences for the tester. */
export interface CorrelationReport {
  handoffs: { name: string; evidence: Evidence; reason: string; uses: number }[];
  made: { name: string; reason: string }[];
  unsure: number;
}

/** The result of correlating: a new script, and what was added. */
export interface Correlated {
  script: Script;
  report: CorrelationReport;
}

/** All values of a script that are sent as recorded although a response gave them. */
export function findCandidates(script: Script, loaded: LoadedTake, index: ValueIndex): Candidate[] {
  const byNumber = new Map(loaded.exchanges.map((one) => [one.n, one]));
  const found: Candidate[] = [];
  for (const { step, number } of requestSteps(script)) {
    const exchange = step.exchange === null ? undefined : byNumber.get(step.exchange);
    if (!exchange) continue;
    const bound = boundPlaces(step);
    for (const sent of sentValues(step)) {
      if (bound.has(sent.place) || isTrivial(sent.value) || sent.value === '') continue;
      const origins = index.origins(sent.value, sent.name, exchange);
      if (origins.length > 0 && (isCounted(sent) || isFromRedirect(sent, origins)))
        found.push({ step: step.id, number, sent, exchange, origins });
    }
  }
  return found;
}

/** A segment that is no plain word and that a redirect gave, though it may not look like an id. */
const isFromRedirect = (sent: SentValue, [best]: Origin[]): boolean =>
  !isPlainWord(sent.value) && best?.extractor.kind === 'header' && best.extractor.name === 'location';

/** Values that stand in many places by chance. */
const isTrivial = (value: string): boolean => /^(true|false|null|on|off|yes|no|\d{1,2}|[a-z])$/i.test(value);

/**
 * Correlates a script with its take: makes handoffs of the values that a second take proves or that shape and name make
 * likely, client-made values of clocks and UUIDs, and lists the values it is not sure about.
 */
export function correlate(script: Script, loaded: LoadedTake, second: LoadedTake | null): Correlated {
  const index = new ValueIndex(loaded, script);
  const maker = new HandoffMaker(script);
  const unsure: UnsureValue[] = [];
  const twin = second ? new SecondTake(loaded, second) : null;
  for (const candidate of findCandidates(script, loaded, index)) {
    const judged = judge(candidate, twin, index);
    if (judged.kind === 'handoff') maker.handOff(candidate, judged.origin, judged.evidence, judged.reason);
    else if (judged.kind === 'unsure')
      unsure.push({
        step: candidate.step,
        place: candidate.sent.place,
        value: candidate.sent.value,
        origin: stepOf(script, candidate.origins[0]?.exchange.n ?? 0),
        extractor: candidate.origins[0]?.extractor ?? null,
        reason: judged.reason,
      });
  }
  findMade(script, loaded, index, maker);
  const result = maker.result();
  return {
    script: { ...result.script, unsure, secondTakeId: second?.take.id ?? script.secondTakeId },
    report: { ...result.report, unsure: unsure.length },
  };
}

type Judged =
  { kind: 'handoff'; origin: Origin; evidence: Evidence; reason: string } | { kind: 'unsure'; reason: string } | { kind: 'fixed' };

function judge({ sent, exchange, origins }: Candidate, twin: SecondTake | null, index: ValueIndex): Judged {
  const [best] = origins;
  if (!best) return { kind: 'fixed' };
  const shape = dynamicShape(sent.name, sent.value);
  const other = twin?.valueAt(exchange.n, sent.place);
  if (twin && other !== undefined) {
    if (other === sent.value)
      return shape && !best.listed
        ? { kind: 'unsure', reason: `It is the same in both takes, yet ${shape}. A rehearsal will tell.` }
        : { kind: 'fixed' };
    const proven = origins.find((origin) => twin.gives(origin, other));
    if (proven)
      return {
        kind: 'handoff',
        origin: proven,
        evidence: 'proven',
        reason: `It differs between the two takes, and ${describeExtractor(proven.extractor)} gives the right value in both.`,
      };
    return { kind: 'unsure', reason: 'It differs between the two takes, but no place in the responses gives it in both.' };
  }
  if (best.listed && best.extractor.kind === 'jsonpath')
    return {
      kind: 'unsure',
      reason: `It was chosen from a list (${describeExtractor(best.extractor)}). A rehearsal or a second take will tell whether the list changes.`,
    };
  if (shape) return { kind: 'handoff', origin: best, evidence: 'likely', reason: `A response gave it first, and ${shape}.` };
  if (isCreatedId(sent, best, index))
    return {
      kind: 'handoff',
      origin: best,
      evidence: 'likely',
      reason: 'It is the id in a redirect, so this take created the thing it names.',
    };
  return {
    kind: 'unsure',
    reason: `A response gave it first (${describeExtractor(best.extractor)}), but nothing says yet that it changes.`,
  };
}

const isCreatedId = (sent: SentValue, origin: Origin, index: ValueIndex): boolean =>
  origin.extractor.kind === 'header' &&
  origin.extractor.name === 'location' &&
  origin.exchange.method !== 'GET' &&
  index.view(origin.exchange.n) !== undefined &&
  !isPlainWord(sent.value);

const stepOf = (script: Script, exchange: number): string | null => placeOfResponse(script, exchange)?.step ?? null;

/** The second take of a flow, laid beside the first. */
class SecondTake {
  readonly #pairs: Map<number, number>;
  readonly #values: ReturnType<typeof sentByExchange>;
  readonly #byNumber: Map<number, Exchange>;

  constructor(
    first: LoadedTake,
    readonly second: LoadedTake,
  ) {
    this.#pairs = alignTakes(first.exchanges, second.exchanges);
    this.#byNumber = new Map(second.exchanges.map((one) => [one.n, one]));
    this.#values = sentByExchange(second);
  }

  /** The value that the partner of an exchange sends at the same place. */
  valueAt(n: number, place: string): string | undefined {
    const partner = this.#pairs.get(n);
    return partner === undefined ? undefined : this.#values.get(partner)?.get(place)?.value;
  }

  /** True where the extractor gives `value` in the partner of the origin. */
  gives(origin: Origin, value: string): boolean {
    const partner = this.#byNumber.get(this.#pairs.get(origin.exchange.n) ?? -1);
    const view = partner && viewOf(partner, this.second.readBody);
    if (!view) return false;
    const matches = matchesOf(origin.extractor, view);
    return origin.listed ? matches.includes(value) : matches[0] === value;
  }
}

/** Client-made values: clocks and UUIDs that no response gave. */
function findMade(script: Script, loaded: LoadedTake, index: ValueIndex, maker: HandoffMaker): void {
  const byNumber = new Map(loaded.exchanges.map((one) => [one.n, one]));
  for (const { step } of requestSteps(script)) {
    const exchange = step.exchange === null ? undefined : byNumber.get(step.exchange);
    if (!exchange) continue;
    const bound = boundPlaces(step);
    for (const sent of sentValues(step)) {
      if (bound.has(sent.place) || index.occurrences(sent.value, exchange).length > 0) continue;
      const kind = madeKind(sent.value, loaded.take, exchange);
      if (kind) maker.make(step.id, sent, kind.made, kind.reason);
    }
  }
}

/** Collects new pieces place by place and puts them into the script at the end. */
export class HandoffMaker {
  readonly #handoffs: Handoff[] = [];
  readonly #made: Made[] = [];
  readonly #pieces = new Map<string, Piece>();
  readonly #uses = new Map<string, number>();

  constructor(readonly script: Script) {}

  /** Hands the value off; a value that already has a handoff from the same origin joins it. */
  handOff({ step, sent }: Candidate, origin: Origin, evidence: Evidence, reason: string): void {
    const place = placeOfResponse(this.script, origin.exchange.n);
    if (place === null) return;
    const all = [...this.script.handoffs, ...this.#handoffs];
    const same = all.find(
      (one) =>
        one.origin === place.step &&
        one.hop === place.hop &&
        one.recorded === sent.value &&
        JSON.stringify(one.extractor) === JSON.stringify(origin.extractor),
    );
    const handoff: Handoff = same ?? {
      id: `h${nextNumber(all)}`,
      name: freeName(plainName(sent.name, sent.place), new Set(all.map((one) => one.name))),
      origin: place.step,
      ...(place.hop === undefined ? {} : { hop: place.hop }),
      extractor: origin.extractor,
      evidence,
      reason,
      recorded: sent.value,
    };
    if (!same) this.#handoffs.push(handoff);
    this.#pieces.set(`${step} ${sent.place}`, { kind: 'handoff', handoff: handoff.id, recorded: sent.value });
    this.#uses.set(handoff.id, (this.#uses.get(handoff.id) ?? 0) + 1);
  }

  /** Lets the client make the value; the same UUID or number sent twice is made once in an iteration. */
  make(step: string, sent: SentValue, made: Made['made'], reason: string): void {
    const all = [...this.script.made, ...this.#made];
    const same = all.find((one) => one.made === made && (one.recorded === sent.value || !stays(made)));
    const value: Made = same ?? {
      id: `m${nextNumber(all)}`,
      name: freeName(plainName(sent.name, sent.place), new Set(all.map((one) => one.name))),
      made,
      recorded: sent.value,
      reason,
    };
    if (!same) this.#made.push(value);
    this.#pieces.set(`${step} ${sent.place}`, { kind: 'made', made: value.id, recorded: sent.value });
  }

  result(): Correlated {
    const { script } = this;
    const handoffs = [...script.handoffs, ...this.#handoffs];
    const known = new Map(handoffs.map((one) => [one.recorded, one]));
    const bound = changeRequests(script, (step) =>
      bindStep(loosenRedirect(step, handoffs), (value, part) => {
        const piece = this.#pieces.get(`${step.id} ${value.place}`);
        if (piece) return [piece];
        // The Referer repeats an earlier address, so it follows the handoffs that address uses.
        const handoff = part.name.toLowerCase() === 'referer' && value.value.length >= 4 ? known.get(value.value) : undefined;
        return handoff && [{ kind: 'handoff', handoff: handoff.id, recorded: value.value }];
      }),
    );
    const next: Script = {
      ...bound,
      handoffs,
      made: [...script.made, ...this.#made],
      unsure: script.unsure.filter((one) => !this.#pieces.has(`${one.step} ${one.place}`)),
    };
    return {
      script: next,
      report: {
        handoffs: this.#handoffs.map(({ id, name, evidence, reason }) => ({ name, evidence, reason, uses: this.#uses.get(id) ?? 0 })),
        made: this.#made.map(({ name, reason }) => ({ name, reason })),
        unsure: 0,
      },
    };
  }
}

/** A redirect may lead anywhere in the segments that a handoff reads from it. */
function loosenRedirect(step: RequestStep, handoffs: readonly Handoff[]): RequestStep {
  const { redirect } = step.expect;
  const read = new Set(handoffs.filter((one) => one.origin === step.id && one.extractor.kind === 'header').map((one) => one.recorded));
  if (redirect === null || read.size === 0) return step;
  const segments = redirect.split('/').map((part) => (read.has(part) ? '*' : part));
  return { ...step, expect: { ...step.expect, redirect: segments.join('/') } };
}

const stays = (made: Made['made']): boolean => made === 'guid' || made === 'container-number';

function nextNumber(all: readonly { id: string }[]): number {
  return all.reduce((highest, one) => Math.max(highest, Number(one.id.slice(1)) || 0), 0) + 1;
}
