import * as z from 'zod';
import { locateMatches } from '../extractors/locate.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { checkExtractor } from '../extractors/extract.js';
import { statusIn, type AnswerText } from '../answers/response-view.js';
import { placeOfResponse, readPlaces, recordedSteps, type Handoff, type ResponsePlace, type Script } from '../script/script.schema.js';
import { exchangesOf } from '../actions/action-kinds.js';
import { ExtractorSchema, type Extractor } from '../extractors/extractor.schema.js';
import { usePlaces } from '../script-edit/use-places.js';
import { BodyRefSchema, type BodyReader, type LoadedTake } from '../take/take.schema.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import { boundaryExtractors, expressionFor, extractorsFor } from '../correlate/find/proposals.js';
import { receivedValues } from '../correlate/find/received-values.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { ValueIndex } from '../correlate/find/value-index.js';
import { capturedView } from './captured.js';
import { answerBody } from '../take/exchanges.js';

/** What an extractor did on one response. */
export const TriedResponseSchema = z.object({
  source: z.enum(['take', 'second-take', 'rehearsal']),
  /** Number of the rehearsal, where it is one. */
  rehearsal: z.number().int().nullable(),
  step: z.string(),
  /** Null where the answer is of a kind that has none. */
  status: z.number().int().nullable(),
  body: BodyRefSchema.nullable(),
  /** The first matches with their places in the body (null for a header); `picked` is what is read. */
  matches: z.array(
    z.object({
      value: z.string(),
      span: z.object({ start: z.number().int(), end: z.number().int() }).nullable(),
      picked: z.boolean(),
    }),
  ),
  count: z.number().int(),
  /** What must be read there; null where nobody knows. */
  expected: z.string().nullable(),
  /** `read` where nobody knows what is right, `refused` where the step had failed, so that its answer proves nothing. */
  verdict: z.enum(['right', 'wrong', 'nothing', 'read', 'refused']),
});
export type TriedResponse = z.infer<typeof TriedResponseSchema>;

/** What trying an extractor gave: each response, the steps whose answers hold matches too, or why it cannot be tried. */
export const TrialSchema = z.object({
  describes: z.string(),
  tried: z.array(TriedResponseSchema),
  /** Other answers of the take in which it finds something, with how much; null where they were not asked for. */
  elsewhere: z.array(z.object({ step: z.string(), count: z.number().int() })).nullable(),
  problem: z.string().nullable(),
});
export type Trial = z.infer<typeof TrialSchema>;

/** A way to read a value, and how it did on everything at hand. */
export const ProposalSchema = z.object({
  extractor: ExtractorSchema,
  describes: z.string(),
  right: z.number().int(),
  wrong: z.number().int(),
  /** Responses on which it reads something, and nobody knows what is right. */
  read: z.number().int(),
  nothing: z.number().int(),
  inUse: z.boolean(),
});
export type Proposal = z.infer<typeof ProposalSchema>;

/** A rehearsal as extractors are tried on it. */
export interface PlayedRehearsal {
  number: number;
  steps: readonly CapturedStep[];
  /** Steps that had failed in it. */
  failed: readonly string[];
  readBody: BodyReader;
}

const mostShown = 200;
const mostProposals = 12;

/** The responses of a script at hand, recorded and replayed, on which ways to read a value are tried. */
export class Workbench {
  readonly #index: ValueIndex;
  readonly #twin: SecondTake | null;

  constructor(
    readonly script: Script,
    readonly take: LoadedTake,
    readonly second: LoadedTake | null,
    readonly rehearsals: readonly PlayedRehearsal[],
  ) {
    this.#index = ValueIndex.of(take, script);
    this.#twin = second && new SecondTake(take, second);
  }

  /** Tries a way to read the value of a handoff on every response it is read from; `everywhere` asks for the other answers too. */
  try(handoff: Handoff, extractor: Extractor, everywhere = false): Trial {
    const describes = describeExtractor(extractor);
    try {
      checkExtractor(extractor);
      const places = readPlaces(handoff);
      return {
        describes,
        tried: places.flatMap((place, at) => this.#tryAt(place, handoff, extractor, at === 0)),
        elsewhere: everywhere ? this.#elsewhere(places, extractor) : null,
        problem: null,
      };
    } catch (error) {
      return { describes, tried: [], elsewhere: null, problem: `This cannot be read with: ${messageOf(error)}` };
    }
  }

  /** Ways to read the value of a handoff from its origin: those right on everything first, then those that depend on the least. */
  proposals(handoff: Handoff): Proposal[] {
    const [place] = readPlaces(handoff);
    const n = place && this.#exchangeAt(place);
    const view = n === undefined ? undefined : this.#index.view(n);
    if (!view || n === undefined) return [];
    const typed = this.#index.typedBefore(this.#index.endedMs(n));
    const wants = { has: (value: string) => value === handoff.recorded, mayBeIn: () => true, mayBeAnywhereIn: () => true };
    const received = receivedValues(view, wants);
    const ranked = received
      .sort((left, right) => left.rank + (left.listed ? 20 : 0) - (right.rank + (right.listed ? 20 : 0)))
      .flatMap((value) => extractorsFor(value, handoff.recorded, view, () => typed));
    const expression = expressionFor(view, handoff.recorded);
    const all = [handoff.extractor, ...ranked, ...boundaryExtractors(view, handoff.recorded), ...(expression ? [expression] : [])];
    const unique = [...new Map(all.map((extractor) => [JSON.stringify(extractor), extractor])).values()].slice(0, mostProposals);
    const inUse = JSON.stringify(handoff.extractor);
    const proposals = unique.map((extractor): Proposal => {
      const { tried, describes } = this.try(handoff, extractor);
      const count = (verdict: TriedResponse['verdict']) => tried.filter((response) => response.verdict === verdict).length;
      return {
        extractor,
        describes,
        right: count('right'),
        wrong: count('wrong'),
        read: count('read'),
        nothing: count('nothing'),
        inUse: JSON.stringify(extractor) === inUse,
      };
    });
    return proposals.sort((left, right) => left.wrong + left.nothing - (right.wrong + right.nothing));
  }

  #exchangeAt({ step, hop }: ResponsePlace): number | undefined {
    const requestStep = recordedSteps(this.script).find((numberedStep) => numberedStep.step.id === step)?.step;
    const chain = requestStep ? exchangesOf(requestStep) : [];
    return hop === undefined ? chain.at(-1) : chain[hop];
  }

  #tryAt(place: ResponsePlace, handoff: Handoff, extractor: Extractor, isOrigin: boolean): TriedResponse[] {
    const found: TriedResponse[] = [];
    const n = this.#exchangeAt(place);
    const exchange = this.take.exchanges.find((candidate) => candidate.n === n);
    const view = n === undefined ? undefined : this.#index.view(n);
    if (view && n !== undefined)
      found.push(
        tried(
          'take',
          null,
          place.step,
          view,
          exchange ? answerBody(exchange) : null,
          extractor,
          isOrigin ? handoff.recorded : null,
          undefined,
        ),
      );
    const twin = n === undefined ? undefined : this.#twin?.partnerOf(n);
    if (twin)
      found.push(
        tried(
          'second-take',
          null,
          place.step,
          twin.view,
          answerBody(twin.exchange),
          extractor,
          isOrigin ? this.#valueInSecond(handoff) : null,
          (text) => this.#twin?.textFor(text) ?? text,
        ),
      );
    for (const rehearsal of this.rehearsals) {
      const step = rehearsal.steps.findLast((captured) => captured.step === place.step);
      const replayed = step && capturedView(step, rehearsal.readBody, place.hop);
      if (replayed) {
        const triedResponse = tried(
          'rehearsal',
          rehearsal.number,
          place.step,
          replayed,
          capturedBody(step, place.hop),
          extractor,
          null,
          undefined,
        );
        found.push(rehearsal.failed.includes(place.step) ? { ...triedResponse, verdict: 'refused' } : triedResponse);
      }
    }
    return found;
  }

  /** What the second take sent where this handoff is used: what must be read in its response. */
  #valueInSecond(handoff: Handoff): string | null {
    for (const use of usePlaces(this.script).get(handoff.id) ?? []) {
      const step = recordedSteps(this.script).find((numberedStep) => numberedStep.step.id === use.step)?.step;
      const n = step?.exchange;
      if (n == null) continue;
      // A part of a value, or a wrapped one, does not show what was read.
      if (this.#index.sends(n, handoff.recorded)) {
        const otherValue = this.#twin?.valueAt(n, use.place);
        if (otherValue !== undefined) return otherValue;
      }
    }
    return null;
  }

  #elsewhere(places: readonly ResponsePlace[], extractor: Extractor): Trial['elsewhere'] {
    const exchangesRead = new Set(places.map((place) => this.#exchangeAt(place)));
    return this.take.exchanges.flatMap((exchange) => {
      const view = exchangesRead.has(exchange.n) ? undefined : this.#index.view(exchange.n);
      const step = placeOfResponse(this.script, exchange.n)?.step;
      const count = view && step !== undefined ? locateMatches(extractor, view).length : 0;
      return count > 0 && step !== undefined ? [{ step, count }] : [];
    });
  }
}

function tried(
  source: TriedResponse['source'],
  rehearsal: number | null,
  step: string,
  view: AnswerText,
  body: TriedResponse['body'],
  extractor: Extractor,
  expected: string | null,
  textFor: ((text: string) => string) | undefined,
): TriedResponse {
  const ownExtractor =
    textFor && extractor.beside
      ? { ...extractor, beside: extractor.beside.map((piece) => (piece.kind === 'text' ? { ...piece, text: textFor(piece.text) } : piece)) }
      : extractor;
  const matches = locateMatches(ownExtractor, view);
  const picked = matches.filter((match) => match.picked).map((match) => match.value);
  const verdict = picked.length === 0 ? 'nothing' : expected === null ? 'read' : picked.includes(expected) ? 'right' : 'wrong';
  // What is read is shown in any case, however far down it stands.
  const shown = [
    ...matches.slice(0, mostShown),
    ...matches
      .slice(mostShown)
      .filter((match) => match.picked)
      .slice(0, 1),
  ];
  return { source, rehearsal, step, status: statusIn(view), body, matches: shown, count: matches.length, expected, verdict };
}

/** The stored body of a played answer, or that of a redirect on the way. */
function capturedBody(captured: CapturedStep, hop: number | undefined): TriedResponse['body'] {
  if (captured.kind === 'message') return captured.answer;
  if (captured.kind !== 'request') return null;
  return (hop === undefined ? captured.response : captured.hops?.[hop])?.body ?? null;
}

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
