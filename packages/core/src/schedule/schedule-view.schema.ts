import * as z from 'zod';
import { BlackoutSchema, ScheduleSchema } from './schedule.schema.js';
import { ScheduledStartSchema } from './scheduled-start.schema.js';

/** All that the page of schedules shows; coming starts follow from the schedules. */
export const ScheduleViewSchema = z.object({
  schedules: z.array(ScheduleSchema),
  blackouts: z.array(BlackoutSchema),
  /** What has come, and what was looked at, the newest first. */
  starts: z.array(ScheduledStartSchema),
  /** How long a run of each workload lasts, in seconds, by its id. */
  seconds: z.record(z.string(), z.number()),
  /** What the clock of the server shows, ISO 8601 in UTC. */
  now: z.string(),
});
export type ScheduleView = z.infer<typeof ScheduleViewSchema>;
