import type { CapturedStep } from '../actions/action-step.schema.js';
import { coverage } from '../script-edit/coverage.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { readPlaces, actionSteps, type Script } from '../script/script.schema.js';
import { usePlaces } from '../script-edit/use-places.js';
import { maskUrl } from '../secrets/masks.js';
import type { Rehearsal, RehearsalResult } from '../rehearse/rehearsal.schema.js';
import type { Proof } from '../rehearse/proof.schema.js';
import type { Round } from '../rehearse/rounds.js';
import type { Environment } from '../environment/environment.schema.js';
import { reportVersion, type CorrelationFile, type RehearsalFile } from './report.schema.js';

type StepRef = CorrelationFile['handoffs'][number]['origins'][number];

function stepRefs(script: Script): (id: string) => StepRef {
  const all = new Map(actionSteps(script).map(({ step, number }) => [step.id, { id: step.id, number, name: step.name }]));
  return (id) => all.get(id) ?? { id, number: 0, name: '' };
}

/** The report of a correlation, as a file. */
export function correlationFile(script: Script, about: { takes: CorrelationFile['takes']; findings: string[] }): CorrelationFile {
  const ref = stepRefs(script);
  const uses = usePlaces(script);
  const usesOf = (id: string) => (uses.get(id) ?? []).map(({ step, place }) => ({ ...ref(step), place }));
  const classes = coverage(script);
  const count = (wanted: string) => classes.filter((value) => value.class === wanted).length;
  return {
    report: 'correlation',
    version: reportVersion,
    script: script.name,
    ...about,
    steps: actionSteps(script).length,
    coverage: {
      sent: classes.length,
      handedOff: count('handed-off'),
      data: count('data'),
      clientMade: count('client-made'),
      fixed: count('fixed'),
      unsure: count('unsure'),
    },
    handoffs: script.handoffs.map((handoff) => ({
      name: handoff.name,
      evidence: handoff.evidence,
      reason: handoff.reason,
      reads: describeExtractor(handoff.extractor),
      extractor: handoff.extractor,
      origins: readPlaces(handoff).map(({ step }) => ref(step)),
      uses: usesOf(handoff.id),
    })),
    made: script.made.map((made) => ({ name: made.name, made: made.made, reason: made.reason, uses: usesOf(made.id) })),
    unsure: script.unsure.map((value) => ({ step: ref(value.step), place: value.place, reason: value.reason })),
  };
}

/** The report of a rehearsal and its repairs, as a file. Secrets in addresses are masked. */
export function rehearsalFile(
  script: Script,
  environment: Environment,
  rounds: readonly Round<Pick<Rehearsal, 'startedAt' | 'steps' | 'verdict' | 'divergence'>>[],
  result: RehearsalResult,
  proof: Proof | null,
): RehearsalFile {
  const ref = stepRefs(script);
  return {
    report: 'rehearsal',
    version: reportVersion,
    script: script.name,
    environment: { name: environment.name, targets: environment.targets },
    verdict: rounds.at(-1)?.rehearsal.verdict ?? 'failed',
    result,
    proof,
    rounds: rounds.map(({ rehearsal, report, tried }) => ({
      rehearsal: {
        startedAt: rehearsal.startedAt,
        verdict: rehearsal.verdict,
        divergence: rehearsal.divergence,
        steps: rehearsal.steps.map((step) => ({
          ...ref(step.step),
          verdict: step.verdict,
          reasons: step.reasons,
          said: step.said ?? [],
          stale: step.stale.map(({ name, place, origin }) => ({ name, place, origin: ref(origin) })),
          replayed: step.captured && {
            ...shownOf(step.captured),
            durationMs: Math.round(step.captured.durationMs * 10) / 10,
          },
        })),
      },
      repaired: report,
      tried,
    })),
  };
}

/** Where a played step went and what it got, as far as its kind has that. */
function shownOf(captured: CapturedStep) {
  switch (captured.kind) {
    case 'request':
      return { status: captured.response?.status ?? null, url: maskUrl(captured.request.url), body: captured.response?.body ?? null };
    case 'message':
      return { status: null, url: maskUrl(captured.url), body: captured.answer };
    case 'line':
      return { status: null, url: captured.origin, body: null };
  }
}
