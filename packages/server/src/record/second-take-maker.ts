import {
  answeredOtherwise,
  causesOf,
  gestureWords,
  planSecondTake,
  type Environment,
  type Exchange,
  type Gesture,
  type MadeSecondTake,
  type PlannedGesture,
  type PlayingProgress,
  type Take,
} from '@sturdy/core';
import type { GestureOutcome, GestureStage } from '@sturdy/engine/browser';
import seedrandom from 'seedrandom';
import type { Compute, TypedTexts } from '../compute/tasks.js';
import type { LiveHub } from '../live/live-hub.js';
import { notFound, Problem } from '../problem/problem.js';
import type { StoredTake } from '../store/repository.js';
import type { Store } from '../store/store-client.js';
import { usualBodyLimitBytes, type Recorder } from './recorder.js';

/** ms for which an element is waited for. */
const elementMs = 8000;
/** Times that a take is begun anew, each with fewer other values. */
const mostRounds = 8;

/** What one attempt came to. */
interface Attempt {
  take: Take;
  /** Gestures that were played, and the place of the one that could not be; null where all were. */
  outcomes: GestureOutcome[];
  failedAt: number | null;
  failure: string | null;
}
interface Making {
  takeId: string;
  isCanceled: boolean;
  /** Set while a person does something by hand; true to go on. */
  answer: ((goesOn: boolean) => void) | null;
}

/** Makes second takes: plays the gestures of a take in a clean browser through the recorder, with other values where a person was free. */
export class SecondTakeMaker {
  #making: Making | null = null;

  constructor(
    readonly store: Store,
    readonly compute: Pick<Compute, 'typedTexts'>,
    readonly recorder: Recorder,
    readonly live: Pick<LiveHub, 'tell'>,
  ) {}

  /** Throws a problem where the take is not there or has no gestures, or something else is recorded. `inWindow`: a person can help. */
  async make(takeId: string, environment: Environment, inWindow: boolean): Promise<MadeSecondTake> {
    if (this.#making) throw new Problem(409, 'A second take is being made', 'One at a time: wait for it, or cancel it.');
    const making: Making = { takeId, isCanceled: false, answer: null };
    this.#making = making;
    try {
      const stored = await this.store.loadTake(takeId);
      if (!stored) throw notFound('take', takeId);
      const { take } = stored;
      const gestures = take.gestures ?? [];
      if (gestures.length === 0)
        throw new Problem(
          422,
          'This take has no gestures',
          'Gestures are recorded in the clean browser of the recording room. Record the take there, or record the second take by hand.',
        );
      return await this.#rounds(stored, gestures, await this.compute.typedTexts(stored), environment, inWindow, making);
    } finally {
      this.#making = null;
    }
  }

  /** What a person did by hand is done, or nobody will do it. Throws a problem where nothing waits. */
  answer(takeId: string, goesOn: boolean): void {
    if (this.#making?.takeId !== takeId || !this.#making.answer)
      throw new Problem(409, 'Nothing waits for you', 'The second take is not being made, or goes on by itself.');
    this.#making.answer(goesOn);
  }

  /** Gives the making up; what was recorded is thrown away. */
  cancel(takeId: string): boolean {
    if (this.#making?.takeId !== takeId) return false;
    this.#making.isCanceled = true;
    this.#making.answer?.(false);
    return true;
  }

  async #rounds(
    { take, exchanges }: StoredTake,
    gestures: readonly Gesture[],
    { secrets, lookups }: TypedTexts,
    environment: Environment,
    inWindow: boolean,
    making: Making,
  ): Promise<MadeSecondTake> {
    const caused = new Map<number, Exchange[]>();
    const causes = causesOf(gestures, exchanges);
    for (const exchange of exchanges) {
      const cause = causes.get(exchange.n) ?? 0;
      const known = caused.get(cause);
      if (known) known.push(exchange);
      else caused.set(cause, [exchange]);
    }
    const secretOf = ({ n }: Gesture): string | null => secrets[n] ?? null;
    /** What is played as recorded for good, what is tried so in this round, and what is tried next, the nearest to the failing gesture first. */
    const settled = new Set(lookups);
    let tried: number | null = null;
    let next: number[] = [];
    let best: { attempt: Attempt; planned: PlannedGesture[]; asRecorded: Set<number> } | null = null;
    for (let round = 1; ; round++) {
      const asRecorded = new Set([...settled, ...(tried === null ? [] : [tried])]);
      // What an earlier round has entered may be taken now.
      const planned = planSecondTake(gestures, { random: seedrandom(`${take.id} ${round}`), asRecorded, secretOf });
      const attempt = await this.#attempt(take, planned, environment, { caused, inWindow, round, making });
      const reached = attempt.failedAt ?? planned.length;
      if (!best || reached > (best.attempt.failedAt ?? planned.length)) {
        if (best) await this.store.deleteTake(best.attempt.take.id);
        best = { attempt, planned, asRecorded };
        if (tried !== null) settled.add(tried);
        next = suspectsOf(planned, reached);
      } else await this.store.deleteTake(attempt.take.id);
      if (best.attempt.failedAt === null || making.isCanceled || round >= mostRounds) return this.#told(best, round, making);
      tried = next.shift() ?? null;
      if (tried !== null) continue;
      // What no value alone explains is tried with all of them as recorded, once.
      const all = suspectsOf(best.planned, best.attempt.failedAt).filter((n) => !settled.has(n));
      if (all.length === 0) return this.#told(best, round, making);
      for (const n of all) settled.add(n);
    }
  }

  async #told(
    { attempt, planned, asRecorded }: { attempt: Attempt; planned: readonly PlannedGesture[]; asRecorded: ReadonlySet<number> },
    rounds: number,
    making: Making,
  ): Promise<MadeSecondTake> {
    const failed = attempt.failedAt === null ? null : planned[attempt.failedAt];
    const isKept = attempt.outcomes.length > 1 && !making.isCanceled;
    if (!isKept) await this.store.deleteTake(attempt.take.id);
    const told = (places: readonly number[]) =>
      places.flatMap((at) => {
        const [plan, outcome] = [planned[at], attempt.outcomes[at]];
        return plan ? [{ n: plan.gesture.n, words: gestureWords({ ...plan.gesture, act: outcome?.act ?? plan.act }) }] : [];
      });
    const placesOf = (isWanted: (plan: PlannedGesture, outcome: GestureOutcome) => boolean): number[] =>
      planned.flatMap((plan, at) => {
        const outcome = attempt.outcomes[at];
        return outcome && isWanted(plan, outcome) ? [at] : [];
      });
    return {
      take: isKept ? attempt.take : null,
      played: attempt.outcomes.length,
      total: planned.length,
      rounds,
      changed: told(placesOf(({ gesture }, { act }) => JSON.stringify(act) !== JSON.stringify(gesture.act) && !isSecret(gesture))),
      asRecorded: told(placesOf(({ gesture }) => asRecorded.has(gesture.n))),
      drifted: told(placesOf((_, outcome) => outcome.failed.length > 0)),
      failure: failed
        ? {
            n: failed.gesture.n,
            words: gestureWords(failed.gesture),
            sentence: making.isCanceled ? 'It was canceled.' : (attempt.failure ?? ''),
          }
        : null,
    };
  }

  async #attempt(
    take: Take,
    planned: readonly PlannedGesture[],
    environment: Environment,
    {
      caused,
      inWindow,
      round,
      making,
    }: { caused: ReadonlyMap<number, readonly Exchange[]>; inWindow: boolean; round: number; making: Making },
  ): Promise<Attempt> {
    const { GestureStage, openPlayerBrowser } = await import('@sturdy/engine/browser');
    const wanted = { name: `${take.name}, second take`, forNetwork: false, bodyLimitBytes: usualBodyLimitBytes, playedFrom: take.id };
    const second = await this.recorder.start(take.projectId, wanted, environment);
    const outcomes: GestureOutcome[] = [];
    let failure: string | null = null;
    let failedAt: number | null = null;
    try {
      const browser = await openPlayerBrowser({
        proxy: this.recorder.current?.proxy ?? '',
        trustedKeyHash: await (await this.recorder.authority()).leafKeyHash(),
        headless: !inWindow,
      });
      try {
        const stage: GestureStage = new GestureStage(browser.context, elementMs, seedrandom(`${take.id} choices`));
        await browser.context.newPage();
        const marks = take.marks.filter(({ kind, page }) => kind !== 'pause' && kind !== 'resume' && page !== true);
        const markUntil = async (atMs: number): Promise<void> => {
          while (marks[0] && marks[0].atMs <= atMs) {
            const mark = marks.shift();
            if (mark) await this.recorder.mark(mark.kind, mark.text);
          }
        };
        const tell = (at: number, words: string, waitsFor: string | null) => {
          const progress: PlayingProgress = { done: at, total: planned.length, round, words, waitsFor };
          this.live.tell(take.id, 'playing', progress);
        };
        for (const [at, plan] of planned.entries()) {
          if (making.isCanceled) {
            failedAt = at;
            break;
          }
          await markUntil(plan.gesture.atMs);
          const words = gestureWords(plan.gesture);
          tell(at, words, null);
          const began = Date.now();
          const outcome: GestureOutcome =
            plan.problem === null ? await stage.play(plan) : { failure: plan.problem, by: null, failed: [], act: plan.act };
          // An application that refuses a value shows its form again, and the next gestures may fit it by accident.
          outcome.failure ??= answeredOtherwise(caused.get(plan.gesture.n) ?? [], this.recorder.exchangesSince(began));
          // What other values led to is put right by a round of its own; only what is wrong without them is for a person.
          const isForPerson = outcome.failure !== null && inWindow && suspectsOf(planned, at).length === 0;
          if (isForPerson) tell(at, words, outcome.failure);
          if (outcome.failure !== null && !(isForPerson && (await goesOn(making)))) {
            [failedAt, failure] = [at, outcome.failure];
            break;
          }
          outcomes.push(outcome);
          this.recorder.noteGesture({ ...plan.gesture, act: masked(plan.gesture, outcome.act), at: began, until: Date.now() });
        }
        if (failedAt === null) await markUntil(Infinity);
      } finally {
        await browser.close();
      }
    } catch (error) {
      if (this.recorder.current?.takeId !== second.id) throw wasStopped();
      await this.store.deleteTake((await this.recorder.stop()).id);
      throw error instanceof Problem
        ? error
        : new Problem(409, 'The browser could not be used', error instanceof Error ? error.message : String(error));
    }
    if (this.recorder.current?.takeId !== second.id) throw wasStopped();
    return { take: await this.recorder.stop(), outcomes, failedAt, failure };
  }
}

const wasStopped = (): Problem =>
  new Problem(
    409,
    'The recording was stopped',
    'Somebody stopped the recording while the second take was made. What was recorded up to there is kept as a take; delete it, and make the second take again.',
  );

const isSecret = ({ act }: Gesture): boolean => act.kind === 'type' && act.isSecret;
const masked = (gesture: Gesture, act: Gesture['act']): Gesture['act'] => (isSecret(gesture) ? gesture.act : act);

const goesOn = (making: Making): Promise<boolean> =>
  new Promise((answered) => {
    making.answer = (isWished) => {
      making.answer = null;
      answered(isWished);
    };
  });

/** What was played otherwise before a gesture that failed, by number, the last one first: one of these values most likely led astray. */
const suspectsOf = (planned: readonly PlannedGesture[], failedAt: number): number[] =>
  planned
    .slice(0, failedAt)
    .filter(({ isOther, chooseAnother }) => isOther || chooseAnother)
    .map(({ gesture: { n } }) => n)
    .reverse();
