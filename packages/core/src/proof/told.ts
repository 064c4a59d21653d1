import { resultOf, type Rehearsal, type RehearsalResult } from '../rehearse/rehearsal.schema.js';

/** What came of a rehearsal, in a few words. */
export const resultWords: Record<RehearsalResult, string> = {
  proven: 'passed and proven',
  unproven: 'passed, unproven',
  drifted: 'drifted',
  failed: 'failed',
};

/** Why a script should not be played by many users yet, in a sentence; null where its last rehearsal was proven. */
export function proofWarning(name: string, last: Pick<Rehearsal, 'verdict' | 'proof' | 'divergence'> | undefined): string | null {
  if (!last) return `“${name}” was never rehearsed. Nobody knows whether it does what was recorded.`;
  switch (resultOf(last)) {
    case 'proven':
      return null;
    case 'unproven':
      return `“${name}” passed its last rehearsal, unproven. ${last.proof?.open[0]?.sentence ?? 'It was rehearsed once only.'}`;
    default:
      return `“${name}” did not pass its last rehearsal. ${last.divergence?.sentence ?? ''}`.trim();
  }
}
