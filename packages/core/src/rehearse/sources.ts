import { cutText } from '../cut-text.js';
import * as z from 'zod';
import { HandoffMaker, type Target } from '../correlate/make/handoff-maker.js';
import { Judge } from '../correlate/decide/judge.js';
import { sameThing } from '../correlate/find/naming.js';
import { stepsOfTake, visitParts, type StepOfTake } from '../correlate/find/candidates.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { freshKind } from '../correlate/find/shapes.js';
import { ValueIndex, type Origin } from '../correlate/find/value-index.js';
import { chanceOf, evidenceOf } from '../correlate/weigh/weigh.js';
import { PatternBook } from '../correlate/weigh/pattern-match.js';
import { publishedPatterns } from '../patterns/published.js';
import { sentNow } from './sent-now.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { withoutHandoff } from '../script-edit/edit.js';
import { locateMatches } from '../extractors/locate.js';
import { sentNodes } from '../actions/sent-parts.js';
import {
  EvidenceSchema,
  placeOfResponse,
  readPlaces,
  recordedSteps,
  type Handoff,
  type GeneratedValue,
  type Script,
} from '../script/script.schema.js';
import { actionKindOf } from '../actions/action-kinds.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import { changeAllTemplates } from '../script/step-templates.js';
import { mapPieces, movingPieces } from '../values/template.js';
import { usePlaces } from '../script-edit/use-places.js';
import type { BodyReader, LoadedTake } from '../take/take.schema.js';
import { capturedView } from './captured.js';
import { VerdictSchema, type Rehearsal } from './rehearsal.schema.js';
import type { CapturedStep } from '../actions/action-step.schema.js';

/** A place in a request whose value is looked into. */
export const SourcePlaceSchema = z.object({ step: z.string(), place: z.string() });
export type SourcePlace = z.infer<typeof SourcePlaceSchema>;

/** What a rehearsal sent at a place, and what it got for that. */
export const SentAndGotSchema = z.object({
  rehearsal: z.string(),
  number: z.number().int(),
  /** What it sent there; null where the step was not reached, or sent nothing there. */
  sent: z.string().nullable(),
  /** What it got, in a few words, such as a status; null where nothing came. */
  answer: z.string().nullable(),
  verdict: VerdictSchema,
  /** What differs from the take, and what the server says of trouble, in sentences. */
  reasons: z.array(z.string()),
});
export type SentAndGot = z.infer<typeof SentAndGotSchema>;

/** One of the things that could be sent at a place: read from an answer, made anew, or as recorded. */
export const SourceCandidateSchema = z.object({
  /** Names the same candidate in every rehearsal. */
  id: z.string(),
  kind: z.enum(['read', 'made', 'recorded']),
  /** What would be sent, in a sentence. */
  sentence: z.string(),
  /** What speaks for it and against it, in a sentence. */
  why: z.string(),
  evidence: EvidenceSchema,
  inUse: z.boolean(),
  /** What it gives: in the takes, and what it would have given in rehearsals. Null where it finds nothing. */
  gives: z.array(z.object({ of: z.string(), value: z.string().nullable() })),
});
export type SourceCandidate = z.infer<typeof SourceCandidateSchema>;

/** A sent value with everything that it could be. */
export const SourcesSchema = z.object({
  name: z.string(),
  recorded: z.string(),
  /** What the second take sent there; null where there is none, or no such place. */
  second: z.string().nullable(),
  /** Why it is in doubt, in a sentence; null where nothing is known against it. */
  doubt: z.string().nullable(),
  handoff: z.string().nullable(),
  /** So many places send it and change with it. */
  places: z.number().int(),
  candidates: z.array(SourceCandidateSchema),
});
export type Sources = z.infer<typeof SourcesSchema>;

/** A rehearsal in which candidates are looked up. */
export interface SourceRehearsal {
  number: number;
  steps: readonly CapturedStep[];
  readBody: BodyReader;
}

const mostAgreeing = 8;
const mostOthers = 3;

const howMade: Partial<Record<GeneratedValue['made'], string>> = {
  'container-number': 'Another container number is made after ISO 6346',
  'random-digits': 'Another number of the same length is drawn',
};

interface Candidate extends SourceCandidate {
  put: (maker: HandoffMaker) => void;
}

/** The value at a place as it is looked into: what was recorded, where all it is sent, and the script with it sent as recorded. */
interface Looked {
  stepOfTake: StepOfTake;
  name: string;
  value: string;
  otherValue: string | undefined;
  handoff: Handoff | undefined;
  base: Script;
  targets: Target[];
}

/** Finds everything that could be sent at a place, for the tester to choose from and to try. */
export class SourceFinder {
  readonly #twin: SecondTake | null;
  readonly #index: ValueIndex;
  readonly #judge: Judge;
  readonly #steps: StepOfTake[];

  constructor(
    readonly script: Script,
    readonly take: LoadedTake,
    second: LoadedTake | null,
    readonly rehearsals: readonly SourceRehearsal[] = [],
  ) {
    this.#twin = second && new SecondTake(take, second);
    this.#index = ValueIndex.of(take, script, this.#twin?.moving);
    this.#judge = new Judge(take, this.#index, this.#twin, new PatternBook(publishedPatterns));
    this.#steps = stepsOfTake(script, take);
  }

  /** What the value at a place could be, the likeliest first; null where the script sends nothing there, or the take lacks the step. */
  of(at: SourcePlace): Sources | null {
    const looked = this.#look(at);
    if (!looked) return null;
    const { name, value, otherValue, handoff, targets } = looked;
    return {
      name: handoff?.name ?? name,
      recorded: value,
      second: otherValue ?? null,
      doubt:
        this.script.unsure.find((unsureValue) => unsureValue.step === at.step && unsureValue.place === at.place)?.reason ??
        handoff?.reason ??
        null,
      handoff: handoff?.id ?? null,
      places: targets.length,
      candidates: this.#candidates(looked).map((candidate) => SourceCandidateSchema.parse(candidate)),
    };
  }

  /** The script with a candidate at a place and wherever else that value is sent; null where there is no such candidate. */
  with(at: SourcePlace, id: string): { script: Script; candidate: SourceCandidate } | null {
    const looked = this.#look(at);
    const candidate = looked && this.#candidates(looked).find((possible) => possible.id === id);
    if (!candidate) return null;
    const maker = new HandoffMaker(looked.base);
    candidate.put(maker);
    const { script } = maker.result();
    const decided = new Set(looked.targets.map(({ step, node }) => `${step.id} ${node.place}`));
    return {
      // What somebody has decided is in doubt no more.
      script: { ...script, unsure: script.unsure.filter((value) => !decided.has(`${value.step} ${value.place}`)) },
      candidate: SourceCandidateSchema.parse(candidate),
    };
  }

  #look({ step, place }: SourcePlace): Looked | null {
    const stepOfTake = this.#steps.find((candidate) => candidate.step.id === step);
    const node =
      stepOfTake &&
      sentNodes(stepOfTake.step)
        .flatMap(withKids)
        .find((sentNode) => sentNode.place === place);
    if (!stepOfTake || !node || node.value === '') return null;
    const piece = [...movingPieces(node.template)].find((movingPiece) => movingPiece.kind === 'handoff');
    const handoff = piece && this.script.handoffs.find((candidate) => candidate.id === piece.handoff);
    const base = handoff ? withoutUses(this.script, handoff.id, piece.recorded) : this.script;
    const value = handoff && node.value.includes(piece.recorded) ? piece.recorded : node.value;
    const uses =
      handoff &&
      new Set(
        usePlaces(this.script)
          .get(handoff.id)
          ?.map((sourcePlace) => `${sourcePlace.step} ${sourcePlace.place}`),
      );
    const doubtful = new Set(this.script.unsure.map((unsureValue) => `${unsureValue.step} ${unsureValue.place}`));
    const targets = recordedSteps(base).flatMap(({ step: request }) =>
      sentNodes(request)
        .flatMap(withKids)
        .filter((sentNode) => {
          const key = `${request.id} ${sentNode.place}`;
          if (uses) return uses.has(key) && sentNode.value.includes(value);
          if (key === `${step} ${place}`) return true;
          return (
            isLeaf(sentNode) && sentNode.value === value && !movesAt(sentNode) && (doubtful.has(key) || sameThing(sentNode.name, node.name))
          );
        })
        .map((sentNode): Target => {
          const start = sentNode.value.indexOf(value);
          return { step: request, node: sentNode, value, start, end: start + value.length };
        }),
    );
    const whole = this.#twin?.valueAt(stepOfTake.exchange.n, place);
    return { stepOfTake, name: node.name, value, otherValue: value === node.value ? whole : undefined, handoff, base, targets };
  }

  #candidates(looked: Looked): Candidate[] {
    const reads = this.#reads(looked);
    const kept = this.#asRecorded(looked);
    const made = this.#made(looked);
    // Where an answer gives it with weight, that comes first; where nothing does, what was recorded.
    const [sound, faint] = [reads.filter((read) => read.evidence !== 'unsure'), reads.filter((read) => read.evidence === 'unsure')];
    return [...sound, ...(kept.evidence === 'unsure' ? [...faint, made, kept] : [kept, ...faint, made])];
  }

  #reads(looked: Looked): Candidate[] {
    const { stepOfTake, name, value, otherValue, targets } = looked;
    const sent = { value, name, place: '' };
    const all = this.#judge.plausible(sent, this.#index.origins(value, name, stepOfTake.exchange, true), undefined, stepOfTake);
    const agrees = (origin: Origin): boolean => otherValue === undefined || this.#twin === null || this.#twin.gives(origin, otherValue);
    const agreeing = this.#judge.plausible(sent, all.map((weighed) => weighed.origin).filter(agrees), otherValue, stepOfTake);
    const against = all.filter(({ origin }) => !agrees(origin)).slice(0, mostOthers);
    const wholes = [
      ...agreeing.slice(0, mostAgreeing).map(({ origin, weight }) => ({
        origin,
        evidence: evidenceOf(weight, value) ?? ('unsure' as const),
        why:
          otherValue === undefined || otherValue === value
            ? `It gives what was sent; ${chanceOf(weight)}.`
            : `It gives what was sent in both takes; ${chanceOf(weight)}.`,
      })),
      ...against.map(({ origin }) => ({
        origin,
        evidence: 'unsure' as const,
        why: `It gives what was sent in the take, but not in the second one, which sent “${cutText(otherValue ?? '', 40)}”.`,
      })),
    ].map((foundSource) => this.#read(looked, foundSource, targets));
    return wholes.length > 0 ? wholes : this.#partReads(looked);
  }

  /** Where no answer gives the whole value, those that give parts of it. */
  #partReads(looked: Looked): Candidate[] {
    const { stepOfTake, value, targets } = looked;
    const found: Candidate[] = [];
    for (const target of targets.filter((possible) => possible.step.id === stepOfTake.step.id && possible.node.value === value).slice(0, 1))
      visitParts(target.node, this.#index, stepOfTake.exchange, ({ value: text, start, end, origins }) => {
        for (const { origin, weight } of this.#judge
          .plausible({ value: text, name: looked.name, place: '' }, origins, undefined, stepOfTake)
          .slice(0, 2))
          found.push(
            this.#read(
              looked,
              {
                origin,
                evidence: evidenceOf(weight, text) ?? 'unsure',
                why: `It gives “${cutText(text, 40)}”, a part of what was sent; ${chanceOf(weight)}.`,
              },
              targets.filter((target) => target.node.value === value).map((target) => ({ ...target, value: text, start, end })),
            ),
          );
        return true;
      });
    return found.slice(0, mostAgreeing);
  }

  #read(
    { handoff, otherValue }: Looked,
    { origin, evidence, why }: { origin: Origin; evidence: Candidate['evidence']; why: string },
    targets: readonly Target[],
  ): Candidate {
    const place = placeOfResponse(this.script, origin.exchange.n);
    const from = place && recordedSteps(this.script).find(({ step }) => step.id === place.step);
    const describes = describeExtractor(origin.extractor);
    const part = targets[0]?.value ?? '';
    return {
      id: `read ${origin.exchange.n} ${JSON.stringify(origin.extractor)}${part === origin.value ? '' : ` ${part}`}`,
      kind: 'read',
      sentence: `Read at step ${from?.number ?? '?'}, ${from?.step.name ?? 'which the script does not play'}: ${describes}`,
      why,
      evidence,
      inUse:
        handoff !== undefined &&
        JSON.stringify(handoff.extractor) === JSON.stringify(origin.extractor) &&
        readPlaces(handoff).some((responsePlace) => responsePlace.step === place?.step && responsePlace.hop === place.hop),
      gives: [
        { of: 'the take', value: givenBy(this.#index.matches(origin.exchange.n, origin.extractor), part) },
        ...(this.#twin && otherValue !== undefined
          ? [{ of: 'the second take', value: givenBy(this.#twin.matches(origin.exchange.n, origin.extractor), otherValue) }]
          : []),
        ...this.rehearsals.flatMap((rehearsal) => {
          const answer = place && rehearsal.steps.findLast((step) => step.step === place.step);
          const view = answer && capturedView(answer, rehearsal.readBody, place.hop);
          if (!view) return [];
          return [
            {
              of: `rehearsal ${rehearsal.number}`,
              value: givenBy(
                locateMatches(origin.extractor, view).flatMap((match) => (match.picked ? [match.value] : [])),
                part,
              ),
            },
          ];
        }),
      ],
      put: (maker) => {
        for (const target of targets)
          if (this.#answeredBefore(origin, target))
            maker.handOff(target, origin, evidence === 'proven' ? 'proven' : 'likely', `You chose where it is read. ${why}`);
      },
    };
  }

  #answeredBefore({ exchange }: Origin, { step }: Target): boolean {
    const stepOfTake = this.#steps.find((candidate) => candidate.step.id === step.id);
    return stepOfTake !== undefined && this.#index.endedMs(exchange.n) <= stepOfTake.exchange.startedAtMs + 1;
  }

  #asRecorded({ value, otherValue, handoff, stepOfTake, name, targets }: Looked): Candidate {
    const place = targets[0]?.node.place ?? '';
    const input = this.#judge.inputOf({ place, name, value }, stepOfTake, otherValue);
    const differs = otherValue !== undefined && otherValue !== value;
    const why =
      input?.kind === 'chosen'
        ? 'The form offered it for choosing, so it was a person’s choice.'
        : input?.kind === 'typed'
          ? 'It stands in a field that people fill.'
          : differs
            ? `The second take sent “${cutText(otherValue, 40)}”, so something else was right there.`
            : otherValue === undefined
              ? 'Nothing is known of another visit.'
              : 'Both takes sent it.';
    return {
      id: 'recorded',
      kind: 'recorded',
      sentence: `Send “${cutText(value, 40)}” as it was recorded`,
      why,
      evidence: input?.kind === 'chosen' || input?.kind === 'typed' || (!differs && otherValue !== undefined) ? 'likely' : 'unsure',
      inUse: handoff === undefined,
      gives: [],
      put: () => undefined,
    };
  }

  #made({ value, targets }: Looked): Candidate {
    const { made } = freshKind(value);
    return {
      id: `made ${made}`,
      kind: 'made',
      sentence: 'Make a new one in each iteration',
      why: `Right where the server takes each value only once. ${howMade[made] ?? 'Its recorded text gets another end each time'}.`,
      evidence: 'unsure',
      inUse: false,
      gives: [],
      put: (maker) => {
        for (const target of targets) maker.make(target, made, 'You chose that a new one is made each time.');
      },
    };
  }
}

/** What an extractor reads, in words: where it may take any of several, one of them, if it is there the one that was sent. */
function givenBy(matches: readonly string[], sent: string): string | null {
  const [first] = matches;
  if (first === undefined) return null;
  const shown = matches.includes(sent) ? sent : first;
  return matches.length > 1 ? `${shown}, one of ${matches.length}` : shown;
}

/**
 * The script with a handoff's uses sent as they were recorded where they sent this text. A handoff that is read anew at each page sends another
 * one elsewhere, which is none of the tester's doubt and stays.
 */
function withoutUses(script: Script, handoff: string, recorded: string): Script {
  const still = changeAllTemplates(script, (template) =>
    mapPieces(template, (piece) =>
      piece.kind === 'handoff' && piece.handoff === handoff && piece.recorded === recorded ? { kind: 'text', text: recorded } : undefined,
    ),
  );
  return usePlaces(still).has(handoff) ? still : withoutHandoff(still, handoff);
}

const withKids = (node: SentNode): SentNode[] => [node, ...node.kids.flatMap(withKids)];

const movesAt = (node: SentNode): boolean => !movingPieces(node.template).next().done;

/** A place whose value deserves a look. */
export interface DoubtfulPlace extends SourcePlace {
  number: number;
  name: string;
  value: string;
  /** `unsure` is what correlation was not sure of, `handoff` what the step that left the take read from an answer. */
  kind: 'unsure' | 'handoff';
}

/** The values about which nobody is sure, in the order in which they are sent; handoffs where a rehearsal left the take first. */
export function doubtfulPlaces(script: Script, rehearsal: Pick<Rehearsal, 'steps'> | undefined): DoubtfulPlace[] {
  const left = rehearsal?.steps.find((step) => step.verdict !== 'passed')?.step;
  const unsure = new Set(script.unsure.map((value) => `${value.step} ${value.place}`));
  // One that is sent at several places of the step is one value.
  const seen = new Set<string>();
  return recordedSteps(script).flatMap(({ step, number }) =>
    sentNodes(step)
      .flatMap(withKids)
      .flatMap((node): DoubtfulPlace[] => {
        const here = { step: step.id, number, place: node.place, name: node.name, value: node.value };
        if (unsure.has(`${step.id} ${node.place}`)) return [{ ...here, kind: 'unsure' }];
        const piece = isLeaf(node) ? [...movingPieces(node.template)].find((movingPiece) => movingPiece.kind === 'handoff') : undefined;
        if (step.id !== left || !piece || seen.has(piece.handoff)) return [];
        seen.add(piece.handoff);
        return [{ ...here, kind: 'handoff' }];
      }),
  );
}

/** What a rehearsal sent at a place, and what came of it. */
export function sentAndGot(rehearsal: Rehearsal, { step, place }: SourcePlace, readBody: BodyReader): SentAndGot {
  const rehearsedStep = rehearsal.steps.find((candidate) => candidate.step === step);
  const captured = rehearsedStep?.captured;
  return {
    rehearsal: rehearsal.id,
    number: rehearsal.number,
    sent: (captured && sentNow(captured, readBody).get(place)) ?? null,
    answer: captured ? actionKindOf(captured).answerWords(captured) : null,
    verdict: rehearsedStep?.verdict ?? 'not-sent',
    reasons: rehearsedStep
      ? [
          ...rehearsedStep.reasons,
          ...(rehearsedStep.said ?? []).filter((text) => !rehearsedStep.reasons.some((reason) => reason.includes(text))),
        ]
      : [],
  };
}
