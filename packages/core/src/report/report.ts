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
  const count = (wanted: string) => classes.filter((one) => one.class === wanted).length;
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
    handoffs: script.handoffs.map((one) => ({
      name: one.name,
      evidence: one.evidence,
      reason: one.reason,
      reads: describeExtractor(one.extractor),
      extractor: one.extractor,
      origins: readPlaces(one).map(({ step }) => ref(step)),
      uses: usesOf(one.id),
    })),
    made: script.made.map((one) => ({ name: one.name, made: one.made, reason: one.reason, uses: usesOf(one.id) })),
    unsure: script.unsure.map((one) => ({ step: ref(one.step), place: one.place, reason: one.reason })),
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
        steps: rehearsal.steps.map((one) => ({
          ...ref(one.step),
          verdict: one.verdict,
          reasons: one.reasons,
          said: one.said ?? [],
          stale: one.stale.map(({ name, place, origin }) => ({ name, place, origin: ref(origin) })),
          replayed: one.captured && {
            ...shownOf(one.captured),
            durationMs: Math.round(one.captured.durationMs * 10) / 10,
          },
        })),
      },
      repaired: report,
      tried,
    })),
  };
}

/** Where a played step went and what it got, as far as its kind has that. */
const shownOf = (captured: CapturedStep) =>
  captured.kind === 'request'
    ? { status: captured.response?.status ?? null, url: maskUrl(captured.request.url), body: captured.response?.body ?? null }
    : { status: null, url: captured.origin, body: null };
