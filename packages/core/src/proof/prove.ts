import { cutText } from '../cut-text.js';
import type { LoadedTake } from '../take/take.schema.js';
import { pathAndQuery } from '../take/messages.js';
import type { AnswerText } from '../answers/response-view.js';
import { recordedSteps, type Handoff, type Script } from '../script/script.schema.js';
import { sentLeaves } from '../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import { isStill, movingPieces } from '../values/template.js';
import { usePlaces } from '../script-edit/use-places.js';
import { visitStill, type StepOfTake } from '../correlate/find/candidates.js';
import { Judge } from '../correlate/decide/judge.js';
import { isBareId, sameThing } from '../correlate/find/naming.js';
import { readsAsTyped } from '../correlate/find/person-inputs.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { isTokenName, namesThing } from '../correlate/find/shapes.js';
import { ValueIndex } from '../correlate/find/value-index.js';
import { isWeak } from '../correlate/find/wanted.js';
import { PatternBook } from '../correlate/weigh/pattern-match.js';
import { publishedPatterns } from '../patterns/published.js';
import type { Captured } from '../rehearse/captured.js';
import { masked, shownTexts } from '../rehearse/said.js';
import type { OpenPoint, Proof } from '../rehearse/proof.schema.js';
import { layOut, ledTo, type LaidStep } from './laid-step.js';
import { shows, showsAs, timesShown } from './shown.js';
import { actionKindOf } from '../actions/action-kinds.js';

/**
 * Whether two rehearsals in a row that passed did what the takes did: things of their own were made, what was sent is shown by them, and
 * nothing of the take is still sent that should have moved. Without a second rehearsal nothing is proven.
 */
export function prove(script: Script, loaded: LoadedTake, second: LoadedTake | null, rehearsals: readonly Captured[]): Proof {
  return new Prover(script, loaded, second, rehearsals).proof();
}

class Prover {
  readonly #steps: LaidStep[];
  readonly #twin: SecondTake | null;
  readonly #judge: Judge;
  readonly #index: ValueIndex;
  /** What is sent together with a password. */
  readonly #credentials: Set<string>;
  readonly #open: OpenPoint[] = [];
  readonly #made: Proof['made'] = [];
  readonly #changed: Proof['changed'] = [];
  /** Things that each rehearsal made, with their ids in it. */
  readonly #madeHandoffs: { handoff: Handoff; now: string[] }[] = [];
  /** Texts that were another one in each rehearsal, and that answers showed. */
  readonly #fresh: { recorded: string; now: string[] }[] = [];

  constructor(
    readonly script: Script,
    loaded: LoadedTake,
    second: LoadedTake | null,
    readonly rehearsals: readonly Captured[],
  ) {
    this.#twin = second && new SecondTake(loaded, second);
    this.#index = ValueIndex.of(loaded, script, this.#twin?.moving);
    this.#judge = new Judge(loaded, this.#index, this.#twin, new PatternBook(publishedPatterns));
    this.#credentials = new Set(
      recordedSteps(script)
        .map(({ step }) => sentLeaves(step))
        .filter((nodes) => nodes.some(isPassword) && nodes.length <= mostInSignIn)
        .flatMap((nodes) => nodes.map((node) => node.value)),
    );
    this.#steps = layOut(script, loaded, this.#twin, rehearsals);
  }

  proof(): Proof {
    this.#thingsMade();
    this.#ledToNew();
    this.#stillRecorded();
    this.#overwritten();
    this.#shownAgain();
    this.#effects();
    if (this.rehearsals.length < 2)
      this.#open.push({
        step: null,
        number: 0,
        kind: 'once',
        sentence: 'It was rehearsed once only. What can be used only once shows the second time.',
        advice: 'Rehearse twice in a row.',
      });
    const acts = this.#steps.filter((step) => this.#isAct(step));
    const [first] = acts;
    if (first && this.#made.length === 0 && this.#changed.length === 0 && this.#open.length === 0)
      this.#open.push({
        step: first.step.id,
        number: first.number,
        kind: 'unseen',
        sentence: `No answer shows what step ${first.number} and those after it did.`,
        advice: 'Add a check for what the answer should say, or a step that looks at the thing.',
      });
    return { state: this.#open.length === 0 ? 'proven' : 'unproven', made: this.#made, changed: this.#changed, open: this.#open };
  }

  /** A step by which a person changes something: no reading, no signing in or out. */
  #isAct({ step, stepOfTake }: LaidStep): boolean {
    if (!actionKindOf(step).mayChange(step) || stepOfTake === undefined) return false;
    const nodes = sentLeaves(step);
    if (nodes.some(isPassword) && nodes.length <= mostInSignIn) return false;
    if (/log-?(in|out|on|off)|sign-?(in|out|on|off)|\/(oauth2?|token|auth|session)s?\b/i.test(pathAndQuery(stepOfTake.exchange.url)))
      return false;
    return nodes.some((node) => this.#isInput(node, stepOfTake) || !isStill(node.template));
  }

  /** A value that a person typed or chose: the form says so, or it was sent before any answer gave it and reads as people write. */
  #isInput(node: SentNode, stepOfTake: StepOfTake): boolean {
    const otherValue = this.#twin?.valueAt(stepOfTake.exchange.n, node.place);
    // What both takes gave alike, or what signs in, is no news that an answer could show.
    if (otherValue === node.value || this.#credentials.has(node.value)) return false;
    const input = this.#judge.inputOf(node, stepOfTake, otherValue);
    if (input) return input.kind === 'typed' || input.kind === 'chosen';
    if (/^(path|header|cookie):/.test(node.place) || node.isName || node.value.length < 2) return false;
    const origins = this.#index.origins(node.value, node.name, stepOfTake.exchange, true);
    if (origins.length === 0) return readsAsTyped(node.value) && !this.#judge.isClock(node.value, stepOfTake);
    const judged = this.#judge.judge({ value: node.value, name: node.name, place: node.place }, origins, otherValue, stepOfTake);
    return judged.kind === 'chosen' || judged.kind === 'typed';
  }

  /** What a person gave to this act and to none before it. */
  #newInputs(act: LaidStep): SentNode[] {
    const { stepOfTake } = act;
    if (!stepOfTake) return [];
    const before = new Set(
      this.#steps.filter((step) => step.number < act.number).flatMap((step) => sentLeaves(step.step).map((node) => node.value)),
    );
    return sentLeaves(act.step).filter((node) => node.value !== '' && !before.has(node.value) && this.#isInput(node, stepOfTake));
  }

  /** Each thing that the take made has to be another one in each rehearsal, and to be shown where the take showed its own. */
  #thingsMade(): void {
    const uses = usePlaces(this.script);
    for (const handoff of this.script.handoffs) {
      const maker = this.#makerOf(handoff, uses.get(handoff.id)?.map((place) => place.place) ?? []);
      if (!maker) continue;
      const values = this.rehearsals.map((_, at) => this.#valueIn(handoff, at, uses.get(handoff.id) ?? []));
      const known = values.filter((value) => value !== undefined);
      if (known.length < this.rehearsals.length) continue;
      const all = [handoff.recorded, ...known];
      if (new Set(all).size < all.length) {
        this.#open.push({
          step: maker.step.id,
          number: maker.number,
          kind: 'not-new',
          sentence: `Step ${maker.number} made ${handoff.name} “${cutText(handoff.recorded, 40)}” in the take; ${known.length > 1 && known[0] === known[1] ? `both rehearsals got “${cutText(known[0] ?? '', 40)}”` : `the rehearsal got “${cutText(known.find((value) => value === handoff.recorded) ?? '', 40)}” again`}, so nothing new was made.`,
          advice: 'What is typed there may have to be new each time: bind it to data, or let it be made anew.',
        });
        continue;
      }
      const hidden = this.#notShown(handoff.recorded, known, maker.number);
      if (hidden) {
        this.#open.push({
          step: hidden.step.id,
          number: hidden.number,
          kind: 'not-shown',
          sentence: `Step ${hidden.number} showed ${handoff.name} “${cutText(handoff.recorded, 40)}” in the take; the rehearsal's own “${cutText(known[0] ?? '', 40)}” is not shown there.`,
          advice: 'Look at the answer of that step: it may show the thing of the take.',
        });
        continue;
      }
      this.#madeHandoffs.push({ handoff, now: known });
      this.#made.push({
        step: maker.step.id,
        number: maker.number,
        what: `made ${handoff.name} ${known.map((value) => cutText(value, 40)).join(', then ')}`,
      });
    }
  }

  /** What a person wrote, and what no answer of the take had shown before, must not be replaced by what an answer gives now. */
  #overwritten(): void {
    for (const { step, number, stepOfTake } of this.#steps)
      for (const node of stepOfTake ? sentLeaves(step) : []) {
        const piece = [...movingPieces(node.template)].find((movingPiece) => movingPiece.kind === 'handoff');
        const isWritten = !node.isName && /\s/.test(node.value) && readsAsTyped(node.value);
        if (!stepOfTake || piece?.recorded !== node.value || !isWritten || this.#index.wasReceived(node.value, stepOfTake.exchange))
          continue;
        if (
          this.#steps.some(
            (laidStep) => laidStep.number < number && sentLeaves(laidStep.step).some((before) => before.value === node.value),
          )
        )
          continue;
        this.#open.push({
          step: step.id,
          number,
          kind: 'overwritten',
          about: { place: node.place, value: node.value },
          sentence: `Step ${number} sent ${node.name} “${cutText(node.value, 40)}” in the take, which reads as if a person wrote it, and no answer had shown it; now it sends what an answer gives.`,
          advice: 'Send it as recorded again, or take it from data.',
        });
      }
  }

  /** An act that leads on to the page of what it made leads to another page each time, as it did in both takes. */
  #ledToNew(): void {
    for (const act of this.#steps) {
      if (!this.#isAct(act) || this.#made.some((effect) => effect.number === act.number)) continue;
      const recorded = ledTo(act.recorded);
      const now = act.replays.map((replay) => ledTo(replay.views));
      if (recorded === undefined || now.some((target) => target === undefined)) continue;
      const all = [recorded, ...now.filter((target) => target !== undefined)];
      const parts = all.map((target) => target.split(/[/?#&=]/));
      const at = (parts[0] ?? []).findIndex((part, place) => parts.some((otherPart) => otherPart[place] !== part));
      if (at < 0) continue;
      const values = parts.map((part) => part[at] ?? '');
      if (new Set(values).size === values.length && values.every((value) => /\d/.test(value) || value.length >= 8))
        this.#made.push({
          step: act.step.id,
          number: act.number,
          what: `led to ${now.map((target) => cutText(target ?? '', 60)).join(', then ')}`,
        });
    }
  }

  /** The step that made the thing which a handoff names; undefined where the handoff names none, such as a token of the session. */
  #makerOf(handoff: Handoff, places: readonly string[]): LaidStep | undefined {
    if (isTokenName(handoff.name) || handoff.recorded.length > 64) return undefined;
    const names = places.map((place) => /([^:/[\]]+)(?:\[\d+\])?$/.exec(place)?.[1] ?? '');
    const isId = places.some((place) => place.startsWith('path:')) || names.some((name) => isBareId(name) || namesThing(name));
    if (!isId) return undefined;
    // One that was picked from a list was there before.
    if ('pick' in handoff.extractor && handoff.extractor.pick === 'any') return undefined;
    const origin = this.#steps.find((step) => step.step.id === handoff.origin);
    if (!origin) return undefined;
    // What the act itself sends was there before it.
    const sent = this.#steps.filter((step) => step.number <= origin.number && this.#isAct(step)).flatMap((step) => sentLeaves(step.step));
    const isSameThing = (node: SentNode): boolean => !isWeak(node.value) || names.some((name) => sameThing(name, node.name));
    if (sent.some((node) => node.value === handoff.recorded && isStill(node.template) && isSameThing(node))) return undefined;
    const isNew = isWeak(handoff.recorded) || this.#isNewAt(handoff.recorded, origin);
    if (this.#isAct(origin)) return isNew ? origin : undefined;
    // Elsewhere it stands in the row of what the act sent, or on a page that was not there before the act.
    if (!handoff.extractor.beside && isWeak(handoff.recorded)) return undefined;
    return isNew ? [...this.#steps].reverse().find((step) => step.number < origin.number && this.#isAct(step)) : undefined;
  }

  /** True where no answer shows a value before the act that could have made it, and no request sends it. */
  #isNewAt(value: string, origin: LaidStep): boolean {
    const act = this.#isAct(origin) ? origin : [...this.#steps].reverse().find((step) => step.number < origin.number && this.#isAct(step));
    if (!act) return false;
    return this.#steps
      .filter((step) => step.number < act.number)
      .every((step) => !step.recorded.some((view) => shows(view, value)) && !sentLeaves(step.step).some((node) => node.value === value));
  }

  #valueIn(handoff: Handoff, rehearsal: number, places: readonly { step: string; place: string }[]): string | undefined {
    for (const { step, place } of places) {
      const laid = this.#steps.find((laidStep) => laidStep.step.id === step);
      const recorded = laid && sentLeaves(laid.step).find((node) => node.place === place);
      const now = laid?.replays[rehearsal]?.sent.get(place);
      if (now === undefined || !recorded) continue;
      if (recorded.value === handoff.recorded) return now;
    }
    return undefined;
  }

  /** The first step after `from` that showed a value in both takes and does not show the one of each rehearsal. */
  #notShown(recorded: string, now: readonly string[], from: number): LaidStep | undefined {
    if (isWeak(recorded)) return undefined;
    return this.#steps.find(
      (step) =>
        step.number > from &&
        step.recorded.some((view) => shows(view, recorded)) &&
        step.replays.some(({ views }, at) => views.length > 0 && !views.some((view) => shows(view, now[at] ?? ''))),
    );
  }

  /** What differs between the takes moves; what of it is still sent as recorded and was not typed or chosen proves nothing. */
  #stillRecorded(): void {
    const twin = this.#twin;
    if (!twin) return;
    for (const { stepOfTake, step, number } of this.#steps) {
      if (!stepOfTake) continue;
      visitStill(step, (node) => {
        const otherValue = twin.valueAt(stepOfTake.exchange.n, node.place);
        if (!isLeaf(node) || node.isName || otherValue === undefined || otherValue === node.value) return false;
        const input = this.#judge.inputOf(node, stepOfTake, otherValue);
        if (input?.kind === 'typed' || input?.kind === 'chosen') return false;
        const origins = this.#index.origins(node.value, node.name, stepOfTake.exchange, true);
        const sent = { value: node.value, name: node.name, place: node.place };
        const judged = this.#judge.judge(sent, origins, otherValue, stepOfTake);
        if (judged.kind === 'typed' || judged.kind === 'chosen') return false;
        // However weak the evidence, what an answer gives in both takes may move; what none gives was a person's.
        if (
          this.#judge.weighed(sent, origins, otherValue, stepOfTake).length === 0 &&
          !this.#hasMovingPart(node, stepOfTake) &&
          judged.kind !== 'handoff'
        )
          return false;
        this.#open.push({
          step: step.id,
          number,
          kind: 'still-recorded',
          about: { place: node.place, value: node.value },
          sentence: `Step ${number} sends “${cutText(node.value, 40)}” (${node.place}) as it was recorded, and the second take sent another.`,
          advice: 'Hand it off, bind it to data, or say that it stays.',
        });
        return false;
      });
    }
  }

  /** True where a part of a value is what a handoff of the script reads, so that it moves. */
  #hasMovingPart(node: SentNode, stepOfTake: StepOfTake): boolean {
    return this.script.handoffs.some(
      (handoff) =>
        !isWeak(handoff.recorded) &&
        handoff.recorded !== node.value &&
        node.value.includes(handoff.recorded) &&
        !this.#index.isEcho(node.value, stepOfTake.exchange),
    );
  }

  /** What a person gave to an act and the take showed afterwards has to be shown by the rehearsals, too. */
  #shownAgain(): void {
    for (const act of this.#steps) {
      const { stepOfTake } = act;
      if (!stepOfTake || !this.#isAct(act)) continue;
      const inputs = this.#newInputs(act);
      if (inputs.length === 0) continue;
      let seen = 0;
      let untied: { input: SentNode; laid: LaidStep | undefined } | undefined;
      for (const input of inputs) {
        const echoes = this.#echoesOf(input, act);
        if (echoes.length === 0) continue;
        const now = act.replays.map((replay) => replay.sent.get(input.place));
        const lost = echoes.find(({ laid, named }) =>
          laid.replays.some(({ views }, at) => {
            const value = now[at];
            return (
              value !== undefined &&
              views.length > 0 &&
              !views.some((view) => (named ? showsAs(view, input.name, value) : shows(view, value)))
            );
          }),
        );
        if (lost) {
          seen++;
          this.#open.push({
            step: lost.laid.step.id,
            number: lost.laid.number,
            kind: 'not-shown',
            about: { place: input.place, value: input.value },
            sentence: `Step ${act.number} sent “${cutText(now[0] ?? input.value, 40)}” (${input.name}), and step ${lost.laid.number} does not show it as it did in the take.`,
            advice: 'Compare the two answers of that step: the change may not have reached the thing that is shown.',
          });
          continue;
        }
        const fresh =
          now.length > 0 && now.every((value) => value !== undefined && value !== input.value) && new Set(now).size === now.length;
        const grown = echoes.find(({ laid, named }) => !named && this.#grows(laid, input.value, now));
        if (grown) {
          this.#made.push({
            step: act.step.id,
            number: act.number,
            what: `made one thing more each time: step ${grown.laid.number} shows “${cutText(input.value, 40)}” once more often`,
          });
          seen++;
        } else if (fresh || this.#isOfOwnThing(act) || echoes.some(({ laid }) => this.#isOfOwnThing(laid))) {
          this.#changed.push({
            step: act.step.id,
            number: act.number,
            what: `${input.name} “${cutText(now[0] ?? input.value, 40)}” is shown by step ${echoes[0]?.laid.number ?? 0}`,
          });
          if (fresh) this.#fresh.push({ recorded: input.value, now: now.filter((value) => value !== undefined) });
          seen++;
        } else untied ??= { input, laid: echoes[0]?.laid };
      }
      if (seen > 0 || this.#made.some((effect) => effect.number === act.number)) continue;
      if (untied) {
        this.#open.push({
          step: act.step.id,
          number: act.number,
          kind: 'unseen',
          sentence: `Step ${untied.laid?.number ?? act.number} shows “${cutText(untied.input.value, 40)}”, which step ${act.number} sent, but nothing shows that it is of the thing that this rehearsal made and not of the recorded one.`,
          advice: 'Let what is typed there be new each time, or record a step that opens the thing by its id.',
        });
        continue;
      }
      this.#open.push({
        step: act.step.id,
        number: act.number,
        kind: 'unseen',
        sentence: `No later answer of the take shows what step ${act.number} sent (${inputs
          .slice(0, 3)
          .map((input) => `“${cutText(input.value, 24)}”`)
          .join(', ')}), so nobody can see whether it arrived.`,
        advice: 'Record a step that looks at the thing, or add a check for what the answer should say.',
      });
    }
  }

  /**
   * An act to which a person gave nothing new, such as a release at the press of a button: the words that the take's answers had from then on,
   * and none before, have to stand in those of the rehearsals as well.
   */
  #effects(): void {
    for (const act of this.#steps) {
      if (!this.#isAct(act) || this.#newInputs(act).length > 0) continue;
      const next = this.#steps.find((step) => step.number > act.number && this.#isAct(step))?.number ?? Infinity;
      const before = new Set(
        this.#steps
          .filter((step) => step.number < act.number)
          .flatMap((step) => step.recorded.flatMap(shownTexts))
          .map(masked),
      );
      for (const laid of this.#steps.filter((step) => step.number >= act.number && step.number < next)) {
        const now = laid.replays.map(({ views }) => new Set(views.flatMap(shownTexts).map(masked)));
        if (now.length === 0 || laid.replays.some(({ views }) => views.length === 0)) continue;
        const otherTexts = laid.other && new Set(shownTexts(laid.other).map(masked));
        const news = [...new Set(laid.recorded.flatMap(shownTexts))].filter(
          (text) =>
            !before.has(masked(text)) &&
            /\p{L}{4}/u.test(text) &&
            (otherTexts === undefined || otherTexts.has(masked(text))) &&
            !this.#moves(text),
        );
        const lost = news.filter((text) => now.some((texts) => !texts.has(masked(text))));
        if (news.length === 0 || lost.length * 2 < news.length) continue;
        this.#open.push({
          step: laid.step.id,
          number: laid.number,
          kind: 'not-shown',
          sentence: `Step ${laid.number} showed ${lost
            .slice(0, 3)
            .map((text) => `“${cutText(text, 40)}”`)
            .join(', ')} after step ${act.number} in the take, and does not now.`,
          advice: 'Compare the two answers of that step: what was done before it may not have been taken.',
        });
        break;
      }
    }
  }

  /** True for a text that holds what is another one on each visit by what the script knows. */
  #moves(text: string): boolean {
    return [...this.script.handoffs, ...this.script.made].some(({ recorded }) => recorded.length >= 3 && text.includes(recorded));
  }

  /** Steps after an act whose recorded answers show what it sent, while none before it did. */
  #echoesOf(input: SentNode, act: LaidStep): { laid: LaidStep; named: boolean }[] {
    const isLong = input.value.length >= 4 && !isWeak(input.value);
    const before = this.#steps.filter((step) => step.number < act.number);
    const after = this.#steps.filter((step) => step.number >= act.number);
    const find = (holds: (view: AnswerText) => boolean, named: boolean) =>
      before.some((step) => step.recorded.some(holds))
        ? []
        : after.filter((step) => step.recorded.some(holds)).map((laid) => ({ laid, named }));
    // What was typed elsewhere, such as the changed name, may hold this one.
    const longer = isLong
      ? [...new Set(this.#steps.flatMap((step) => sentLeaves(step.step).map((node) => node.value)))].filter(
          (text) => text.length > input.value.length && text.includes(input.value),
        )
      : [];
    const plain = isLong ? find((view) => shows(view, input.value, longer), false) : [];
    return plain.length > 0 ? plain : find((view) => showsAs(view, input.name, input.value), true);
  }

  /** True where a step shows a text once more often with each visit: the take, the first rehearsal, the second. */
  #grows(laid: LaidStep, value: string, now: readonly (string | undefined)[]): boolean {
    if (now.some((nowSent) => nowSent !== value) || laid.replays.length < 2) return false;
    const counts = [laid.recorded, ...laid.replays.map((replay) => replay.views)].map((views) =>
      views.reduce((sum, view) => sum + timesShown(view, value), 0),
    );
    return counts.every((count, at) => at === 0 || count > (counts[at - 1] ?? 0));
  }

  /** True for a step that asks for a thing which the rehearsal made, or that shows it. */
  #isOfOwnThing({ step, replays }: LaidStep): boolean {
    // An answer named the thing by what was new in this rehearsal, and this step asks for it by that.
    const asksForFresh = sentLeaves(step).some(
      ({ template, place, value }) =>
        [...movingPieces(template)].every((piece) => piece.kind === 'handoff') &&
        !isStill(template) &&
        this.#fresh.some(
          ({ recorded, now }) =>
            value !== recorded &&
            value.includes(recorded) &&
            replays.length > 0 &&
            replays.every(({ sent }, at) => now[at] !== undefined && sent.get(place) === value.replaceAll(recorded, now[at])),
        ),
    );
    if (asksForFresh) return true;
    return this.#madeHandoffs.some(({ handoff, now }) => {
      // Whatever read it: where the take sent its own id, each rehearsal sent the one of what it had made.
      const isSent = sentLeaves(step).some(
        (node) =>
          node.value === handoff.recorded && replays.length > 0 && replays.every(({ sent }, at) => sent.get(node.place) === now[at]),
      );
      return isSent || (!isWeak(handoff.recorded) && replays.every(({ views }, at) => views.some((view) => shows(view, now[at] ?? ''))));
    });
  }
}

const isPassword = (node: SentNode): boolean => /pass(word|wd|phrase)?\d?$|^pwd$/i.test(node.name) && node.value !== '';
/** A request with a password and more values than this makes an account rather than signing in. */
const mostInSignIn = 12;
