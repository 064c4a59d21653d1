import { cutText } from '../cut-text.js';
import type { LoadedTake } from '../take/take.schema.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { placeOfResponse, recordedSteps, type Script } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import { sentLeaves, sentNodes } from '../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import { withoutHandoff } from '../script-edit/edit.js';
import { movingPieces, recordedText } from '../values/template.js';
import { stepsOfTake, visitCandidates, visitStill } from '../correlate/find/candidates.js';
import { HandoffMaker } from '../correlate/make/handoff-maker.js';
import { Judge } from '../correlate/decide/judge.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { findMade } from '../correlate/decide/made-values.js';
import { freshKind } from '../correlate/find/shapes.js';
import { ValueIndex, type Origin } from '../correlate/find/value-index.js';
import { bitsOfLikelihood, bitsOfProof } from '../correlate/weigh/weigh.js';
import { PatternBook } from '../correlate/weigh/pattern-match.js';
import { publishedPatterns } from '../patterns/published.js';
import type { Proof } from './proof.schema.js';
import type { Hypothesis } from './hypothesis.schema.js';
import type { Rehearsal, RehearsedStep, StaleValue } from './rehearsal.schema.js';
import { saysTaken } from './said.js';
import { TypedValues } from './typed-values.js';

/** What was seen when the script was played. */
export interface Seen {
  rehearsal: Pick<Rehearsal, 'steps' | 'divergence'>;
  /** Present where it passed and was not proven. */
  proof: Proof | null;
}

/** A hypothesis with the change that it makes: pieces through a maker, or a new script before that. */
export interface Supposition extends Hypothesis {
  put?: (maker: HandoffMaker) => void;
  change?: (script: Script) => Script;
}

/** Everything that could explain what was seen, the likeliest first. */
export function hypothesesOf(script: Script, loaded: LoadedTake, second: LoadedTake | null, seen: Seen): Supposition[] {
  const found = new Finder(script, loaded, second, seen).all();
  return found.sort((left, right) => right.likelihood - left.likelihood || left.number - right.number);
}

class Finder {
  readonly #twin: SecondTake | null;
  readonly #index: ValueIndex;
  readonly #judge: Judge;
  readonly #numbers: Map<string, number>;
  readonly #typed: TypedValues;

  constructor(
    readonly script: Script,
    readonly loaded: LoadedTake,
    second: LoadedTake | null,
    readonly seen: Seen,
  ) {
    this.#twin = second && new SecondTake(loaded, second);
    this.#index = ValueIndex.of(loaded, script, this.#twin?.moving);
    this.#judge = new Judge(loaded, this.#index, this.#twin, new PatternBook(publishedPatterns));
    this.#typed = new TypedValues(script, loaded, this.#index, this.#twin, this.#judge);
    this.#numbers = new Map(recordedSteps(script).map(({ step, number }) => [step.id, number]));
  }

  all(): Supposition[] {
    return [...this.#stale(), ...this.#redirects(), ...this.#clientMade(), ...this.#mustBeNew(), ...this.#handoffs(), ...this.#unsure()];
  }

  #number(step: string): number {
    return this.#numbers.get(step) ?? 0;
  }

  /** The first step that left the take; undefined where all passed. */
  get #bad(): RehearsedStep | undefined {
    return this.seen.rehearsal.steps.find((step) => step.verdict !== 'passed');
  }

  #stale(): Supposition[] {
    const key = (step: string, place: string, start: number, end: number) => `${step} ${place} ${start} ${end}`;
    const stale = new Map<string, StaleValue>(
      this.seen.rehearsal.steps
        .flatMap((step) => step.stale)
        .map((value) => [key(value.step, value.place, value.part?.start ?? 0, value.part?.end ?? value.recorded.length), value]),
    );
    const found: Supposition[] = [];
    if (stale.size === 0) return found;
    visitCandidates(this.script, this.loaded, this.#index, (candidate) => {
      const proof = stale.get(key(candidate.step.id, candidate.node.place, candidate.start, candidate.end));
      const origin =
        proof && candidate.origins.find((possibleOrigin) => JSON.stringify(possibleOrigin.extractor) === JSON.stringify(proof.extractor));
      if (!proof || !origin) return false;
      const reason = `The rehearsal sent it as recorded while step ${this.#number(proof.origin)} now gave another (${describeExtractor(proof.extractor)}).`;
      found.push({
        id: `stale ${candidate.step.id} ${candidate.node.place} ${candidate.start} ${JSON.stringify(proof.extractor)}`,
        kind: 'stale-value',
        step: candidate.step.id,
        number: candidate.number,
        sentence: `Step ${candidate.number} sends ${proof.name} “${cutText(proof.recorded, 40)}” from the take; read it at step ${this.#number(proof.origin)} instead.`,
        likelihood: proof.bits >= bitsOfProof ? 0.95 : proof.bits >= bitsOfLikelihood ? 0.7 : 0.4,
        put: (maker) => {
          maker.handOff(candidate, origin, 'proven', reason);
        },
      });
      stale.delete(key(candidate.step.id, candidate.node.place, candidate.start, candidate.end));
      return true;
    });
    return [...found, ...[...stale.values()].flatMap((value) => this.#givenByLost(value))];
  }

  /** A stale value whose origin the take does not hold: the rehearsal showed where it stands. */
  #givenByLost(stale: StaleValue): Supposition[] {
    const steps = stepsOfTake(this.script, this.loaded);
    const step = steps.find((stepOfTake) => stepOfTake.step.id === stale.step);
    const origin = steps.find((stepOfTake) => stepOfTake.step.id === stale.origin);
    const n = origin && answerOf(origin.step);
    const exchange = this.loaded.exchanges.find((candidate) => candidate.n === n);
    const node = step && sentNodes(step.step).find((sentNode) => sentNode.place === stale.place && sentNode.value === stale.recorded);
    if (!step || !origin || !exchange || !node || stale.part) return [];
    const reason = `The take lacks the answer of step ${origin.number}; the rehearsal got it, and ${describeExtractor(stale.extractor)} stands there.`;
    return [
      {
        id: `lost ${stale.step} ${stale.place} ${JSON.stringify(stale.extractor)}`,
        kind: 'stale-value',
        step: stale.step,
        number: step.number,
        sentence: `Step ${step.number} sends ${stale.name} “${cutText(stale.recorded, 40)}” from the take; the answer of step ${origin.number}, which the take lacks, gives it now.`,
        likelihood: 0.92,
        put: (maker) => {
          maker.handOff(
            { step: step.step, node, value: node.value, start: 0, end: node.value.length },
            { exchange, value: node.value, extractor: stale.extractor, listed: false, choice: false, linked: true, name: node.name },
            'likely',
            reason,
          );
        },
      },
    ];
  }

  #redirects(): Supposition[] {
    return this.seen.rehearsal.steps.flatMap(({ step, number, redirect }) =>
      redirect === undefined
        ? []
        : [
            {
              id: `redirect ${step} ${redirect}`,
              kind: 'wider-redirect' as const,
              step,
              number,
              sentence: `Step ${number} may lead to ${redirect}: the part that differs is made anew on each visit.`,
              likelihood: 0.9,
            },
          ],
    );
  }

  /** Clocks, UUIDs and the like that a script sends as recorded because nothing looked for them yet. */
  #clientMade(): Supposition[] {
    const bad = this.#bad;
    if (!bad || this.script.made.length > 0) return [];
    const typed = new Set(
      recordedSteps(this.script).flatMap(({ step }) => this.#typed.inStep(step.id).map((node) => `${step.id} ${node.place}`)),
    );
    const put = (maker: HandoffMaker): void => {
      findMade(this.script, this.loaded, this.#index, maker, this.#twin, typed);
    };
    const trial = new HandoffMaker(this.script);
    put(trial);
    const names = [...new Set(trial.result().report.made.map(({ name }) => name.replace(/ \d+$/, '')))];
    if (names.length === 0) return [];
    return [
      {
        id: 'client-made',
        kind: 'client-made',
        step: bad.step,
        number: bad.number,
        sentence: `No answer gives ${names.slice(0, 4).join(', ')}${names.length > 4 ? ' and others' : ''}: the client makes a new one each time.`,
        likelihood: 0.92,
        put,
      },
    ];
  }

  /** Typed values that the server takes only once: one that it names, or those of the act that made nothing new. */
  #mustBeNew(): Supposition[] {
    const bad = this.#bad;
    const refused = this.seen.rehearsal.divergence?.refused ?? null;
    const found = new Map<string, Supposition>();
    const suppose = (value: string, step: string, likelihood: number, why: string): void => {
      const before = found.get(value);
      if (before && before.likelihood >= likelihood) return;
      const fresh = freshKind(value);
      found.set(value, {
        id: `new ${value}`,
        kind: 'must-be-new',
        step,
        number: this.#number(step),
        sentence: `“${cutText(value, 40)}” can be used only once (${why}); a new one is made each time.`,
        likelihood,
        put: (maker) => {
          this.#makeAnew(value, maker, `${why.charAt(0).toUpperCase()}${why.slice(1)}, and ${fresh.reason}.`);
        },
      });
    };
    if (refused !== null && bad && !this.#wasOffered(refused, bad.step))
      suppose(refused, bad.step, 0.9, 'the answer refused the typed one');
    const said = bad ? [...bad.reasons, ...(bad.said ?? [])].join(' ') : '';
    const acts = new Map<string, number>();
    // The act that failed, and the one before it, whose answer may have said it without any sign of failure.
    if (bad) {
      // A server that says something else has another reason.
      const saysOther = !saysTaken.test(said) && ((bad.said ?? []).length > 0 || /but says “|instead of [\d or]+: “/.test(said));
      acts.set(bad.step, saysTaken.test(said) ? 0.8 : saysOther ? 0.05 : 0.35);
      for (const step of this.seen.rehearsal.steps)
        if (step.number < bad.number && step.said?.some((text) => saysTaken.test(text))) acts.set(step.step, 0.85);
      const earlier = this.seen.rehearsal.steps.filter((step) => step.number < bad.number).reverse();
      const act = earlier.find((step) => this.#typed.isAct(step.step) && this.#typed.inStep(step.step).length > 0);
      if (act && !saysOther && !acts.has(act.step)) acts.set(act.step, 0.3);
    }
    for (const point of this.seen.proof?.open ?? []) {
      if (point.step === null) continue;
      if (point.kind === 'not-new') acts.set(point.step, 0.75);
      else if (point.kind === 'not-shown' || point.kind === 'said') {
        const number = this.#number(point.step);
        const act = [...this.seen.rehearsal.steps]
          .reverse()
          .find((step) => step.number <= number && this.#typed.isAct(step.step) && this.#typed.inStep(step.step).length > 0);
        if (act && !acts.has(act.step)) acts.set(act.step, 0.4);
      }
    }
    const groups: Supposition[] = [];
    for (const [step, likelihood] of acts) {
      const naming = new Set<string>();
      [...this.#typed.inStep(step), ...this.#typed.before(step)].forEach((node) => {
        const isNamed = said.includes(node.value) && node.value.length >= 4;
        // By it the row of the thing is found; where it is not new, the row may be that of the take.
        const picksRow = this.script.handoffs.some(({ extractor }) => extractor.beside && recordedText(extractor.beside) === node.value);
        if (isNamed || picksRow || identifies(node)) naming.add(node.value);
        suppose(
          node.value,
          step,
          likelihood * (isNamed || picksRow ? 1 : identifies(node) ? 0.9 : 0.5),
          isNamed ? 'the answer names it' : likelihood > 0.5 ? 'nothing new was made with it' : 'the thing may exist already',
        );
      });
      if (naming.size > 1) groups.push(this.#allNew(step, [...naming], likelihood));
    }
    return [...groups, ...found.values()];
  }

  /** All that names the thing of an act is another one each time: where one of them stays, its row is found among those of the takes. */
  #allNew(step: string, values: readonly string[], likelihood: number): Supposition {
    const quoted = values.map((value) => `“${cutText(value, 40)}”`).join(', ');
    return {
      id: `new ${step} ${values.join('\n')}`,
      kind: 'must-be-new',
      step,
      number: this.#number(step),
      sentence: `What names the thing can be used only once (${quoted}); new ones are made each time.`,
      likelihood: Math.min(0.89, likelihood * 1.05),
      put: (maker) => {
        for (const value of values) this.#makeAnew(value, maker, `It names the thing that is made, and ${freshKind(value).reason}.`);
      },
    };
  }

  /** True for a value that an answer had given before a step sends it: another of the same kind is taken from there. */
  #wasOffered(value: string, step: string): boolean {
    const stepOfTake = stepsOfTake(this.script, this.loaded).find((candidate) => candidate.step.id === step);
    return stepOfTake !== undefined && this.#index.occurrences(value, stepOfTake.exchange).length > 0;
  }

  #makeAnew(value: string, maker: HandoffMaker, reason: string): void {
    const { made } = freshKind(value);
    for (const { step } of recordedSteps(this.script))
      visitStill(step, (node) => {
        if (!isLeaf(node) || node.value !== value) return false;
        maker.make({ step, node, value: node.value, start: 0, end: node.value.length }, made, reason);
        return true;
      });
  }

  /** Handoffs that the failing step sends: another place may be the right one, or the value was a person's choice. */
  #handoffs(): Supposition[] {
    const bad = this.#bad;
    const open = this.seen.proof?.open.find((point) => point.kind === 'not-shown' || point.kind === 'not-new');
    const overwritten = (this.seen.proof?.open ?? []).filter((point) => point.kind === 'overwritten');
    const steps = new Set([bad?.step, open?.step, ...overwritten.map((point) => point.step)].filter((stepId) => stepId != null));
    const missing = this.seen.rehearsal.divergence?.handoff;
    const found: Supposition[] = [];
    const seenHandoffs = new Set<string>();
    for (const stepOfTake of stepsOfTake(this.script, this.loaded)) {
      if (!steps.has(stepOfTake.step.id)) continue;
      for (const node of sentLeaves(stepOfTake.step)) {
        const [piece, ...more] = [...movingPieces(node.template)];
        if (piece?.kind !== 'handoff' || more.length > 0 || piece.recorded !== node.value || seenHandoffs.has(piece.handoff)) continue;
        const handoff = this.script.handoffs.find((candidate) => candidate.id === piece.handoff);
        if (!handoff) continue;
        seenHandoffs.add(handoff.id);
        const isMissing = missing === handoff.id;
        const doubt = isMissing ? 0.7 : handoff.evidence === 'proven' ? 0.15 : 0.45;
        const otherValue = this.#twin?.valueAt(stepOfTake.exchange.n, node.place);
        const origins = this.#index.origins(node.value, node.name, stepOfTake.exchange, true);
        const others = this.#judge
          .plausible({ value: node.value, name: node.name, place: node.place }, origins, otherValue, stepOfTake)
          .filter(({ origin }) => JSON.stringify(origin.extractor) !== JSON.stringify(handoff.extractor))
          .slice(0, 3);
        // One that is read again at each page has no single other place.
        (handoff.also ? [] : others).forEach(({ origin, weight }, at) => {
          found.push({
            id: `elsewhere ${handoff.id} ${origin.exchange.n} ${JSON.stringify(origin.extractor)}`,
            kind: 'read-elsewhere',
            step: stepOfTake.step.id,
            number: stepOfTake.number,
            sentence: `${handoff.name} is read at another place: ${describeExtractor(origin.extractor)}.`,
            likelihood: (doubt * Math.min(1, Math.max(0.2, weight.bits / bitsOfProof))) / (at + 1),
            change: (script) => readElsewhere(script, handoff.id, origin),
          });
        });
        found.push({
          id: `choice ${handoff.id}`,
          kind: 'wrong-handoff',
          step: stepOfTake.step.id,
          number: stepOfTake.number,
          sentence: `${handoff.name} “${cutText(handoff.recorded, 40)}” is no handoff: it was chosen, and is sent as recorded.`,
          likelihood: overwritten.some((point) => point.step === stepOfTake.step.id && point.about?.place === node.place)
            ? 0.9
            : handoff.evidence === 'proven'
              ? 0.05
              : doubt * 0.8,
          change: (script) => withoutHandoff(script, handoff.id),
        });
      }
    }
    return found;
  }

  /** Values about which correlation was not sure, in the steps up to the first that left the take. */
  #unsure(): Supposition[] {
    const last = this.#bad?.number ?? (this.seen.proof ? Infinity : 0);
    const refused = this.seen.rehearsal.divergence?.refused;
    const found: Supposition[] = [];
    for (const stepOfTake of stepsOfTake(this.script, this.loaded)) {
      if (stepOfTake.number > last) continue;
      const places = new Set(this.script.unsure.filter((value) => value.step === stepOfTake.step.id).map((value) => value.place));
      if (places.size === 0) continue;
      visitStill(stepOfTake.step, (node) => {
        if (!places.has(node.place)) return false;
        const otherValue = this.#twin?.valueAt(stepOfTake.exchange.n, node.place);
        const origins = this.#index.origins(node.value, node.name, stepOfTake.exchange, true);
        const [best] = this.#judge.plausible({ value: node.value, name: node.name, place: node.place }, origins, otherValue, stepOfTake);
        if (!best) return false;
        found.push({
          id: `unsure ${stepOfTake.step.id} ${node.place}`,
          kind: 'unsure-value',
          step: stepOfTake.step.id,
          number: stepOfTake.number,
          sentence: `Step ${stepOfTake.number} sends ${node.name} “${cutText(node.value, 40)}”, which ${describeExtractor(best.origin.extractor)} gives.`,
          likelihood: refused === node.value ? 0.85 : stepOfTake.number === last ? 0.5 : 0.3,
          put: (maker) => {
            maker.handOff(
              { step: stepOfTake.step, node, value: node.value, start: 0, end: node.value.length },
              best.origin,
              'likely',
              `A rehearsal tried it: ${describeExtractor(best.origin.extractor)} gives it.`,
            );
          },
        });
        return true;
      });
    }
    return found;
  }
}

/** Names of fields that tell things apart; common practice, no source. */
const identifies = ({ name }: SentNode): boolean =>
  /name|login|user|title|subject|code|number|no$|key|id$|slug|mail|url|label|handle/i.test(name);

/** The handoff, read from another origin. */
function readElsewhere(script: Script, id: string, origin: Origin): Script {
  const place = placeOfResponse(script, origin.exchange.n);
  if (!place) return script;
  return {
    ...script,
    handoffs: script.handoffs.map((handoff) => {
      if (handoff.id !== id) return handoff;
      const kept = { ...handoff };
      delete kept.hop;
      delete kept.also;
      return {
        ...kept,
        origin: place.step,
        ...(place.hop === undefined ? {} : { hop: place.hop }),
        extractor: origin.extractor,
        evidence: 'likely',
        reason: `A rehearsal showed that another place gives the wrong one; now ${describeExtractor(origin.extractor)} gives it.`,
      };
    }),
  };
}
