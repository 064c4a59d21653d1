import {
  changeRecordedSteps,
  changeRequests,
  placeOfResponse,
  type Evidence,
  type Handoff,
  type GeneratedValue,
  type Script,
} from '../../script/script.schema.js';
import type { Encoding, Piece, Template } from '../../values/template.schema.js';
import type { RequestStep } from '../../actions/http/request.schema.js';
import { bindStep } from '../../actions/sent-parts.js';
import { usePlaces } from '../../script-edit/use-places.js';
import { followRows } from '../../script-edit/follow-rows.js';
import { maskTitle, titleWords } from '../../script-edit/mask-title.js';
import { compact, isStill } from '../../values/template.js';
import type { SentNode } from '../../actions/sent-values.js';
import { nameBefore, type Candidate } from '../find/candidates.js';
import { isBareId, Names, plainName } from '../find/naming.js';
import { namesThing } from '../find/shapes.js';
import { mergeRotating } from './rotating.js';
import type { Origin } from '../find/value-index.js';

/** What correlating added, in sentences for the tester. */
export interface CorrelationReport {
  handoffs: { name: string; evidence: Evidence; reason: string; uses: number }[];
  made: { name: string; reason: string }[];
  /** Expectations that were widened, by the number of the step. */
  eased: { step: number; reason: string }[];
  /** Handoffs that are read elsewhere now, or are none any more, by the number of a step that sends them. */
  replaced: { step: number; reason: string }[];
  unsure: number;
}

/** True where correlating or repairing found nothing to add. */
export const addsNothing = ({ handoffs, made, eased, replaced }: CorrelationReport): boolean =>
  handoffs.length + made.length + eased.length + replaced.length === 0;

/** The result of correlating: a new script, and what was added. */
export interface Correlated {
  script: Script;
  report: CorrelationReport;
}

/** A value, or a part of it, that a moving piece shall stand for. */
export type Target = Pick<Candidate, 'step' | 'node' | 'value' | 'start' | 'end'>;

interface NewPiece {
  start: number;
  end: number;
  piece: Piece;
}

/** Collects new pieces place by place and puts them into the script at the end. */
export class HandoffMaker {
  readonly #handoffs: Handoff[] = [];
  readonly #made: GeneratedValue[] = [];
  readonly #pieces = new Map<string, { node: SentNode; pieces: NewPiece[] }>();

  readonly #byOrigin = new Map<string, Handoff>();
  readonly #byRecorded = new Map<string, string>();
  readonly #names: Names;
  #lastHandoff: number;

  constructor(readonly script: Script) {
    this.#names = new Names([...script.handoffs, ...script.made].map((named) => named.name));
    this.#lastHandoff = nextNumber(script.handoffs) - 1;
    for (const handoff of script.handoffs) {
      const place = handoff.hop === undefined ? { step: handoff.origin } : { step: handoff.origin, hop: handoff.hop };
      this.#byOrigin.set(JSON.stringify([place, handoff.recorded, handoff.extractor]), handoff);
      if (!this.#byRecorded.has(handoff.recorded)) this.#byRecorded.set(handoff.recorded, handoff.id);
    }
  }

  /** Hands the value off, in another spelling where `as` says so; a value that already has a handoff from the same origin joins it. */
  handOff(target: Target, origin: Origin, evidence: Evidence, reason: string, as?: Encoding): boolean {
    const place = placeOfResponse(this.script, origin.exchange.n);
    if (place === null) return false;
    // In another spelling, what is read differs from what is sent.
    const recorded = as ? origin.value : target.value;
    const key = JSON.stringify([place, recorded, origin.extractor]);
    const same = this.#byOrigin.get(key);
    const handoff: Handoff = same ?? {
      id: `h${++this.#lastHandoff}`,
      name: this.#freeName(target),
      origin: place.step,
      ...(place.hop === undefined ? {} : { hop: place.hop }),
      extractor: origin.extractor,
      evidence,
      reason,
      recorded,
    };
    if (!same) {
      this.#handoffs.push(handoff);
      this.#byOrigin.set(key, handoff);
      if (!this.#byRecorded.has(recorded)) this.#byRecorded.set(recorded, handoff.id);
    }
    const piece: Piece = { kind: 'handoff', handoff: handoff.id, recorded };
    this.#put(target, as ? { kind: 'wrap', encoding: as, pieces: [piece], recorded: target.value } : piece);
    return true;
  }

  /** Lets the client make the value; the same UUID or number sent twice is made once in an iteration. */
  make(target: Target, made: GeneratedValue['made'], reason: string, as?: Encoding, source = target.value): void {
    const all = [...this.script.made, ...this.#made];
    const same = all.find((candidate) => candidate.made === made && (candidate.recorded === source || !stays(made)));
    const value: GeneratedValue = same ?? { id: `m${nextNumber(all)}`, name: this.#freeName(target), made, recorded: source, reason };
    if (!same) this.#made.push(value);
    const piece: Piece = { kind: 'made', made: value.id, recorded: source };
    this.#put(target, as ? { kind: 'wrap', encoding: as, pieces: [piece], recorded: target.value } : piece);
  }

  /** True where a piece was put at a place. */
  has(step: string, place: string): boolean {
    return this.#pieces.has(`${step} ${place}`);
  }

  /** True where a value moves that lies inside the one at a place. */
  hasInside(step: string, place: string): boolean {
    return [...this.#pieces.keys()].some((key) => key.startsWith(`${step} ${place}/`));
  }

  /** The handoff that gives a value; undefined where none does. */
  handoffOf(recorded: string): string | undefined {
    return this.#byRecorded.get(recorded);
  }

  /** What was recorded of the handoffs, the last ones first. */
  recordedLately(count: number): string[] {
    return [...this.script.handoffs, ...this.#handoffs]
      .slice(-count)
      .map((handoff) => handoff.recorded)
      .reverse();
  }

  /** Puts any template in the place of a value, such as the digest of another one. */
  put(target: Target, piece: Piece): void {
    this.#put(target, piece);
  }

  #put({ step, node, start, end }: Target, piece: Piece): void {
    const key = `${step.id} ${node.place}`;
    const ownPiece = this.#pieces.get(key) ?? { node, pieces: [] };
    ownPiece.pieces.push({ start, end, piece });
    this.#pieces.set(key, ownPiece);
  }

  #freeName({ node, value, start }: Target): string {
    const before = value === node.value ? node.name : nameBefore(node, start);
    return this.#names.take(plainName(before, node.place));
  }

  /**
   * By step and value what stands for an id in that step: an address and a body that name a thing by the same id mean the same thing,
   * however short the id is.
   */
  #siblings(): Map<string, Piece> {
    const found = new Map<string, Piece>();
    for (const [key, { node, pieces }] of this.#pieces) {
      const [first] = pieces;
      const step = key.slice(0, key.indexOf(' '));
      if (pieces.length === 1 && first?.piece.kind === 'handoff' && first.piece.recorded === node.value)
        found.set(`${step} ${node.value}`, first.piece);
    }
    return found;
  }

  result(): Correlated {
    const { script } = this;
    const handoffs = [...script.handoffs, ...this.#handoffs];
    const siblings = this.#siblings();
    const known = new Map(handoffs.map((handoff) => [handoff.recorded, handoff]));
    const inHeaders = new Map<string, Set<string>>();
    for (const handoff of handoffs)
      if (handoff.extractor.kind === 'header')
        inHeaders.set(handoff.origin, (inHeaders.get(handoff.origin) ?? new Set()).add(handoff.recorded));
    const loosened = changeRequests(script, (step) => loosenRedirect(step, inHeaders.get(step.id)));
    const bound = changeRecordedSteps(loosened, (step) =>
      bindStep(step, (value, part, current) => {
        const piece = this.#pieces.get(`${step.id} ${value.place}`);
        if (piece) return templateOf(value.value, piece.pieces);
        const sibling = isStill(current) && namesAThing(value.name) ? siblings.get(`${step.id} ${value.value}`) : undefined;
        if (sibling) return [sibling];
        // The Referer repeats an earlier address, so it follows the handoffs that address uses.
        const handoff =
          part.name.toLowerCase() === 'referer' && value.value.length >= 4 && isStill(current) ? known.get(value.value) : undefined;
        return handoff && [{ kind: 'handoff', handoff: handoff.id, recorded: value.value }];
      }),
    );
    const moving = titleWords([...this.#pieces.values()].flatMap(({ node, pieces }) => (pieces.length === 1 ? [node.value] : [])));
    const next = followRows(
      mergeRotating({
        ...changeRequests(bound, (step) => maskTitle(step, moving)),
        handoffs,
        made: [...script.made, ...this.#made],
        unsure: script.unsure.filter((value) => !this.#pieces.has(`${value.step} ${value.place}`)),
      }),
    );
    const uses = usePlaces(next);
    const fresh = new Set(this.#handoffs.map((handoff) => handoff.id));
    return {
      script: next,
      report: {
        handoffs: next.handoffs
          .filter((handoff) => fresh.has(handoff.id))
          .map(({ id, name, evidence, reason }) => ({ name, evidence, reason, uses: uses.get(id)?.length ?? 0 })),
        made: this.#made.map(({ name, reason }) => ({ name, reason })),
        eased: [],
        replaced: [],
        unsure: 0,
      },
    };
  }
}

/** A value with pieces in the place of some of its parts. */
function templateOf(value: string, pieces: readonly NewPiece[]): Template {
  const template: Piece[] = [];
  let at = 0;
  for (const { start, end, piece } of [...pieces].sort((left, right) => left.start - right.start)) {
    if (start < at) continue;
    template.push({ kind: 'text', text: value.slice(at, start) }, piece);
    at = end;
  }
  return compact([...template, { kind: 'text', text: value.slice(at) }]);
}

const namesAThing = (name: string): boolean => isBareId(name) || namesThing(name);

/** A redirect may lead anywhere in the segments that a handoff reads from it. */
function loosenRedirect(step: RequestStep, read: ReadonlySet<string> | undefined): RequestStep {
  const { redirect } = step.expect;
  if (redirect === null || !read) return step;
  const segments = redirect.split('/').map((part) => (read.has(part) ? '*' : part));
  return { ...step, expect: { ...step.expect, redirect: segments.join('/') } };
}

const stays = (made: GeneratedValue['made']): boolean => !/^(epoch|iso|http|ticks|counter)/.test(made);

function nextNumber(all: readonly { id: string }[]): number {
  return all.reduce((highest, item) => Math.max(highest, Number(item.id.slice(1)) || 0), 0) + 1;
}
