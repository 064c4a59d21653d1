import { Refusal } from '../refusal.js';
import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { joinTakes } from '../sockets/join-takes.js';
import type { HandoffPattern } from '../patterns/pattern.schema.js';
import { adopted, freshId, idsOf, insertAfter } from '../script-edit/arrange.js';
import { editScript } from '../script-edit/edit.js';
import { readValue } from '../extractors/extract.js';
import { scriptFromTake } from '../script-from-take/from-take.js';
import { viewOf } from '../answers/response-view.js';
import { allSteps, type Step } from '../script/step.schema.js';
import {
  placeOfResponse,
  readFrom,
  readPlaces,
  recordedSteps,
  type Handoff,
  type GeneratedValue,
  type ResponsePlace,
  type Script,
} from '../script/script.schema.js';
import { exchangesOf } from '../actions/action-kinds.js';
import { changeTemplates, templatesOf } from '../script/step-templates.js';
import { mapPieces, movingPieces } from '../values/template.js';
import type { Piece } from '../values/template.schema.js';
import type { Tidy } from '../tidy/tidy.schema.js';
import { correlate } from './correlate.js';
import { SecondTake } from './pair/second-take.js';
import { isRecorded } from '../actions/sent-parts.js';

/** A piece of another take that is to be put into a script. */
export interface SpliceWish {
  /** First and last exchange of the piece. */
  from: number;
  to: number;
  /** The step or transaction behind which it goes. */
  after: string;
  /** Steps in whose place it comes. */
  instead: readonly string[];
}

/** A script with the piece in it, and the exchanges that it stands for now. */
export interface Spliced {
  script: Script;
  exchanges: Exchange[];
  /** Ids of the steps that were put in. */
  added: string[];
  /** Names of values that the piece sends and that are read nowhere in the script: they are sent as recorded. */
  missing: string[];
}

/**
 * Puts a piece of another take of the same flow into a script. What the piece sends is correlated within its own take, with the script's take
 * as second one; what is read before the piece begins is then read where the script has the same answer.
 */
export function splice(
  script: Script,
  take: LoadedTake,
  loadedTake: LoadedTake,
  wish: SpliceWish,
  tidy: Tidy,
  patterns: readonly HandoffPattern[],
): Spliced {
  const whole = scriptFromTake(loadedTake, { scriptId: script.id, name: script.name, tidy });
  const source = correlate(whole, loadedTake, take, patterns).script;
  const isWanted = (step: Step): boolean =>
    isRecorded(step) && step.exchange !== null && step.exchange >= wish.from && step.exchange <= wish.to;
  const piece = piecesOf(source, isWanted);
  const exchanges = loadedTake.exchanges.filter((exchange) => exchange.n >= wish.from && exchange.n <= wish.to);
  if (allSteps(piece).length === 0 || exchanges.length === 0)
    throw new Refusal('There is no request between these two that would be sent. Choose others.');

  const values = new ForeignValues(
    script,
    take,
    source,
    loadedTake,
    new Set(allSteps(piece).map((step) => step.id)),
    new Set(wish.instead),
    wish.from,
  );
  const steps = values.adopt(piece);

  const after = lastExchangeBefore(script, wish.after);
  const joined = joinTakes(take.exchanges, exchanges, after);
  const numbered = (list: readonly Step[], numbers: ReadonlyMap<number, number>): Step[] =>
    list.map((step): Step => {
      if (step.kind !== 'request') return 'steps' in step ? ({ ...step, steps: numbered(step.steps, numbers) } as Step) : step;
      const hops = step.hops?.map((hop) => numbers.get(hop) ?? hop);
      return { ...step, exchange: step.exchange === null ? null : (numbers.get(step.exchange) ?? null), ...(hops && { hops }) };
    });
  const base: Script = {
    ...script,
    transactions: script.transactions.map((transaction) => ({ ...transaction, steps: numbered(transaction.steps, joined.base) })),
    handoffs: [...script.handoffs.map((handoff) => values.moved.get(handoff.id) ?? handoff), ...values.handoffs],
    made: [...script.made, ...values.made],
  };
  const placed = adopted(base, numbered(steps, joined.piece));
  // Those that are adopted may have got ids of their own; handoffs that are read in them follow.
  const ids = new Map(allSteps(steps).map((step, at) => [step.id, allSteps(placed)[at]?.id ?? step.id]));
  const read: Script = {
    ...base,
    handoffs: base.handoffs.map((handoff) =>
      values.handoffs.includes(handoff) || values.moved.has(handoff.id) ? followed(handoff, ids) : handoff,
    ),
  };
  const inserted = insertAfter(read, wish.after, placed);
  const done = wish.instead.length === 0 ? inserted : editScript(inserted, { kind: 'delete-all', ids: wish.instead });
  return { script: done, exchanges: joined.exchanges, added: placed.map((step) => step.id), missing: values.missing };
}

const followed = (handoff: Handoff, ids: ReadonlyMap<string, string>): Handoff => ({
  ...handoff,
  origin: ids.get(handoff.origin) ?? handoff.origin,
  ...(handoff.also && { also: handoff.also.map((place) => ({ ...place, step: ids.get(place.step) ?? place.step })) }),
});

/** The steps of a piece with the pauses between them; containers that lie in it as a whole. */
function piecesOf(source: Script, isWanted: (step: Step) => boolean): Step[] {
  const all = source.transactions.flatMap((transaction) => transaction.steps);
  const wanted = (step: Step): boolean => ('steps' in step ? step.steps.some(wanted) : isWanted(step));
  const first = all.findIndex(wanted);
  const last = all.findLastIndex(wanted);
  if (first < 0) return [];
  return all
    .slice(first, last + 1)
    .flatMap((step): Step[] => ('steps' in step && !step.steps.every(wanted) ? step.steps.filter(wanted) : [step]));
}

/** The exchange whose answer is had at a place; undefined where the step stands for none. */
function numberAt(script: Script, place: ResponsePlace): number | undefined {
  const step = recordedSteps(script).find((numberedStep) => numberedStep.step.id === place.step)?.step;
  const chain = step ? exchangesOf(step) : [];
  return place.hop === undefined ? chain.at(-1) : chain[place.hop];
}

/** The last exchange that a script plays up to a step; null where there is none before it. */
function lastExchangeBefore(script: Script, after: string): number | null {
  let last: number | null = null;
  for (const transaction of script.transactions) {
    if (transaction.id === after) return last;
    for (const step of allSteps(transaction.steps)) {
      if (isRecorded(step)) last = exchangesOf(step).at(-1) ?? last;
      if (step.id === after) return last;
    }
  }
  return last;
}

/** What the steps of a piece send and read, as values of the script that takes them in. */
class ForeignValues {
  readonly handoffs: Handoff[] = [];
  readonly made: GeneratedValue[] = [];
  readonly missing: string[] = [];
  /** Handoffs of the script that were read in steps that go, read now in the piece where it has the same answer. */
  readonly moved = new Map<string, Handoff>();
  /** By the id in the source what stands for it here; null where nothing does. */
  readonly #ids = new Map<string, { kind: 'handoff' | 'made'; id: string } | null>();
  readonly #twin: SecondTake;
  readonly #taken: Set<string>;
  readonly #names: Set<string>;

  constructor(
    readonly script: Script,
    readonly take: LoadedTake,
    readonly source: Script,
    loadedTake: LoadedTake,
    readonly inside: ReadonlySet<string>,
    readonly going: ReadonlySet<string>,
    /** The first exchange of the piece. */
    readonly from: number,
  ) {
    this.#twin = new SecondTake(loadedTake, take);
    this.#moveOrigins(loadedTake);
    this.#taken = new Set([...idsOf(script), ...script.handoffs.map((handoff) => handoff.id), ...script.made.map((made) => made.id)]);
    this.#names = new Set([...script.handoffs, ...script.made].map((named) => named.name));
  }

  /** What is read in a step that goes is read in the step of the piece that asks the same. */
  #moveOrigins(take: LoadedTake): void {
    const partners = new Map<number, number>();
    for (const { n } of take.exchanges) {
      const partnerNumber = this.#twin.partnerOf(n)?.exchange.n;
      const place = partnerNumber === undefined ? null : placeOfResponse(this.source, n);
      if (partnerNumber !== undefined && place && this.inside.has(place.step)) partners.set(partnerNumber, n);
    }
    for (const handoff of this.script.handoffs) {
      const places = readPlaces(handoff);
      if (!places.some((place) => this.going.has(place.step))) continue;
      const now = places.flatMap((place): ResponsePlace[] => {
        if (!this.going.has(place.step)) return [place];
        const partner = partners.get(numberAt(this.script, place) ?? -1);
        const there = partner === undefined ? null : placeOfResponse(this.source, partner);
        return there ? [there] : [];
      });
      const [first, ...also] = now;
      if (first) this.moved.set(handoff.id, readFrom(handoff, first, also));
    }
  }

  /** The steps with pieces of the script that takes them in; what it cannot give is sent as recorded. */
  adopt(steps: readonly Step[]): Step[] {
    for (const template of steps.flatMap((step) => allSteps([step])).flatMap(templatesOf))
      for (const piece of movingPieces(template)) {
        if (piece.kind === 'handoff') this.#handoff(piece.handoff);
        else if (piece.kind === 'made') this.#make(piece.made);
      }
    // What is read in the piece and sent later by nobody yet is kept too: the script may use it.
    const change = (piece: Piece): Piece | undefined => {
      const adopted =
        piece.kind === 'handoff' ? this.#ids.get(piece.handoff) : piece.kind === 'made' ? this.#ids.get(piece.made) : undefined;
      if (adopted === undefined || piece.kind === 'text') return undefined;
      if (adopted === null) return { kind: 'text', text: piece.recorded };
      return adopted.kind === 'handoff'
        ? { kind: 'handoff', handoff: adopted.id, recorded: piece.recorded }
        : { kind: 'made', made: adopted.id, recorded: piece.recorded };
    };
    return steps.map(function inside(step): Step {
      const ownStep = changeTemplates(step, (template) => mapPieces(template, change));
      return 'steps' in ownStep ? ({ ...ownStep, steps: ownStep.steps.map(inside) } as Step) : ownStep;
    });
  }

  #free(name: string): string {
    let free = name;
    for (let count = 2; this.#names.has(free); count++) free = `${name} ${count}`;
    this.#names.add(free);
    return free;
  }

  #make(id: string): void {
    if (this.#ids.has(id)) return;
    const made = this.source.made.find((candidate) => candidate.id === id);
    if (!made) return;
    const fresh: GeneratedValue = { ...made, id: freshId(this.#taken, 'm', `m-${made.id}`), name: this.#free(made.name) };
    this.made.push(fresh);
    this.#ids.set(id, { kind: 'made', id: fresh.id });
  }

  #handoff(id: string): void {
    if (this.#ids.has(id)) return;
    const handoff = this.source.handoffs.find((candidate) => candidate.id === id);
    if (!handoff) return;
    const places = readPlaces(handoff);
    const within = places.filter(({ step }) => this.inside.has(step));
    const [firstWithin] = within;
    // What is read after the piece tells nothing of what it sends.
    const before = places.filter((place) => !this.inside.has(place.step) && (numberAt(this.source, place) ?? Infinity) < this.from).at(-1);
    const there = before && this.#inScript(before, handoff);
    if (there) {
      this.#ids.set(id, { kind: 'handoff', id: there });
      this.#readAlso(there, within);
      return;
    }
    if (!firstWithin) {
      this.#ids.set(id, null);
      this.missing.push(handoff.name);
      return;
    }
    const known = [...this.moved.values()].find(
      (candidate) =>
        readPlaces(candidate).some((place) => place.step === firstWithin.step && place.hop === firstWithin.hop) &&
        JSON.stringify(candidate.extractor) === JSON.stringify(handoff.extractor),
    );
    if (known) {
      this.#ids.set(id, { kind: 'handoff', id: known.id });
      return;
    }
    const { also: _also, hop: _hop, ...rest } = handoff;
    const also = within.slice(1);
    const fresh: Handoff = {
      ...rest,
      id: freshId(this.#taken, 'h', `h-${handoff.id}`),
      name: this.#free(handoff.name),
      origin: firstWithin.step,
      ...(firstWithin.hop === undefined ? {} : { hop: firstWithin.hop }),
      ...(also.length === 0 ? {} : { also }),
    };
    this.handoffs.push(fresh);
    this.#ids.set(id, { kind: 'handoff', id: fresh.id });
  }

  /** Lets a handoff of the script be read at further answers of the piece, as a value that each answer gives anew. */
  #readAlso(id: string, within: readonly ResponsePlace[]): void {
    const handoff = this.moved.get(id) ?? this.script.handoffs.find((candidate) => candidate.id === id);
    if (!handoff) return;
    const places = readPlaces(handoff);
    const further = within.filter(
      (place) => !places.some((responsePlace) => responsePlace.step === place.step && responsePlace.hop === place.hop),
    );
    const [first, ...also] = [...places, ...further];
    if (first && further.length > 0) this.moved.set(id, readFrom(handoff, first, also));
  }

  /** The handoff of the script that reads the same from the partner of an answer; a new one where the script reads it not yet. */
  #inScript(origin: ResponsePlace, handoff: Handoff): string | null {
    const n = numberAt(this.source, origin);
    const partner = n === undefined ? undefined : this.#twin.partnerOf(n);
    const place = partner && placeOfResponse(this.script, partner.exchange.n);
    const exchange = partner && this.take.exchanges.find((candidate) => candidate.n === partner.exchange.n);
    const view = exchange && viewOf(exchange, this.take.readBody);
    const recorded = view && readValue(handoff.extractor, view, () => 0);
    if (!place || recorded === undefined) return null;
    const same = [...this.script.handoffs, ...this.handoffs].find(
      (candidate) =>
        readPlaces(candidate).some((responsePlace) => responsePlace.step === place.step && responsePlace.hop === place.hop) &&
        JSON.stringify(candidate.extractor) === JSON.stringify(handoff.extractor),
    );
    if (same) return same.id;
    const { also: _also, hop: _hop, ...rest } = handoff;
    const fresh: Handoff = {
      ...rest,
      id: freshId(this.#taken, 'h', `h-${handoff.id}`),
      name: this.#free(handoff.name),
      origin: place.step,
      ...(place.hop === undefined ? {} : { hop: place.hop }),
      recorded,
    };
    this.handoffs.push(fresh);
    return fresh.id;
  }
}
