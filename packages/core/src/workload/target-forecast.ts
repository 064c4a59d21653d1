import type { Environment } from '../environment/environment.schema.js';
import { clearanceOf } from '../environment/clearance.js';
import { targetProblem } from '../environment/targets.js';
import type { Script } from '../script/script.schema.js';
import { scriptTargets } from '../script/script-targets.js';
import type { Forecast } from './forecast.js';
import { usersProblem } from './user-ceilings.js';
import type { Workload } from './workload.schema.js';

/** Where a run will send its load. */
export interface TargetForecast {
  /** Origins to which it goes, each once. */
  targets: string[];
  /** What prevents a run there, in sentences. */
  obstacles: string[];
  warnings: string[];
}

/**
 * Where a workload would be played in an environment at a moment (ms since 1970), what keeps it from going there, and whether a ceiling on requests
 * will hold it back. `requests` are those of the whole run, spread evenly over `seconds`.
 */
export function targetForecast(
  { crews }: Pick<Workload, 'crews'>,
  scripts: readonly Script[],
  { requests, seconds }: Pick<Forecast, 'requests' | 'seconds'>,
  environment: Environment,
  nowMs: number,
): TargetForecast {
  const targets = [...new Set(scripts.flatMap((script) => scriptTargets(script, environment)))];
  const refused = targets.flatMap((target) => targetProblem(environment, target, nowMs) ?? []);
  const tooMany = usersProblem(environment, crews, scripts);
  const perSecond = seconds > 0 ? requests / seconds : 0;
  const [only, ...others] = targets;
  // Where it goes to several targets, nobody knows how its requests are shared out among them.
  const ceiling = only !== undefined && others.length === 0 ? (clearanceOf(environment, only)?.requestsPerSecond ?? Infinity) : Infinity;
  return {
    targets,
    obstacles: [...refused, ...(tooMany === null ? [] : [tooMany])],
    warnings:
      perSecond > ceiling
        ? [
            `About ${perSecond.toFixed(1)} requests a second would be sent to ${only ?? ''}, which was cleared for ${ceiling}. Requests will wait for that ceiling, and the run will say that its load was lower than planned.`,
          ]
        : [],
  };
}
