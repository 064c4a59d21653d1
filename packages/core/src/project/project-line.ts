import * as z from 'zod';
import { RehearsalSchema, resultOf, type Rehearsal } from '../rehearse/rehearsal.schema.js';
import { RunSchema } from '../analyse/run.schema.js';
import { ProjectSchema } from './project.schema.js';

/** What is known of a project without opening it. */
export const ProjectSummarySchema = ProjectSchema.extend({
  takes: z.number().int(),
  workloads: z.number().int(),
  runs: z.number().int(),
  /** The last rehearsal of each script; null where it was never rehearsed. */
  rehearsals: z.array(RehearsalSchema.pick({ verdict: true, proof: true }).nullable()),
  lastRun: RunSchema.pick({ id: true, number: true, state: true, verdict: true, startedAt: true })
    .extend({ workload: z.string() })
    .nullable(),
});
export type ProjectSummary = z.infer<typeof ProjectSummarySchema>;

const many = (count: number, noun: string): string => `${count.toLocaleString('en')} ${noun}${count === 1 ? '' : 's'}`;

/** How far a project is, in a line, and a shape for it. The last run counts most, then the rehearsals. */
export function projectLine({ takes, workloads, rehearsals, lastRun }: ProjectSummary): {
  shape: 'proven' | 'passed' | 'drifted' | 'failed' | 'none';
  text: string;
} {
  if (lastRun) {
    const { verdict, state, number, workload } = lastRun;
    const ending = verdict === 'held' ? 'criteria held' : verdict === 'missed' ? 'criteria missed' : state;
    return {
      shape: verdict === 'held' ? 'passed' : verdict === 'missed' ? 'failed' : 'drifted',
      text: `Run ${number}, ${workload}: ${ending}`,
    };
  }
  if (rehearsals.length === 0)
    return { shape: 'none', text: takes === 0 ? 'Nothing recorded yet' : `${many(takes, 'take')}, no script yet` };
  const results = rehearsals.map((rehearsal: Pick<Rehearsal, 'verdict' | 'proof'> | null) => (rehearsal ? resultOf(rehearsal) : null));
  const passed = results.filter((result) => result === 'proven' || result === 'unproven').length;
  const planned = workloads === 0 ? '' : `; ${many(workloads, 'workload')}, never run`;
  const text = `${passed} of ${many(rehearsals.length, 'script')} ${passed === 1 || rehearsals.length === 1 ? 'passes' : 'pass'} the rehearsal${planned}`;
  if (passed < results.length)
    return { shape: results.some((result) => result === 'failed') ? 'failed' : passed > 0 ? 'drifted' : 'none', text };
  return { shape: results.every((result) => result === 'proven') ? 'proven' : 'passed', text };
}
