import type { AnswerText, FailureReason } from '@sturdy/core';
import type { Outcome } from './driver.js';
import type { ActionRules } from './rules.js';
import type { Fillers } from '../values/template.js';
import type { Scope } from '../values/scope.js';

/** What every compiled action has, of whatever kind. */
export interface AnyAction {
  step: string;
  /** Tables of which a new row is dealt for it. */
  fresh: readonly string[];
}

/** What a played action came to, of whatever kind. */
export interface AnyPlayed<Observation = unknown> {
  transaction: string;
  step: string;
  startedAtMs: number;
  outcome: Outcome<Observation>;
  /** ms from its start to the first sign of an answer. */
  firstByteMs: number;
  /** False where the application gave no answer at all: nothing that follows can be proved then. */
  answered: boolean;
  /** The status that the answer carries; null where there is none. */
  status: number | null;
  /** True where the user had the answer already, and nothing was sent. */
  fromCache: boolean;
  /** What went wrong; null where the step is good. */
  failure: FailureReason | null;
  /** What checks found wrong, in sentences. */
  checks: string[];
  /** What a failed check asks for beyond counting. */
  asks: 'nothing' | 'next-iteration' | 'stop-user';
  /** Handoffs whose extractor found nothing. */
  missing: string[];
}

/** What a player needs to know of the script and of who looks on. */
export interface PlayerGround {
  rules: ActionRules;
  fill: Fillers;
  /** True where code may look at any answer before it. */
  usesCode: boolean;
  /** Steps whose answers are looked at again later. */
  keepsAnswerOf: ReadonlySet<string>;
  /** The last answers of these steps, which players put here. */
  answers: Map<string, AnswerText>;
  /** True for a rehearsal: everything is captured. */
  keepsBodies: boolean;
  /** Whether somebody looks on now who wants to see answers that nothing reads. */
  wantsBodies: () => boolean;
}

/** One virtual user's side of a kind of actions: fills them in, has its driver perform them, judges what came of it. */
export interface Player<Action extends AnyAction, Played extends AnyPlayed> {
  play: (transaction: string, action: Action, scope: Scope) => Promise<Played>;
  /** Forgets what was before, as a new visitor would not know it. */
  renew: () => void;
}
