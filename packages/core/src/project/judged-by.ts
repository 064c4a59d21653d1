import { briefCriteria } from '../brief/brief-criteria.js';
import type { Brief } from '../brief/brief.schema.js';
import type { Script } from '../script/script.schema.js';
import type { Criterion, Workload } from '../workload/workload.schema.js';
import { inheritedCriteria, type ProjectSettings } from './project.schema.js';

/** A criterion that a workload does not set itself, and where it comes from. */
export interface InheritedCriterion {
  criterion: Criterion;
  from: 'brief' | 'project';
}

/** Names of the transactions that a workload plays. */
export const playedTransactions = ({ crews }: Pick<Workload, 'crews'>, scripts: readonly Script[]): string[] => [
  ...new Set(
    scripts
      .filter(({ id }) => crews.some(({ scriptId }) => scriptId === id))
      .flatMap(({ transactions }) => transactions.map(({ name }) => name)),
  ),
];

/** What a workload is judged by beside its own criteria: those of the brief, then those of the project, that it does not set otherwise. */
export function inheritedBy(
  workload: Pick<Workload, 'crews' | 'criteria'>,
  scripts: readonly Script[],
  brief: Brief,
  settings: ProjectSettings,
): InheritedCriterion[] {
  const ofBrief = briefCriteria(brief, playedTransactions(workload, scripts)).filter(
    ({ measure, transaction }) => !workload.criteria.some((own) => own.measure === measure && own.transaction === transaction),
  );
  return [
    ...ofBrief.map((criterion) => ({ criterion, from: 'brief' as const })),
    ...inheritedCriteria(settings, [...workload.criteria, ...ofBrief]).map((criterion) => ({ criterion, from: 'project' as const })),
  ];
}

/** A workload with all that it is judged by; a run keeps it, whatever brief and project say later. */
export const judgedWorkload = (workload: Workload, scripts: readonly Script[], brief: Brief, settings: ProjectSettings): Workload => ({
  ...workload,
  criteria: [...workload.criteria, ...inheritedBy(workload, scripts, brief, settings).map(({ criterion }) => criterion)],
  ...(brief.hostLimits.length === 0 ? {} : { hostLimits: brief.hostLimits }),
});
