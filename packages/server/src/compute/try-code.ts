import {
  answerOf,
  capturedView,
  movingPieces,
  recordedSteps,
  statusIn,
  templatesOfScript,
  viewOf,
  type AnswerText,
  type CodeStep,
  type LoadedTake,
  type Script,
  type TriedCode,
} from '@sturdy/core';
import { answerForCode, CodeError, codeThreads, type CodeInput } from '@sturdy/engine';
import type { StoredRehearsal } from './stored-rehearsal.js';

const nothing = { variables: {}, next: { headers: {}, query: {}, body: null }, log: [] };

/** Runs code as it would be run behind a step: on what the take answered there, and on what the last rehearsal did. */
export async function tryCode(
  script: Script,
  take: LoadedTake,
  rehearsal: StoredRehearsal | null,
  after: string | null,
  code: Pick<CodeStep, 'source' | 'timeMs' | 'memoryMb'>,
): Promise<TriedCode[]> {
  const step = recordedSteps(script).find((numberedStep) => numberedStep.step.id === after)?.step;
  const exchange = step && take.exchanges.find((candidate) => candidate.n === answerOf(step));
  const row: Record<string, string> = {};
  for (const template of templatesOfScript(script))
    for (const piece of movingPieces(template)) if (piece.kind === 'data') row[piece.column] = piece.recorded;
  const input = (url: string, view: AnswerText | undefined): CodeInput => ({
    answer: answerForCode(url, view),
    variables: {},
    handoffs: Object.fromEntries(script.handoffs.map((handoff) => [handoff.name, handoff.recorded])),
    row,
    nowMs: Date.now(),
    random: 0.5,
  });
  const played = rehearsal?.steps.findLast((captured) => captured.step === after);
  const tries: { source: TriedCode['source']; rehearsal: number | null; view: AnswerText | undefined; url: string }[] = [
    { source: 'take', rehearsal: null, view: exchange && viewOf(exchange, take.readBody), url: exchange?.url ?? '' },
    ...(rehearsal && played && played.kind !== 'line'
      ? [
          {
            source: 'rehearsal' as const,
            rehearsal: rehearsal.number,
            view: capturedView(played, (hash) => rehearsal.bodies[hash]),
            url: played.kind === 'request' ? played.request.url : played.url,
          },
        ]
      : []),
  ];
  const results: TriedCode[] = [];
  for (const attempt of tries) {
    const started = performance.now();
    const about = { source: attempt.source, rehearsal: attempt.rehearsal, status: attempt.view ? statusIn(attempt.view) : null };
    try {
      const output = await codeThreads.run(code.source, input(attempt.url, attempt.view), code);
      results.push({ ...about, ...output, error: null, line: null, tookMs: performance.now() - started });
    } catch (error) {
      if (!(error instanceof CodeError)) throw error;
      results.push({ ...about, ...nothing, error: error.message, line: error.line, tookMs: performance.now() - started });
    }
  }
  return results;
}
