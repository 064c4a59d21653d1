import { groupFailures } from '../../analyse/failures.js';
import { stepNameOf } from '../../analyse/step-name.js';
import type { Failure } from '../../measure/frame.schema.js';
import type { Finding } from '../finding.schema.js';
import { clockText, figureText, type PreparedGround } from '../ground.js';

/** So many clusters are told; the page lists all. */
const mostTold = 4;
/** A cluster that begins so long after another may have followed from it, in seconds. */
const followsWithin = 60;

/** Clusters of failures: how many, when, which came first and what followed. */
export function failureClusters({ run, frames, scripts }: PreparedGround): Finding[] {
  const groups = groupFailures(frames.flatMap((frame) => frame.failures));
  const all = groups.reduce((sum, { count }) => sum + count, 0);
  if (all === 0) return [];
  const first = groups.reduce((earliest, group) => (group.firstSecond < earliest.firstSecond ? group : earliest));
  const crewOf = ({ crew }: Failure): string =>
    run.workload.crews.length > 1 ? `, crew ${run.workload.crews.find(({ id }) => id === crew)?.name ?? crew}` : '';
  return groups.slice(0, mostTold).map((group): Finding => {
    const share = group.count / all;
    const follows = groups.filter(
      (other) => other !== group && other.firstSecond > group.firstSecond && other.firstSecond - group.firstSecond <= followsWithin,
    );
    const order =
      group === first
        ? groups.length > 1
          ? ` It came first${follows.length > 0 ? `; ${follows.length === 1 ? 'another kind' : `${follows.length} other kinds`} followed within ${followsWithin} s` : ''}.`
          : ''
        : ` It began ${group.firstSecond - first.firstSecond} s after the first kind.`;
    return {
      id: `failures ${group.crew} ${group.step} ${group.code} ${group.subject}`,
      kind: 'failures',
      severity: share >= 0.1 ? 'grave' : 'notable',
      sentence: `${group.count.toLocaleString('en')} ${group.count === 1 ? 'failure' : 'failures'} of one kind (${figureText(100 * share)} % of all) in “${group.transaction}”, ${stepNameOf(run.workload, scripts, group)}${crewOf(group)}: ${group.message.replace(/\.$/, '')}, from ${clockText(group.firstSecond)} to ${clockText(group.lastSecond)}.${order}`,
      explanation:
        'Failures of the same step, code and subject are one kind. One of them is captured with its answer, in the list of failures below.',
      fromSecond: group.firstSecond,
      toSecond: group.lastSecond + 1,
      series: [],
      chart: null,
    };
  });
}
