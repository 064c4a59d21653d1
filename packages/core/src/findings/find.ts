import { severities, type Finding } from './finding.schema.js';
import { prepareGround, type FindingGround, type PreparedGround } from './ground.js';
import { failureClusters } from './kinds/failures.js';
import { groupDifferences } from './kinds/groups.js';
import { hostRules, missingFigures, movesWith } from './kinds/hosts.js';
import { littlesLaw, queueingModel, scalability } from './kinds/laws.js';
import { stability } from './kinds/stability.js';
import { turningPoints } from './kinds/turning.js';
import { unusualRows } from './kinds/rows.js';
import { failingUsers } from './kinds/users.js';

/** Every kind of finding; within a severity they are told in this order. */
const kinds: readonly ((ground: PreparedGround) => Finding[])[] = [
  turningPoints,
  failureClusters,
  hostRules,
  stability,
  groupDifferences,
  failingUsers,
  unusualRows,
  movesWith,
  queueingModel,
  scalability,
  littlesLaw,
  missingFigures,
];

/** What the analysis of a run noticed, the most important first. `onProgress` hears how many of how many kinds are done. */
export function findingsOf(ground: FindingGround, onProgress: (done: number, total: number) => void = () => undefined): Finding[] {
  const prepared = prepareGround(ground);
  const found = kinds.flatMap((kind, at) => {
    const findings = kind(prepared);
    onProgress(at + 1, kinds.length);
    return findings;
  });
  return found.sort((left, right) => severities.indexOf(left.severity) - severities.indexOf(right.severity));
}
