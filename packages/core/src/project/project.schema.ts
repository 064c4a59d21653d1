import * as z from 'zod';
import { FailureSignSchema } from '../check/failure-sign.js';
import type { Environment } from '../workload/workload.schema.js';

/** What holds for everything in a project. */
export const ProjectSettingsSchema = z.object({
  /** What no good answer of any script holds. */
  failureSigns: z.array(FailureSignSchema).max(200).default([]),
});
export type ProjectSettings = z.infer<typeof ProjectSettingsSchema>;
export const plainSettings: ProjectSettings = ProjectSettingsSchema.parse({});

/** An environment with what holds for its project. */
export const environmentOf = (environment: Environment, settings: ProjectSettings): Environment => ({
  ...environment,
  failureSigns: [...environment.failureSigns, ...settings.failureSigns],
});
