import { actionSteps, type Script } from '../script/script.schema.js';
import type { Workload } from '../workload/workload.schema.js';

/** The name of a step that a crew played, in words that people know; its id where the script is gone. Ids of steps are those of their script alone. */
export function stepNameOf(
  { crews }: Pick<Workload, 'crews'>,
  scripts: readonly Script[],
  { crew, step }: { crew: string; step: string },
): string {
  const scriptId = crews.find(({ id }) => id === crew)?.scriptId;
  const script = scripts.find(({ id }) => id === scriptId);
  return (script && actionSteps(script).find((own) => own.step.id === step)?.step.name) ?? step;
}
