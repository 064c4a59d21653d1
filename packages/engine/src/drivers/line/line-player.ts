import { AnswerText, cutText, failureReason, signOf, type CapturedLine } from '@sturdy/core';
import type { Driver } from '../../contract/driver.js';
import { allHold, askChecks, readHandoffs } from '../../contract/judge-answer.js';
import { perform } from '../../contract/perform.js';
import type { AnyPlayed, Player, PlayerGround } from '../../contract/player.js';
import type { Scope } from '../../values/scope.js';
import type { CompiledLine } from './compile-line.js';
import type { LineAction, LineObservation } from './line-driver.js';

/** A line that was played. */
export interface PlayedLine extends AnyPlayed<LineObservation> {
  kind: 'line';
  action: LineAction;
  /** What was seen to be wrong with the answer, in sentences, where one came. */
  findings: string[];
}

/** Plays lines: fills them in, and judges the lines that answer. */
export class LinePlayer implements Player<CompiledLine, PlayedLine> {
  constructor(
    readonly driver: Driver<LineAction, LineObservation>,
    readonly ground: PlayerGround,
  ) {}

  renew(): void {
    // What lasts between its actions are connections only, which the driver keeps.
  }

  async play(transaction: string, compiled: CompiledLine, scope: Scope): Promise<PlayedLine> {
    const startedAtMs = performance.now();
    const action: LineAction = { origin: compiled.origin, send: compiled.send?.(scope) ?? null, awaits: compiled.expect !== null };
    const outcome = await perform(this.driver, action, this.ground.rules);
    const answer = outcome.observation?.answer ?? null;
    let { failure } = outcome;
    let missing: string[] = [];
    let checks = allHold;
    if (failure === null && answer !== null) {
      const view = new AnswerText(answer);
      const expected = compiled.expect?.(scope) ?? '';
      if (!answer.includes(expected))
        failure = failureReason(
          'line-unexpected',
          `It answered “${cutText(answer, 140)}”, which does not hold “${cutText(expected, 140)}”.`,
        );
      failure ??= signOf(view, compiled.failureSigns);
      missing = readHandoffs(compiled.extracts, view, scope);
      if (this.ground.keepsAnswerOf.has(compiled.step)) this.ground.answers.set(compiled.step, view);
      const bytes = Buffer.byteLength(answer);
      checks = askChecks(compiled.checks, { view, location: undefined, bytes, durationMs: outcome.durationMs }, this.ground.fill, scope);
    }
    const reasons = [...(failure && outcome.failure === null ? [failure] : []), ...checks.failures];
    return {
      kind: 'line',
      transaction,
      step: compiled.step,
      startedAtMs,
      outcome,
      firstByteMs: Math.max(0, outcome.phases['wait'] ?? 0),
      answered: outcome.failure === null,
      status: null,
      fromCache: false,
      failure: failure ?? checks.failures[0] ?? null,
      checks: checks.failures.map(({ text }) => text),
      asks: checks.asks,
      missing,
      action,
      findings: reasons.map(({ text }) => text),
    };
  }
}

/** A played line as it is stored. */
export const captureLine = (played: PlayedLine, zeroMs: number): CapturedLine => ({
  kind: 'line',
  step: played.step,
  startedAtMs: played.startedAtMs - zeroMs,
  durationMs: played.outcome.durationMs,
  origin: played.action.origin,
  sent: played.action.send,
  answer: played.outcome.observation?.answer ?? null,
  failure: played.outcome.failure?.text ?? null,
  ...(played.failure === null ? {} : { failureCode: played.failure.code }),
  ...(played.findings.length === 0 ? {} : { checks: played.findings }),
  timings: { ...played.outcome.phases },
});
