import { runResult } from '../analyse/result.js';
import type { Script } from '../script/script.schema.js';
import type { Crew } from '../workload/workload.schema.js';
import type { MeasuredRun } from './compare.js';

/** What people call a crew, with the line that it plays over where that is not as fast as it goes. */
function crewName({ name, line }: Crew): string {
  return line === undefined || line.latencyMs === 0 ? name : `${name}, over a line of ${line.latencyMs} ms`;
}

/** A run taken apart by its crews, in their order: each as a run of its own, so that they can be compared as runs are. Criteria are those of the whole run, and none of a part. */
export function crewsOf({ result, frames, hosts }: MeasuredRun, scripts: readonly Script[]): MeasuredRun[] {
  const { run } = result;
  return run.workload.crews.map((crew) => {
    const own = frames.map((frame) => ({
      ...frame,
      items: frame.items.filter((item) => item.crew === crew.id),
      failures: frame.failures.filter((failure) => failure.crew === crew.id),
    }));
    return {
      result: { ...runResult(run, own, scripts), criteria: [], hostCriteria: [], trust: result.trust, period: result.period },
      frames: own,
      hosts,
      part: crewName(crew),
    };
  });
}
